package vintrel.core.query;

import java.util.Arrays;
import java.util.List;
import java.util.function.UnaryOperator;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Frame;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.unit.Counts;

/**
 * What flows from step to step: rows that are all raw (grid is null) or all on one grid, or a table
 * (then there are no rows).
 *
 * @param scalar a plain number, which pairs with everything
 * @param table or null
 */
public record SeriesSet(Grid grid, List<Row> rows, boolean scalar, Frame table) {
  SeriesSet(Grid grid, List<Row> rows, boolean scalar) {
    this(grid, rows, scalar, null);
  }

  SeriesSet(Grid grid, List<Row> rows) {
    this(grid, rows, false, null);
  }

  static SeriesSet of(Frame table) {
    return new SeriesSet(null, List.of(), false, table);
  }

  public boolean raw() {
    return grid == null;
  }

  /** The shape in words: 6 series × 240 points, 6 series raw, or table 15 × 2. */
  public String shape() {
    if (table != null) {
      return "table " + table.rows() + " × " + table.columns().size();
    }
    var series = rows.size() + " series";
    if (scalar) {
      return "a number";
    }
    if (!raw()) {
      return series + " × " + Counts.of(grid.count(), "point");
    }
    long n = rows.stream().mapToLong(r -> r.raw() == null ? 0 : present(r.raw())).sum();
    return series + ", " + Counts.of(n, "sample");
  }

  /** Samples that a step has left. */
  private static long present(Samples s) {
    return Arrays.stream(s.values(), 0, s.count()).filter(v -> !Double.isNaN(v)).count();
  }

  /** The buckets that touch [from, to) alone. */
  SeriesSet crop(long from, long to) {
    int first = (int) Math.clamp(grid.bucket(from), 0, grid.count());
    int last = (int) Math.clamp(grid.bucket(to - 1) + 1, first, grid.count());
    if (first == 0 && last == grid.count() || first == last) {
      return this;
    }
    return new SeriesSet(
        grid.part(first, last),
        rows.stream()
            .map(
                r ->
                    r.on(
                        Arrays.copyOfRange(r.values(), first, last),
                        r.low() == null ? null : Arrays.copyOfRange(r.low(), first, last),
                        r.high() == null ? null : Arrays.copyOfRange(r.high(), first, last)))
            .toList(),
        scalar);
  }

  /** The same rows, whose values are on this grid. */
  SeriesSet on(Grid newGrid) {
    return new SeriesSet(newGrid, rows, scalar);
  }

  /** Without the series that have no value on the grid. */
  SeriesSet present() {
    return new SeriesSet(grid, rows.stream().filter(r -> !r.isMissing()).toList(), scalar);
  }

  SeriesSet map(UnaryOperator<Row> each) {
    return new SeriesSet(grid, rows.stream().map(each).toList(), scalar);
  }

  /**
   * One series on its way.
   *
   * @param name given by {@code label as}, or null
   * @param raw samples, where the set is raw; else null
   * @param values one a bucket, NaN where missing; null where the set is raw
   * @param low least raw value of each bucket; null where the values are not plain means
   * @param interval typical interval of the series' samples, ms; 0 if it is not known
   */
  public record Row(
      String metric,
      Labels labels,
      MetricKind kind,
      String unit,
      String name,
      Samples raw,
      double[] values,
      double[] low,
      double[] high,
      long interval) {

    /** A series whose samples have no typical interval. */
    Row(
        String metric,
        Labels labels,
        MetricKind kind,
        String unit,
        String name,
        Samples raw,
        double[] values,
        double[] low,
        double[] high) {
      this(metric, labels, kind, unit, name, raw, values, low, high, 0);
    }

    static Row raw(String metric, Labels labels, MetricKind kind, String unit, Samples samples) {
      return new Row(metric, labels, kind, unit, null, samples, null, null, null);
    }

    static Row of(Series series) {
      return raw(series.metric(), series.labels(), series.kind(), series.unit(), null);
    }

    /** Whether no bucket has a value. */
    boolean isMissing() {
      return Arrays.stream(values).allMatch(Double::isNaN);
    }

    Row interval(long newInterval) {
      return new Row(metric, labels, kind, unit, name, raw, values, low, high, newInterval);
    }

    Row on(double[] newValues) {
      return on(newValues, null, null);
    }

    Row on(double[] newValues, double[] newLow, double[] newHigh) {
      return new Row(metric, labels, kind, unit, name, null, newValues, newLow, newHigh, interval);
    }

    Row with(Samples samples) {
      return new Row(metric, labels, kind, unit, name, samples, null, null, null, interval);
    }

    Row unit(String newUnit) {
      return new Row(metric, labels, kind, newUnit, name, raw, values, low, high, interval);
    }

    Row kind(MetricKind newKind) {
      return new Row(metric, labels, newKind, unit, name, raw, values, low, high, interval);
    }

    Row labels(Labels newLabels) {
      return new Row(metric, newLabels, kind, unit, name, raw, values, low, high, interval);
    }

    Row name(String newName) {
      return new Row(metric, labels, kind, unit, newName, raw, values, low, high, interval);
    }

    Row metric(String newMetric) {
      return new Row(newMetric, labels, kind, unit, name, raw, values, low, high, interval);
    }
  }
}
