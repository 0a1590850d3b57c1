package vintrel.server.collect;

import java.time.Clock;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** Describes what a source sends: metrics with their latest values, and labels. Any thread. */
@Component
class SourceMetrics {
  private static final int MAX_METRICS = 8;

  /** Series of a metric whose labels are named. */
  private static final int MAX_LABELLED = 200;

  private static final long DRAWN_MS = 15 * Durations.MINUTE;
  private static final int SPARK_WIDTH = 60;
  private static final int SPARK_HEIGHT = 16;

  private final SampleStore store;
  private final Resources resources;
  private final Clock clock;

  SourceMetrics(SampleStore store, Resources resources, Clock clock) {
    this.store = store;
    this.resources = resources;
    this.clock = clock;
  }

  /** A metric that arrived. */
  public record MetricView(
      String name, int series, String kind, String spark, String query, boolean unitless) {}

  /** The metrics of some sources, by name; a few. */
  List<MetricView> metrics(List<SourceBook.Source> stored) {
    return metrics(stored, MAX_METRICS);
  }

  /**
   * @param max metrics at most
   */
  List<MetricView> metrics(List<SourceBook.Source> stored, int max) {
    long now = clock.millis();
    var counts = new TreeMap<String, Integer>();
    stored.forEach(s -> s.metrics().forEach((m, n) -> counts.merge(m, n, Integer::sum)));
    var out = new ArrayList<MetricView>();
    for (var e : counts.entrySet()) {
      if (out.size() == max) {
        break;
      }
      var series = store.select("", e.getKey(), Condition.ALL);
      if (series.isEmpty()) {
        continue;
      }
      var first = series.getFirst();
      var kind = first.kind().name().toLowerCase(Locale.ROOT);
      var unit = Units.words(first.unit());
      var query =
          Printer.name(e.getKey()) + (first.kind() == MetricKind.COUNTER ? " then rate" : "");
      out.add(
          new MetricView(
              e.getKey(),
              e.getValue(),
              unit.isEmpty() ? kind : kind + ", " + unit,
              spark(first, now),
              query,
              unit.isEmpty() && first.kind() != MetricKind.STATE));
    }
    return out;
  }

  /**
   * The names of the labels that the metrics have.
   *
   * @param added by the token; one that has other values, too, is the sender's own
   */
  String labels(List<MetricView> metrics, Labels added) {
    var values = new TreeMap<String, Set<String>>();
    var aside = new TreeSet<String>();
    for (var m : metrics) {
      var some = store.select("", m.name(), Condition.ALL).stream().limit(MAX_LABELLED).toList();
      some.stream()
          .flatMap(s -> s.labels().asMap().entrySet().stream())
          .forEach(l -> values.computeIfAbsent(l.getKey(), k -> new HashSet<>()).add(l.getValue()));
      some.stream().limit(1).forEach(s -> aside.addAll(resources.aside(s.labels())));
    }
    var byToken =
        added.names().stream().filter(n -> Set.of(added.get(n)).equals(values.get(n))).toList();
    values.keySet().removeAll(byToken);
    return "Labels: "
        + (values.isEmpty() ? "none" : String.join(", ", values.keySet()))
        + (byToken.isEmpty() ? "" : "; added by the token: " + String.join(", ", byToken))
        + (aside.isEmpty()
            ? "."
            : ". Resource attributes without a label: "
                + String.join(", ", aside)
                + "; Resources can change that.")
        + (values.containsKey("process.pid")
            ? " Each restart makes new series, since process.pid is a label: set"
                + " service.instance.id."
            : "");
  }

  /** A line of the latest samples of a series, as a path. */
  private String spark(Series series, long now) {
    var samples = store.read(List.of(series), now - DRAWN_MS, now + 1).getFirst();
    double min = Double.MAX_VALUE;
    double max = -Double.MAX_VALUE;
    for (int i = 0; i < samples.count(); i++) {
      double v = samples.values()[i];
      if (Double.isFinite(v)) {
        min = Math.min(min, v);
        max = Math.max(max, v);
      }
    }
    if (samples.count() == 0 || min > max) {
      return "";
    }
    long from = samples.times()[0];
    double span = Math.max(1, samples.lastTime() - from);
    var path = new StringBuilder();
    for (int i = 0; i < samples.count(); i++) {
      double v = samples.values()[i];
      if (Double.isFinite(v)) {
        double x = 1 + (samples.times()[i] - from) / span * (SPARK_WIDTH - 2);
        double share = max > min ? (v - min) / (max - min) : 0.5;
        double y = SPARK_HEIGHT - 2 - share * (SPARK_HEIGHT - 4);
        path.append(String.format(Locale.ROOT, "%s%.1f %.1f", path.isEmpty() ? "M" : "L", x, y));
      }
    }
    return samples.count() == 1 ? path + "h2" : path.toString();
  }
}
