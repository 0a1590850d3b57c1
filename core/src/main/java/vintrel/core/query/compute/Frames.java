package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.TreeSet;
import java.util.function.IntFunction;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.frame.Tables;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Series → frames, and tables → series. */
public final class Frames {
  private Frames() {}

  /** A line's answer: its table, or its series as columns beside their times. */
  public static Frame of(Answer.LineAnswer line) {
    return of(line.name(), line.set());
  }

  /**
   * @param set a table, or series on a grid
   */
  static Frame of(String line, SeriesSet set) {
    return switch (set) {
      case SeriesSet.Table t -> t.frame().named(line);
      case SeriesSet.Gridded g -> series(line, g);
      case SeriesSet.Raw r -> throw new IllegalArgumentException("raw series have no common times");
    };
  }

  /** One time column and a number column for each series on a grid. */
  static Frame series(String line, SeriesSet.Gridded set) {
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", set.grid().times()));
    var names = LegendNames.of(line, set.rows());
    for (int i = 0; i < names.size(); i++) {
      var row = set.rows().get(i);
      columns.add(
          new Column.Number(
              names.get(i), row.unit(), row.labels(), row.values(), row.low(), row.high()));
    }
    return new Frame(line, columns);
  }

  /** The first rows of a table, or the first series with their newest value. */
  public static Frame sample(SeriesSet set, int max) {
    return switch (set) {
      case SeriesSet.Table t -> Tables.limit(t.frame(), max);
      case SeriesSet.OfSeries s -> newest(s, max);
    };
  }

  private static Frame newest(SeriesSet.OfSeries set, int max) {
    var rows = set.rows().subList(0, Math.min(max, set.rows().size()));
    var names = LegendNames.of("", rows).toArray(String[]::new);
    var values = new double[rows.size()];
    var times = new long[rows.size()];
    for (int i = 0; i < values.length; i++) {
      var s = set.samples(rows.get(i));
      values[i] = s.isEmpty() ? Double.NaN : s.values()[s.count() - 1];
      times[i] = s.isEmpty() ? Long.MIN_VALUE : s.lastTime();
    }
    var unit = rows.isEmpty() ? "" : rows.getFirst().unit();
    return new Frame(
        "",
        List.of(
            new Column.Text("series", names),
            new Column.Time("latest", times),
            Column.Number.of("value", unit, values)));
  }

  /**
   * The samples, or values on the grid, of some series in the set's order: the one that rises
   * highest, the one that falls lowest, and others spread evenly. None of a table.
   *
   * @param max two at least
   */
  public static List<Samples> pickSeries(SeriesSet set, int max) {
    if (!(set instanceof SeriesSet.OfSeries series)) {
      return List.of();
    }
    var all = set.rows();
    var chosen = new TreeSet<Integer>();
    if (all.size() > max) {
      chosen.add(extreme(series, all, true));
      chosen.add(extreme(series, all, false));
    }
    int spread = Math.min(max, all.size());
    for (int i = 0; i < spread && chosen.size() < spread; i++) {
      chosen.add((int) ((long) i * all.size() / spread));
    }
    return chosen.stream().map(i -> series.samples(all.get(i))).toList();
  }

  /** The index of the series with the overall maximum or minimum. */
  private static int extreme(SeriesSet.OfSeries set, List<Row> rows, boolean greatest) {
    int best = 0;
    double max = Double.NEGATIVE_INFINITY;
    for (int i = 0; i < rows.size(); i++) {
      var row = rows.get(i);
      boolean raw = set instanceof SeriesSet.Raw;
      var values = raw ? row.raw().values() : row.values();
      int n = raw ? row.raw().count() : values.length;
      for (int k = 0; k < n; k++) {
        double v = greatest ? values[k] : -values[k];
        if (v > max) {
          max = v;
          best = i;
        }
      }
    }
    return best;
  }

  /** All series in one table: time, the labels, the metric if there are several, the value. */
  static Frame rows(String line, SeriesSet.OfSeries set) {
    var labelNames = new TreeSet<String>();
    set.rows().forEach(r -> labelNames.addAll(r.labels().names()));
    boolean several = set.rows().stream().map(Row::metric).distinct().count() > 1;
    boolean named = set.rows().stream().anyMatch(r -> r.name() != null);
    int max = Math.toIntExact(rowsOf(set));
    var times = new long[max];
    var values = new double[max];
    var from = new int[max];
    int n = 0;
    for (int k = 0; k < set.rows().size(); k++) {
      var samples = set.samples(set.rows().get(k));
      for (int i = 0; i < samples.count(); i++) {
        times[n] = samples.times()[i];
        values[n] = samples.values()[i];
        from[n++] = k;
      }
    }
    int rows = n;
    var columns = new ArrayList<Column>();
    columns.add(new Column.Time("time", java.util.Arrays.copyOf(times, rows)));
    if (several) {
      columns.add(text("metric", rows, i -> set.rows().get(from[i]).metric()));
    }
    if (named) {
      columns.add(text("name", rows, i -> set.rows().get(from[i]).name()));
    }
    for (var name : labelNames) {
      columns.add(text(name, rows, i -> set.rows().get(from[i]).labels().get(name)));
    }
    var unit = set.rows().isEmpty() ? "" : set.rows().getFirst().unit();
    columns.add(Column.Number.of("value", unit, java.util.Arrays.copyOf(values, rows)));
    return new Frame(line, columns);
  }

  /** So many rows would {@link #rows} make, missing values among them. */
  static long rowsOf(SeriesSet.OfSeries set) {
    return set.rows().stream().mapToLong(r -> size(set, r)).sum();
  }

  private static int size(SeriesSet.OfSeries set, Row row) {
    return set instanceof SeriesSet.Gridded g ? g.grid().count() : row.raw().count();
  }

  private static Column.Text text(String name, int rows, IntFunction<String> value) {
    var out = new String[rows];
    for (int i = 0; i < rows; i++) {
      var v = value.apply(i);
      out[i] = v == null ? "" : v;
    }
    return new Column.Text(name, out);
  }

  /** Columns of records that are no labels: every record has its own. */
  private static final List<String> NO_LABELS = List.of("text", "fields");

  /**
   * A table as raw series: its first column of times, its texts as labels, each column of numbers
   * as a metric. A table without numbers counts its rows.
   *
   * @return null if it has no times
   */
  public static SeriesSet.Raw toSeries(Frame frame) {
    var time = frame.time();
    if (time == null) {
      return null;
    }
    var order =
        java.util.stream.IntStream.range(0, time.size())
            .filter(i -> time.values()[i] != Long.MIN_VALUE)
            .boxed()
            .sorted(java.util.Comparator.comparingLong(i -> time.values()[i]))
            .toList();
    var texts =
        frame.columns().stream()
            .filter(c -> c instanceof Column.Text && !NO_LABELS.contains(c.name()))
            .map(Column.Text.class::cast)
            .toList();
    var groups = new LinkedHashMap<Labels, List<Integer>>();
    for (int i : order) {
      var labels = new java.util.TreeMap<String, String>();
      texts.forEach(t -> labels.put(t.name(), t.values()[i]));
      labels.values().removeIf(String::isEmpty);
      groups.computeIfAbsent(Labels.of(labels), k -> new ArrayList<>()).add(i);
    }
    var rows = new ArrayList<Row>();
    var numbers = frame.numbers();
    groups.forEach(
        (labels, at) -> {
          var times = at.stream().mapToLong(i -> time.values()[i]).toArray();
          if (numbers.isEmpty()) {
            var ones = new double[times.length];
            java.util.Arrays.fill(ones, 1);
            rows.add(row(frame.name(), labels, "", times, ones));
          }
          for (var n : numbers) {
            var values = at.stream().mapToDouble(i -> n.values()[i]).toArray();
            rows.add(row(n.name(), labels, n.unit(), times, values));
          }
        });
    return new SeriesSet.Raw(rows);
  }

  private static Row row(String metric, Labels labels, String unit, long[] times, double[] values) {
    var samples = new Samples(times, values, times.length);
    return Row.raw(metric, labels, MetricKind.GAUGE, unit, samples).interval(samples.interval());
  }

  /**
   * One row for each set of labels, with the latest value of each line: the labels as text columns,
   * then a number column a line. A line without labels fills its column in every row.
   */
  public static Frame latest(List<Answer.LineAnswer> lines) {
    var labelNames = new TreeSet<String>();
    var rows = new LinkedHashMap<Labels, double[]>();
    for (var line : lines) {
      for (var row : line.set().rows()) {
        labelNames.addAll(row.labels().names());
        rows.computeIfAbsent(row.labels(), k -> missing(lines.size()));
      }
    }
    for (int l = 0; l < lines.size(); l++) {
      for (var row : lines.get(l).set().rows()) {
        rows.get(row.labels())[l] = last(row.values());
      }
    }
    spreadUnlabelled(rows);
    var columns = new ArrayList<Column>();
    for (var name : labelNames) {
      columns.add(
          new Column.Text(
              name,
              rows.keySet().stream()
                  .map(k -> k.get(name) == null ? "" : k.get(name))
                  .toArray(String[]::new)));
    }
    for (int l = 0; l < lines.size(); l++) {
      int at = l;
      var set = lines.get(l).set();
      var unit = set.rows().isEmpty() ? "" : set.rows().getFirst().unit();
      columns.add(
          new Column.Number(
              lines.get(l).name().isEmpty() ? "value" : lines.get(l).name(),
              unit,
              Labels.NONE,
              rows.values().stream().mapToDouble(v -> v[at]).toArray(),
              null,
              null));
    }
    return new Frame("", columns);
  }

  private static void spreadUnlabelled(LinkedHashMap<Labels, double[]> rows) {
    var all = rows.get(Labels.NONE);
    if (all == null || rows.size() == 1) {
      return;
    }
    rows.remove(Labels.NONE);
    for (var row : rows.values()) {
      for (int i = 0; i < all.length; i++) {
        row[i] = Double.isNaN(row[i]) ? all[i] : row[i];
      }
    }
  }

  private static double[] missing(int n) {
    var out = new double[n];
    java.util.Arrays.fill(out, Double.NaN);
    return out;
  }

  /** The latest value that is not missing, or NaN. */
  public static double last(double[] values) {
    for (int i = values.length - 1; i >= 0; i--) {
      if (!Double.isNaN(values[i])) {
        return values[i];
      }
    }
    return Double.NaN;
  }
}
