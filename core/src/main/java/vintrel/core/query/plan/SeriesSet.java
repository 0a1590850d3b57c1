package vintrel.core.query.plan;

import java.util.Arrays;
import java.util.List;
import java.util.function.UnaryOperator;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Frame;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.unit.Counts;

/** What one step passes to the next: raw series, series on a grid, or a table. Immutable. */
public sealed interface SeriesSet {
  /** The series; none of a table. */
  List<Row> rows();

  /** The shape in words: 6 series × 240 points, 6 series, 90 samples, or table 15 × 2. */
  String shape();

  /** Series, raw or on a grid. */
  sealed interface OfSeries extends SeriesSet {
    /** The same set with each series changed; they stay raw or on the same grid. */
    OfSeries map(UnaryOperator<Row> each);

    /** The samples of one of its series: raw, or a bucket's value at its start. */
    Samples samples(Row row);
  }

  /** Series as their samples arrived. Every row has {@code raw}. */
  record Raw(List<Row> rows) implements OfSeries {
    @Override
    public String shape() {
      long n = rows.stream().mapToLong(r -> present(r.raw())).sum();
      return rows.size() + " series, " + Counts.of(n, "sample");
    }

    /** Samples that a step has left. */
    private static long present(Samples s) {
      return Arrays.stream(s.values(), 0, s.count()).filter(v -> !Double.isNaN(v)).count();
    }

    @Override
    public Raw map(UnaryOperator<Row> each) {
      return new Raw(rows.stream().map(each).toList());
    }

    @Override
    public Samples samples(Row row) {
      return row.raw();
    }
  }

  /**
   * Series with one value per bucket. Every row has {@code values}, as many as the grid has
   * buckets.
   *
   * @param scalar a plain number, which pairs with everything
   */
  record Gridded(Grid grid, List<Row> rows, boolean scalar) implements OfSeries {
    public Gridded(Grid grid, List<Row> rows) {
      this(grid, rows, false);
    }

    @Override
    public String shape() {
      return scalar ? "a number" : rows.size() + " series × " + Counts.of(grid.count(), "point");
    }

    @Override
    public Gridded map(UnaryOperator<Row> each) {
      return new Gridded(grid, rows.stream().map(each).toList(), scalar);
    }

    @Override
    public Samples samples(Row row) {
      var times = new long[grid.count()];
      var values = new double[times.length];
      int n = 0;
      for (int i = 0; i < times.length; i++) {
        if (!Double.isNaN(row.values()[i])) {
          times[n] = grid.time(i);
          values[n++] = row.values()[i];
        }
      }
      return new Samples(times, values, n);
    }

    /** The buckets that touch [from, to) alone. */
    public Gridded crop(long from, long to) {
      int first = (int) Math.clamp(grid.bucket(from), 0, grid.count());
      int last = (int) Math.clamp(grid.bucket(to - 1) + 1, first, grid.count());
      if (first == 0 && last == grid.count() || first == last) {
        return this;
      }
      return new Gridded(
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
    public Gridded on(Grid newGrid) {
      return new Gridded(newGrid, rows, scalar);
    }

    /** Without the series that have no value on the grid. */
    public Gridded present() {
      return new Gridded(grid, rows.stream().filter(r -> !r.isMissing()).toList(), scalar);
    }
  }

  /** A table; it has no series. */
  record Table(Frame frame) implements SeriesSet {
    @Override
    public List<Row> rows() {
      return List.of();
    }

    @Override
    public String shape() {
      return "table " + frame.rows() + " × " + frame.columns().size();
    }
  }

  /**
   * One series.
   *
   * @param name given by {@code label as}, or null
   * @param raw samples, if the set is raw; else null
   * @param values one a bucket, NaN if missing; null if the set is raw
   * @param low minimum raw value of each bucket; null if the values are not plain means
   * @param interval typical interval of the series' samples, ms; 0 if it is not known
   * @param origin the series whose samples, at their own times, it was made of; null if it was made
   *     of several, or of none
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
      long interval,
      Series origin) {

    /** A series whose samples have no typical interval. */
    public Row(
        String metric,
        Labels labels,
        MetricKind kind,
        String unit,
        String name,
        Samples raw,
        double[] values,
        double[] low,
        double[] high) {
      this(metric, labels, kind, unit, name, raw, values, low, high, 0, null);
    }

    public static Row raw(
        String metric, Labels labels, MetricKind kind, String unit, Samples samples) {
      return new Row(metric, labels, kind, unit, null, samples, null, null, null);
    }

    public static Row of(Series series) {
      return raw(series.metric(), series.labels(), series.kind(), series.unit(), null)
          .origin(series);
    }

    /** Whether no bucket has a value. */
    public boolean isMissing() {
      return Arrays.stream(values).allMatch(Double::isNaN);
    }

    public Row interval(long newInterval) {
      return new Row(metric, labels, kind, unit, name, raw, values, low, high, newInterval, origin);
    }

    public Row origin(Series newOrigin) {
      return new Row(metric, labels, kind, unit, name, raw, values, low, high, interval, newOrigin);
    }

    public Row on(double[] newValues) {
      return on(newValues, null, null);
    }

    public Row on(double[] newValues, double[] newLow, double[] newHigh) {
      return new Row(
          metric, labels, kind, unit, name, null, newValues, newLow, newHigh, interval, origin);
    }

    public Row with(Samples samples) {
      return new Row(metric, labels, kind, unit, name, samples, null, null, null, interval, origin);
    }

    public Row unit(String newUnit) {
      return new Row(metric, labels, kind, newUnit, name, raw, values, low, high, interval, origin);
    }

    public Row kind(MetricKind newKind) {
      return new Row(metric, labels, newKind, unit, name, raw, values, low, high, interval, origin);
    }

    public Row labels(Labels newLabels) {
      return new Row(metric, newLabels, kind, unit, name, raw, values, low, high, interval, origin);
    }

    public Row name(String newName) {
      return new Row(metric, labels, kind, unit, newName, raw, values, low, high, interval, origin);
    }

    public Row metric(String newMetric) {
      return new Row(newMetric, labels, kind, unit, name, raw, values, low, high, interval, origin);
    }
  }
}
