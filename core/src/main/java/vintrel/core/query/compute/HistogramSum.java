package vintrel.core.query.compute;

import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.TreeMap;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.series.Labels;

/**
 * Histograms added up: at each bound of any of them, what all count up to there. One that has no
 * count for a bound, since it is none of its own or has no value there, counts what an even spread
 * between its neighbouring bounds gives; above its last finite bound nothing more until {@code
 * +Inf}. One thread.
 */
final class HistogramSum {
  private final double[] bounds;

  /** The rows of each histogram by the places of their bounds, null where it has none. */
  private final List<Row[]> histograms;

  private final double[] counts;

  private HistogramSum(double[] bounds, List<Row[]> histograms) {
    this.bounds = bounds;
    this.histograms = histograms;
    counts = new double[bounds.length];
  }

  /**
   * @param room asked for a place for each bound of any in each histogram
   * @return null if no row has a bound
   */
  static HistogramSum of(List<Row> rows, Room room) {
    var groups = new LinkedHashMap<Labels, TreeMap<Double, Row>>();
    var all = new TreeMap<Double, Integer>();
    for (var row : rows) {
      double bound = AcrossSeries.bound(row.labels().get(LabelNames.BOUND));
      if (!Double.isNaN(bound)) {
        var own = row.labels().drop(List.of(LabelNames.BOUND));
        groups.computeIfAbsent(own, k -> new TreeMap<>()).put(bound, row);
        all.put(bound, 0);
      }
    }
    if (all.isEmpty()) {
      return null;
    }
    room.bytes((long) groups.size() * all.size() * Room.CELL);
    var bounds = all.keySet().stream().mapToDouble(d -> d).toArray();
    var histograms =
        groups.values().stream()
            .map(g -> Arrays.stream(bounds).mapToObj(g::get).toArray(Row[]::new))
            .toList();
    return new HistogramSum(bounds, histograms);
  }

  /** All bounds, rising. */
  double[] bounds() {
    return bounds;
  }

  /**
   * The counts up to each bound in one bucket of time; NaN if none has one there. The same array
   * each time.
   */
  double[] at(int i) {
    Arrays.fill(counts, Double.NaN);
    boolean alike = true;
    for (var h : histograms) {
      alike &= add(h, i);
    }
    return alike || histograms.size() == 1 ? counts : spread(i);
  }

  /** Whether it has a value for all bounds or for none. */
  private boolean add(Row[] histogram, int i) {
    int some = 0;
    for (int k = 0; k < counts.length; k++) {
      double v = histogram[k] == null ? Double.NaN : histogram[k].values()[i];
      if (!Double.isNaN(v)) {
        some++;
        counts[k] = Double.isNaN(counts[k]) ? v : counts[k] + v;
      }
    }
    return some == 0 || some == counts.length;
  }

  private double[] spread(int i) {
    Arrays.fill(counts, 0);
    boolean some = false;
    for (var h : histograms) {
      some |= lay(h, i);
    }
    if (!some) {
      Arrays.fill(counts, Double.NaN);
    }
    return counts;
  }

  /** Adds a histogram at all bounds; not if its total is missing. */
  private boolean lay(Row[] histogram, int i) {
    int last = counts.length - 1;
    var total = histogram[last];
    if (bounds[last] != Double.POSITIVE_INFINITY
        || total == null
        || Double.isNaN(total.values()[i])) {
      return false;
    }
    double lower = 0;
    double below = 0;
    int next = 0;
    for (int k = 0; k <= last; k++) {
      double v = histogram[k] == null ? Double.NaN : histogram[k].values()[i];
      if (Double.isNaN(v)) {
        continue;
      }
      double between = Math.max(0, v - below);
      double width = bounds[k] - lower;
      for (; next <= k; next++) {
        double share = next == k ? 1 : share(bounds[next] - lower, width);
        counts[next] += below + between * share;
      }
      lower = bounds[k];
      below += between;
    }
    return true;
  }

  /** How much of a bucket lies below a place in it. */
  private static double share(double place, double width) {
    return width == Double.POSITIVE_INFINITY || !(width > 0) ? 0 : Math.clamp(place / width, 0, 1);
  }
}
