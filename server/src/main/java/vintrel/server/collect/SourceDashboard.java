package vintrel.server.collect;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeMap;
import vintrel.core.define.Dashboard;
import vintrel.core.panel.TimeChart;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.MetricKind;

/**
 * A first dashboard of what a source sends. A histogram, which arrives as several metrics, becomes
 * two panels: its median and 95 % quantile, and how often; a counter its rate; others as they are.
 */
final class SourceDashboard {
  private static final String BUCKETS = ".bucket";
  private static final List<String> PARTS = List.of(BUCKETS, ".count", ".sum", ".min", ".max");

  private SourceDashboard() {}

  /**
   * @param kinds of the metrics, by name
   */
  static List<Dashboard.Panel> panels(TreeMap<String, MetricKind> kinds) {
    var out = new ArrayList<Dashboard.Panel>();
    kinds.forEach(
        (name, kind) -> {
          var histogram = histogram(name, kinds.keySet());
          if (histogram.isEmpty()) {
            out.add(panel(name, Printer.name(name) + (isCounter(kind) ? " then rate" : "")));
          } else if (name.endsWith(BUCKETS)) {
            var all = Printer.name(name) + " then rate then sum by le then quantile ";
            out.add(
                panel(
                    histogram + ", median and 95 %",
                    "median: %s0.5\np95: %s0.95".formatted(all, all)));
            var count = histogram + ".count";
            if (kinds.containsKey(count)) {
              out.add(
                  panel(histogram + ", per second", Printer.name(count) + " then rate then sum"));
            }
          }
        });
    return out;
  }

  private static boolean isCounter(MetricKind kind) {
    return kind == MetricKind.COUNTER || kind == MetricKind.HISTOGRAM;
  }

  private static Dashboard.Panel panel(String title, String query) {
    return Dashboard.Panel.of(title, TimeChart.DEFAULT, query);
  }

  /** The histogram that a metric is a part of, or empty. */
  private static String histogram(String metric, Set<String> all) {
    for (var part : PARTS) {
      if (metric.endsWith(part)) {
        var base = metric.substring(0, metric.length() - part.length());
        return all.contains(base + BUCKETS) ? base : "";
      }
    }
    return "";
  }
}
