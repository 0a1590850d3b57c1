package vintrel.server.watch;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.DoubleStream;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.CheckReader;
import vintrel.core.series.Labels;
import vintrel.core.unit.TimeText;

/**
 * What checks found, in columns of a picture: the least, the greatest and the mean of each. So a
 * chart shows what passed a limit, however narrow. One thread.
 */
final class CheckCourses {
  private static final Labels OTHERS = Labels.of("others", "all");

  /** Bytes of a column of a series: least, greatest, sum and count. */
  static final int COLUMN = 28;

  private final TimeText.Range range;
  private final long pitch;
  private final int columns;
  private final Map<Labels, Course> all = new TreeMap<>();

  /**
   * @param every ms between two checks
   * @param wanted about how many columns
   */
  CheckCourses(TimeText.Range range, long every, int wanted) {
    this.range = range;
    long each = Math.ceilDiv(range.millis(), Math.max(1, wanted));
    this.pitch = Math.ceilDiv(each, every) * every;
    this.columns = (int) Math.ceilDiv(range.millis(), pitch);
  }

  private final class Course {
    final double[] low = none();
    final double[] high = none();
    final double[] sum = new double[columns];
    final int[] count = new int[columns];

    private double[] none() {
      return CheckCourses.none(columns);
    }

    /** Adds values of one column: from one, inclusive, to another, exclusive. */
    void add(int column, double[] values, int from, int to) {
      double least = Double.POSITIVE_INFINITY;
      double greatest = Double.NEGATIVE_INFINITY;
      double all = 0;
      int some = 0;
      for (int i = from; i < to; i++) {
        double v = values[i];
        if (!Double.isNaN(v)) {
          least = Math.min(least, v);
          greatest = Math.max(greatest, v);
          all += v;
          some++;
        }
      }
      if (some > 0) {
        low[column] = count[column] == 0 ? least : Math.min(low[column], least);
        high[column] = count[column] == 0 ? greatest : Math.max(high[column], greatest);
        sum[column] += all;
        count[column] += some;
      }
    }

    void join(Course other) {
      for (int i = 0; i < columns; i++) {
        if (other.count[i] > 0) {
          low[i] = count[i] == 0 ? other.low[i] : Math.min(low[i], other.low[i]);
          high[i] = count[i] == 0 ? other.high[i] : Math.max(high[i], other.high[i]);
          sum[i] += other.sum[i];
          count[i] += other.count[i];
        }
      }
    }

    double[] mean() {
      var out = none();
      for (int i = 0; i < columns; i++) {
        out[i] = count[i] == 0 ? Double.NaN : sum[i] / count[i];
      }
      return out;
    }
  }

  void add(CheckReader.Checks checks) {
    checks
        .values()
        .forEach(
            (labels, values) -> {
              var course = all.computeIfAbsent(labels, l -> new Course());
              for (int i = 0; i < values.length; ) {
                long column = Math.floorDiv(checks.at(i) - range.from(), pitch);
                int end = firstAt(checks, range.from() + (column + 1) * pitch);
                if (column >= 0 && column < columns) {
                  course.add((int) column, values, i, end);
                }
                i = end;
              }
            });
  }

  /** The first check at or after a time; their count if there is none. */
  private static int firstAt(CheckReader.Checks checks, long time) {
    return (int) Math.clamp(Math.ceilDiv(time - checks.first(), checks.step()), 0, checks.count());
  }

  static double[] none(int count) {
    var out = new double[count];
    Arrays.fill(out, Double.NaN);
    return out;
  }

  /** The least and greatest of all checks; both NaN where there are none. */
  double[] ends() {
    double low = Double.NaN;
    double high = Double.NaN;
    for (var c : all.values()) {
      for (int i = 0; i < columns; i++) {
        if (c.count[i] > 0) {
          low = Double.isNaN(low) ? c.low[i] : Math.min(low, c.low[i]);
          high = Double.isNaN(high) ? c.high[i] : Math.max(high, c.high[i]);
        }
      }
    }
    return new double[] {low, high};
  }

  /** How many values there are. */
  long count() {
    long out = 0;
    for (var c : all.values()) {
      for (int n : c.count) {
        out += n;
      }
    }
    return out;
  }

  /** The least and greatest values of all columns of all series, ascending. */
  double[] sorted() {
    return all.values().stream()
        .flatMapToDouble(c -> DoubleStream.concat(Arrays.stream(c.low), Arrays.stream(c.high)))
        .filter(Double::isFinite)
        .sorted()
        .toArray();
  }

  /** About what they take, bytes. */
  long bytes() {
    return (long) all.size() * columns * COLUMN;
  }

  /** The labels of all series. */
  List<Labels> series() {
    return List.copyOf(all.keySet());
  }

  /** What is drawn of a series where a column has several checks. */
  enum Toward {
    UP,
    DOWN,
    BOTH
  }

  /**
   * The course of some series as lines, and of all others as one column.
   *
   * @param shown those that have lines
   */
  Frame frame(String unit, Collection<Labels> shown, Toward toward) {
    var times = new long[columns];
    Arrays.setAll(times, i -> range.from() + i * pitch);
    List<Column> out = new ArrayList<>();
    out.add(new Column.Time("time", times));
    var rest = new Course();
    int others = 0;
    for (var e : all.entrySet()) {
      if (shown.contains(e.getKey())) {
        out.add(line(e.getKey(), e.getValue(), unit, toward));
      } else {
        rest.join(e.getValue());
        others++;
      }
    }
    if (others > 0) {
      var name = others + " other" + (others == 1 ? "" : "s");
      out.add(1, new Column.Number(name, unit, OTHERS, rest.mean(), rest.low, rest.high));
    }
    return new Frame("", out);
  }

  private static Column line(Labels labels, Course c, String unit, Toward toward) {
    var name = labels.isEmpty() ? "all" : labels.toString();
    return switch (toward) {
      case UP -> new Column.Number(name, unit, labels, c.high, null, null);
      case DOWN -> new Column.Number(name, unit, labels, c.low, null, null);
      case BOTH -> new Column.Number(name, unit, labels, c.mean(), c.low, c.high);
    };
  }
}
