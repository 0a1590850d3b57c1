package vintrel.core.picture;

import java.util.Arrays;
import java.util.List;

/** What is drawn in a plot of a size, px from its left and top. */
public final class PictureInk implements LimitLabels.Ink {
  /** Kept free around what is drawn, px. */
  private static final int PAD = 2;

  /**
   * What is drawn of a series.
   *
   * @param trace with its values where they lie on the axis; missing buckets that are joined are
   *     bridged
   * @param loose true: between two points it is anywhere between their values, as steps and smooth
   *     lines are
   * @param wide of the line or its points, whichever is more, px
   * @param bars from where the bars rise, at each moment or everywhere; null: no bars, a line
   */
  public record Stroke(Picture.Trace trace, Axis axis, boolean loose, double wide, double[] bars) {}

  private record Course(double[] xs, double[] ys, double[] bases, boolean loose, double pad) {}

  private final List<Course> courses;

  /**
   * Computes where all lies.
   *
   * @param from start of the plot, ms
   * @param to its end, ms
   * @param width of the plot, px
   * @param height of the plot, px
   */
  public PictureInk(List<Stroke> strokes, long from, long to, int width, int height) {
    courses = strokes.stream().map(s -> course(s, from, to, width, height)).toList();
  }

  private static Course course(Stroke s, long from, long to, int width, int height) {
    var times = s.trace.times();
    var xs = new double[times.length];
    var ys = new double[times.length];
    var bases = s.bars == null ? null : new double[times.length];
    var joined = Arrays.stream(s.trace.joined()).sorted().toArray();
    int n = 0;
    for (int i = 0; i < times.length; i++) {
      if (Double.isNaN(s.trace.values()[i]) && Arrays.binarySearch(joined, i) >= 0) {
        continue;
      }
      xs[n] = width * (double) (times[i] - from) / (to - from);
      ys[n] = y(s.trace.values()[i], s.axis, height);
      if (bases != null) {
        bases[n] = y(s.bars[s.bars.length == 1 ? 0 : i], s.axis, height);
      }
      n++;
    }
    return new Course(Arrays.copyOf(xs, n), Arrays.copyOf(ys, n), bases, s.loose, PAD + s.wide / 2);
  }

  private static double y(double value, Axis axis, int height) {
    return height * (axis.max() - value) / (axis.max() - axis.min());
  }

  @Override
  public boolean in(double left, double right, double top, double bottom) {
    return courses.stream()
        .anyMatch(
            c ->
                c.bases == null
                    ? line(c, left - c.pad, right + c.pad, top - c.pad, bottom + c.pad)
                    : bars(c, left, right, top, bottom));
  }

  private static boolean line(Course c, double left, double right, double top, double bottom) {
    for (int i = Math.max(0, first(c.xs, left) - 1); i < c.xs.length; i++) {
      if (c.xs[i] > right && (i == 0 || c.xs[i - 1] > right)) {
        return false;
      }
      if (!Double.isFinite(c.ys[i])) {
        continue;
      }
      boolean alone = i == 0 || !Double.isFinite(c.ys[i - 1]);
      if (segment(c, alone ? i : i - 1, i, left, right, top, bottom)) {
        return true;
      }
    }
    return false;
  }

  /** Whether the line from a point to a later one comes into a box. */
  private static boolean segment(
      Course c, int from, int to, double left, double right, double top, double bottom) {
    double x0 = c.xs[from];
    double x1 = c.xs[to];
    if (x1 < left || x0 > right) {
      return false;
    }
    double y0 = c.ys[from];
    double y1 = c.ys[to];
    if (!c.loose && x1 > x0) {
      double slope = (y1 - y0) / (x1 - x0);
      double last = y0 + slope * (Math.min(x1, right) - x0);
      y0 += slope * (Math.max(x0, left) - x0);
      y1 = last;
    }
    return Math.max(y0, y1) >= top && Math.min(y0, y1) <= bottom;
  }

  /** Whether a bar, each as wide as the first bucket, comes into a box. */
  private static boolean bars(Course c, double left, double right, double top, double bottom) {
    double wide = c.xs.length > 1 ? c.xs[1] - c.xs[0] : Double.POSITIVE_INFINITY;
    for (int i = first(c.xs, left - wide); i < c.xs.length && c.xs[i] <= right; i++) {
      if (Math.max(c.ys[i], c.bases[i]) >= top && Math.min(c.ys[i], c.bases[i]) <= bottom) {
        return true;
      }
    }
    return false;
  }

  /** Index of the first of the rising numbers that is at least `from`. */
  private static int first(double[] rising, double from) {
    int at = Arrays.binarySearch(rising, from);
    return at < 0 ? -at - 1 : at;
  }
}
