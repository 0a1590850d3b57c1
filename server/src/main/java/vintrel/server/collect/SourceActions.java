package vintrel.server.collect;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.springframework.stereotype.Component;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.series.Condition;
import vintrel.core.series.MetricKind;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.web.CurrentUser;

/** Makes a first dashboard and a first rule of a source. Any thread. */
@Component
class SourceActions {
  private static final int MAX_PANELS = 16;

  private final SampleStore store;
  private final Definitions definitions;

  SourceActions(SampleStore store, Definitions definitions) {
    this.store = store;
    this.definitions = definitions;
  }

  /**
   * Makes a dashboard of what some sources send.
   *
   * @return its address
   * @throws IllegalArgumentException if they have sent nothing yet
   */
  String dashboard(String name, List<SourceBook.Source> sources) {
    var kinds = new TreeMap<String, MetricKind>();
    for (var s : sources) {
      for (var metric : s.metrics().keySet()) {
        store.select("", metric, Condition.ALL).stream()
            .findFirst()
            .ifPresent(series -> kinds.put(metric, series.kind()));
      }
    }
    var panels = SourceDashboard.panels(kinds).stream().limit(MAX_PANELS).toList();
    if (panels.isEmpty()) {
      throw new IllegalArgumentException("nothing has arrived from `" + name + "` yet");
    }
    var free = free("dashboard", name);
    var made = Dashboard.empty(free, name).withPairs(panels);
    definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
    return "/dashboards/" + free;
  }

  /**
   * Makes the rule that is raised when some sources of one token send nothing any more.
   *
   * @return its address
   */
  String rule(String name, List<SourceBook.Source> sources) {
    var token = sources.isEmpty() ? name : sources.getFirst().key.token();
    var free = free("rule", name + "-silent");
    var rule = new LinkedHashMap<String, Object>();
    rule.put("kind", "rule");
    rule.put("name", free);
    rule.put("title", name + ": no data");
    rule.put(
        "query",
        "vintrel.source.last in vintrel where token = '%s'%s then since"
            .formatted(
                token.replace("'", "''"),
                token.equals(name) ? "" : " and source = '" + name.replace("'", "''") + "'"));
    rule.put("unit", "s");
    rule.put("every", "15s");
    rule.put("limits", List.of(Map.of("above", silence(sources), "priority", "high")));
    definitions.save(
        JsonMapper.shared().writeValueAsString(rule), 0, CurrentUser.name(), Origin.PAGE);
    return "/watch/rules/" + free;
  }

  /** Seconds without samples that are unusual for a source: a day before its pace is known. */
  private static long silence(List<SourceBook.Source> sources) {
    long interval = sources.stream().mapToLong(s -> s.pace.interval()).max().orElse(0);
    long ms = interval == 0 ? Durations.DAY : Math.max(5 * Durations.MINUTE, 3 * interval);
    return ms / Durations.SECOND;
  }

  /** A name that no definition of a kind has yet. */
  private String free(String kind, String wanted) {
    var base =
        wanted
            .toLowerCase(java.util.Locale.ROOT)
            .replaceAll("[^a-z0-9]+", "-")
            .replaceAll("^-+|-+$", "");
    base = base.isEmpty() ? "source" : base.substring(0, Math.min(60, base.length()));
    var name = base;
    for (int i = 2; definitions.isDefined(kind, name); i++) {
      name = base + "-" + i;
    }
    return name;
  }
}
