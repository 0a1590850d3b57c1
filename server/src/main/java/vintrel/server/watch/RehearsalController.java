package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.ServletRequestUtils;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.picture.Picture;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.RangeParams;
import vintrel.server.define.Definitions;
import vintrel.server.web.PagePreferences;

/** What a rule would have done in the range of its page. */
@Controller
class RehearsalController {
  private final Definitions definitions;
  private final Rehearsals rehearsals;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final JsonMapper json;
  private final Clock clock;

  /** Of a chart whose page says nothing of its size, px. */
  private static final int WIDTH = 900;

  RehearsalController(
      Definitions definitions,
      Rehearsals rehearsals,
      RangeParams ranges,
      ActiveQueries running,
      JsonMapper json,
      Clock clock) {
    this.running = running;
    this.json = json;
    this.definitions = definitions;
    this.rehearsals = rehearsals;
    this.ranges = ranges;
    this.clock = clock;
  }

  @GetMapping("/watch/rules/{name}/rehearsal")
  String rehearsal(@PathVariable String name, Model model, HttpServletRequest request) {
    var rule = definitions.rule(name);
    var zone = PagePreferences.zone(request);
    var range = ranges.of(request);
    try {
      int width = Picture.side(ServletRequestUtils.getIntParameter(request, "width", WIDTH));
      int columns = Math.clamp(width / 3, 60, 400);
      var page = request.getParameter("page");
      // Another range of the same page ends this one.
      var done =
          running.run(
              page == null ? null : page + "/rehearsal",
              stop -> rehearsals.run(rule, range, columns, stop));
      var chart = RuleChart.of(rule, done.courses(), range, zone, width);
      model.addAttribute("chart", json.writeValueAsString(chart));
      model.addAttribute("view", RehearsalView.of(rule, done, range, zone, clock.millis()));
    } catch (QueryException | Rehearsals.TooLong e) {
      // It stands where the rehearsal would.
      model.addAttribute("fault", e.getMessage());
    }
    return "watch/rehearsal :: rehearsal";
  }
}
