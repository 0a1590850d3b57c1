package vintrel.server.show;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.panel.PanelKind;
import vintrel.core.panel.PanelKinds;
import vintrel.core.panel.TimeChart;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.ask.Queries;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.web.CurrentUser;

/** What was found on the Bench is kept: as a panel of a dashboard. */
@Controller
class SaveFromBench {
  private final Definitions definitions;
  private static final int FEW_POINTS = 20;

  private final Titles titles;
  private final Queries queries;
  private final Clock clock;

  SaveFromBench(Definitions definitions, Titles titles, Queries queries, Clock clock) {
    this.queries = queries;
    this.clock = clock;
    this.definitions = definitions;
    this.titles = titles;
  }

  record Target(String name, String title) {}

  /** The dashboards that a panel can go to. */
  @GetMapping("/bench/dashboards")
  @ResponseBody
  List<Target> dashboards() {
    return definitions.dashboards().stream().map(d -> new Target(d.name(), d.title())).toList();
  }

  /**
   * Puts a query on a dashboard, below what is there; a new name makes a new dashboard.
   *
   * @param dashboard name or title
   * @param show lines, or a kind of panels
   * @param anyway also if the query can't be run
   */
  @PostMapping("/bench/panel")
  @ResponseBody
  Map<String, Object> panel(
      @RequestParam String dashboard,
      @RequestParam String title,
      @RequestParam String query,
      @RequestParam(defaultValue = "lines") String show,
      @RequestParam(defaultValue = "false") boolean anyway) {
    Parser.parse(query);
    if (!anyway) {
      check(query);
    }
    var named = need(title, "the panel needs a title");
    var wanted = need(dashboard, "the dashboard needs a name");
    var panel = Dashboard.Panel.of(named, kind(show), query);
    var name = known(wanted);
    boolean made = name == null;
    Definitions.Saved saved;
    if (made) {
      name = titles.free(wanted);
      var first = new Definition.OfDashboard(Dashboard.empty(name, wanted).with(panel));
      saved = definitions.save(first, 0, CurrentUser.name(), Origin.PAGE);
    } else {
      saved = definitions.change(name, d -> d.with(panel), CurrentUser.name());
    }
    // It lands in the sheet of the new panel.
    var all = ((Definition.OfDashboard) saved.stored().definition()).dashboard().panels();
    return Map.of("url", "/dashboards/" + name + "?edit=" + all.getLast().id(), "made", made);
  }

  /**
   * Runs a query over the latest minute.
   *
   * @throws IllegalArgumentException with the reason, if it can't be run
   */
  private void check(String query) {
    long now = clock.millis();
    try {
      queries.answer(
          new Queries.Ask(query, new TimeText.Range(now - Durations.MINUTE, now), FEW_POINTS));
    } catch (QueryException e) {
      throw new IllegalArgumentException("the query fails: " + e.getMessage(), e);
    }
  }

  /**
   * The name of the dashboard that is meant, or null; one of this name before one of this title.
   */
  private String known(String text) {
    if (definitions.dashboard(text) != null) {
      return text;
    }
    return definitions.dashboards().stream()
        .filter(d -> d.title().equalsIgnoreCase(text))
        .map(Dashboard::name)
        .findFirst()
        .orElse(null);
  }

  /** A kind by its name, or by what the Bench calls its views. */
  private static PanelKind kind(String text) {
    var kind = PanelKinds.named(text.equals("lines") ? TimeChart.DEFAULT.word() : text);
    if (kind == null) {
      var names = PanelKinds.ALL.stream().map(PanelKind::word).collect(Collectors.joining(", "));
      throw new IllegalArgumentException(
          "`show` must be lines or one of " + names + ", not " + text);
    }
    return kind;
  }

  private static String need(String text, String otherwise) {
    if (text == null || text.isBlank()) {
      throw new IllegalArgumentException(otherwise);
    }
    return text.strip();
  }
}
