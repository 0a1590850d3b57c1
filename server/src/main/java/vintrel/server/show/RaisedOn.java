package vintrel.server.show;

import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import vintrel.core.define.Dashboard;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Sources;
import vintrel.core.watch.Priority;
import vintrel.server.watch.AlertLog;

/** Which active alerts concern what a dashboard shows: they watch a metric that it draws. */
@Component
class RaisedOn {
  private final AlertLog log;

  RaisedOn(AlertLog log) {
    this.log = log;
  }

  /**
   * Active alerts of a priority.
   *
   * @param shape the priority in lower case
   */
  public record Count(String shape, int count) {}

  /** By dashboard, the highest priority first; without those that have none. */
  Map<String, List<Count>> of(List<Dashboard> dashboards) {
    var panels = new LinkedHashMap<String, List<Dashboard.Panel>>();
    dashboards.forEach(d -> panels.put(d.name(), d.panels()));
    return of(panels);
  }

  /** By the key of some panels, the highest priority first; without those that have none. */
  <K> Map<K, List<Count>> of(Map<K, List<Dashboard.Panel>> groups) {
    var counts = new LinkedHashMap<Set<String>, EnumMap<Priority, Integer>>();
    for (var alert : log.notNormal()) {
      if (alert.state().isActive() && alert.priority() != null) {
        counts
            .computeIfAbsent(metrics(alert.rule().query()), k -> new EnumMap<>(Priority.class))
            .merge(alert.priority(), 1, Integer::sum);
      }
    }
    var out = new LinkedHashMap<K, List<Count>>();
    if (counts.isEmpty()) {
      return out;
    }
    groups.forEach(
        (key, panels) -> {
          var list = counts(panels, counts);
          if (!list.isEmpty()) {
            out.put(key, list);
          }
        });
    return out;
  }

  private static List<Count> counts(
      List<Dashboard.Panel> panels, Map<Set<String>, EnumMap<Priority, Integer>> active) {
    var shown = new HashSet<String>();
    panels.forEach(p -> shown.addAll(metrics(p.query())));
    var sum = new EnumMap<Priority, Integer>(Priority.class);
    active.forEach(
        (watched, found) -> {
          if (watched.stream().anyMatch(shown::contains)) {
            found.forEach((p, n) -> sum.merge(p, n, Integer::sum));
          }
        });
    var list = new ArrayList<Count>();
    sum.forEach((p, n) -> list.add(new Count(p.text(), n)));
    return list;
  }

  /** The active alerts on what a dashboard shows, most urgent first. */
  List<AlertLog.Alert> alerts(Dashboard dashboard) {
    var shown = metrics(dashboard);
    return log.notNormal().stream()
        .filter(a -> a.state().isActive() && a.priority() != null)
        .filter(a -> metrics(a.rule().query()).stream().anyMatch(shown::contains))
        .toList();
  }

  /** The metrics that a dashboard draws. */
  static Set<String> metrics(Dashboard dashboard) {
    var out = new TreeSet<String>();
    dashboard.panels().forEach(p -> out.addAll(metrics(p.query())));
    return out;
  }

  private static Set<String> metrics(String text) {
    var out = new HashSet<String>();
    try {
      if (!text.isBlank()) {
        var query = Parser.parse(text);
        var sources = new ArrayList<Expr.Source>();
        query.lines().forEach(l -> Sources.collect(query, l.expr(), sources));
        sources.forEach(s -> out.add(s.name()));
      }
    } catch (QueryException e) {
      // Text that is no query watches nothing.
      return out;
    }
    return out;
  }
}
