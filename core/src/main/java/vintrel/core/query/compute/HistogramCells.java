package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.frame.FrameException;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.series.Labels;

/**
 * What fell between the bounds of a histogram. Its buckets are cumulative: one with {@code le = 2}
 * counts all values up to 2, so that what lies between two bounds is the difference of theirs. A
 * bound without a count at a time is left out there: what fell below it is counted up to the next.
 */
final class HistogramCells {
  /** A part of the values and, of cells, of the time. */
  private record Cell(int span, double from, double to) implements Comparable<Cell> {
    @Override
    public int compareTo(Cell o) {
      int by = Integer.compare(span, o.span);
      by = by != 0 ? by : Double.compare(from, o.from);
      return by != 0 ? by : Double.compare(to, o.to);
    }
  }

  private final SeriesSet.OfSeries set;
  private final long from;
  private final long to;
  private final int spans;
  private final TreeMap<Cell, Double> counts = new TreeMap<>();

  private HistogramCells(SeriesSet.OfSeries set, long from, long to, int spans) {
    this.set = set;
    this.from = from;
    this.to = to;
    this.spans = spans;
  }

  /** Whether all series are buckets of histograms. */
  static boolean are(SeriesSet.OfSeries set) {
    return !set.rows().isEmpty()
        && set.rows().stream()
            .allMatch(r -> !Double.isNaN(AcrossSeries.bound(r.labels().get(LabelNames.BOUND))));
  }

  /**
   * Counts between the bounds over the whole range: columns from, to and count.
   *
   * @throws FrameException if the series are no counts
   */
  static Frame bins(SeriesSet.OfSeries set, long from, long to) {
    return new HistogramCells(set, from, to, 1).frame(false);
  }

  /**
   * The same in spans of time: columns time, from, to and count.
   *
   * @param spans of even length, from the start of the range to its end
   */
  static Frame cells(SeriesSet.OfSeries set, long from, long to, int spans) {
    return new HistogramCells(set, from, to, spans).frame(true);
  }

  private Frame frame(boolean timed) {
    for (var row : set.rows()) {
      if (row.unit().contains("/") || row.raw() != null && row.kind().cumulative()) {
        throw new FrameException(
            "histogram buckets need `increase` first; add it before this step");
      }
    }
    var groups = new LinkedHashMap<Labels, TreeMap<Double, List<Samples>>>();
    for (var row : set.rows()) {
      double bound = AcrossSeries.bound(row.labels().get(LabelNames.BOUND));
      groups
          .computeIfAbsent(row.labels().drop(List.of(LabelNames.BOUND)), k -> new TreeMap<>())
          .computeIfAbsent(bound, k -> new ArrayList<>())
          .add(set.samples(row));
    }
    groups.values().forEach(this::add);
    var cells = counts.entrySet().stream().filter(e -> e.getValue() > 0 || !timed).toList();
    var columns = new ArrayList<Column>();
    if (timed) {
      columns.add(
          new Column.Time(
              "time",
              cells.stream()
                  .mapToLong(e -> from + (to - from) * e.getKey().span() / spans)
                  .toArray()));
    }
    columns.add(
        Column.Number.of("from", "", cells.stream().mapToDouble(e -> e.getKey().from()).toArray()));
    columns.add(
        Column.Number.of("to", "", cells.stream().mapToDouble(e -> e.getKey().to()).toArray()));
    columns.add(
        Column.Number.of("count", "", cells.stream().mapToDouble(Map.Entry::getValue).toArray()));
    return new Frame("", columns);
  }

  /** Adds one histogram: its buckets by their upper bounds. */
  private void add(TreeMap<Double, List<Samples>> buckets) {
    var byTime = new TreeMap<Long, TreeMap<Double, Double>>();
    buckets.forEach(
        (bound, all) -> {
          for (var s : all) {
            for (int i = 0; i < s.count(); i++) {
              long t = s.times()[i];
              if (!Double.isNaN(s.values()[i]) && t < to) {
                byTime
                    .computeIfAbsent(t, k -> new TreeMap<>())
                    .merge(bound, s.values()[i], Double::sum);
              }
            }
          }
        });
    double lowest = Math.min(0, buckets.firstKey());
    byTime.forEach(
        (time, at) -> {
          // A first bucket that begins before the range belongs to its first span.
          long into = Math.max(0, time - from);
          int span = (int) (into * spans / Math.max(1, to - from));
          double lower = lowest;
          double below = 0;
          for (var bucket : at.entrySet()) {
            double between = Math.max(0, bucket.getValue() - below);
            counts.merge(new Cell(span, lower, bucket.getKey()), between, Double::sum);
            lower = bucket.getKey();
            below = Math.max(below, bucket.getValue());
          }
        });
  }
}
