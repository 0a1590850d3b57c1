package vintrel.server.watch;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
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
      var out = new double[columns];
      Arrays.fill(out, Double.NaN);
      return out;
    }

    void add(int column, double v) {
      low[column] = count[column] == 0 ? v : Math.min(low[column], v);
      high[column] = count[column] == 0 ? v : Math.max(high[column], v);
      sum[column] += v;
      count[column]++;
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
              for (int i = 0; i < values.length; i++) {
                long column = (checks.at(i) - range.from()) / pitch;
                if (!Double.isNaN(values[i]) && column >= 0 && column < columns) {
                  course.add((int) column, values[i]);
                }
              }
            });
  }

  Frame frame(String unit) {
    var times = new long[columns];
    Arrays.setAll(times, i -> range.from() + i * pitch);
    List<Column> out = new ArrayList<>();
    out.add(new Column.Time("time", times));
    all.forEach(
        (labels, c) -> {
          var name = labels.isEmpty() ? "all" : labels.toString();
          out.add(new Column.Number(name, unit, labels, c.mean(), c.low, c.high));
        });
    return new Frame("", out);
  }
}
