package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.List;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.define.Bundle;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.panel.Limit;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Rule;
import vintrel.server.define.Definitions;

/** What a rule watches, with its limits, as a chart whose axis leaves room for names of series. */
@Controller
class RuleChartController {
  private final Definitions definitions;
  private final PanelDrawing drawing;

  /** The look of the chart; the names of series stand in the rows below, under its axis. */
  private static final String PANEL =
      """
      kind: dashboard
      name: rule
      title: Rule
      panels:
      - {title: Rule, at: [1, 1, 12, 6], query: "1", options: {legend: none, axis-room: 172}}
      """;

  RuleChartController(Definitions definitions, PanelDrawing drawing) {
    this.definitions = definitions;
    this.drawing = drawing;
  }

  @PostMapping("/watch/rules/{name}/chart")
  @ResponseBody
  PanelDrawing.PanelAnswer chart(@PathVariable String name, HttpServletRequest request) {
    var rule = definitions.rule(name);
    var read = (Definition.OfDashboard) Bundle.parse(PANEL).documents().getFirst().definition();
    var plain = read.dashboard().panels().getFirst();
    var panel =
        new Dashboard.Panel(
            plain.id(),
            rule.title(),
            "",
            "",
            plain.kind(),
            plain.place(),
            rule.query(),
            "",
            rule.unit(),
            limits(rule),
            "",
            false,
            plain.fed());
    var result = drawing.result(read.dashboard(), panel, PanelDrawing.Size.of(request), request);
    return PanelDrawing.draw(panel, result);
  }

  /** Those that are values. */
  private static List<Limit> limits(Rule rule) {
    var out = new ArrayList<Limit>();
    for (var l : rule.limits()) {
      var priority = l.priority().text();
      switch (l.test()) {
        case LimitTest.Threshold t -> {
          boolean up =
              t.direction() == LimitTest.Direction.ABOVE
                  || t.direction() == LimitTest.Direction.AT_LEAST;
          out.add(new Limit(t.value(), up, priority));
        }
        case LimitTest.Outside o -> {
          out.add(new Limit(o.low(), false, priority));
          out.add(new Limit(o.high(), true, priority));
        }
        case LimitTest.OutsideBand b -> {}
        case LimitTest.Stale s -> {}
        case LimitTest.Absent a -> {}
      }
    }
    return out;
  }
}
