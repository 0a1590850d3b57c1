package vintrel.core.query.compute;

import java.util.Arrays;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Grid;

/** How values move: changes, slopes, totals, ages, and interpolation. */
final class ChangeFunctions {
  private ChangeFunctions() {}

  /**
   * The newest value of each bucket less the one that stood at its start: the newest before it, or
   * the first in it if none before is near.
   *
   * @param all samples; some may be before the grid or after the range
   * @param window ms of a window that ends with each bucket; 0: the bucket itself
   * @param gap samples further apart (ms) are not joined
   * @param to the range's end, exclusive
   */
  static double[] change(Samples all, Grid grid, long window, long gap, long to) {
    var s = Bucketing.finite(all);
    var out = new double[grid.count()];
    for (int i = 0; i < out.length; i++) {
      long start = window == 0 ? grid.time(i) : grid.end(i) - window;
      int a = s.indexOf(start);
      int b = s.indexOf(Math.min(grid.end(i), to)) - 1;
      if (b < a) {
        out[i] = Double.NaN;
        continue;
      }
      boolean before = a > 0 && s.times()[a] - s.times()[a - 1] <= gap;
      out[i] = !before && a == b ? Double.NaN : s.values()[b] - s.values()[before ? a - 1 : a];
    }
    return out;
  }

  /**
   * The least-squares slope of the samples in each bucket or window, per {@code perMillis}.
   *
   * @param check called for each bucket; it may throw
   */
  static double[] slope(Samples s, Grid grid, long window, double perMillis, Runnable check) {
    var out = new double[grid.count()];
    for (int i = 0; i < out.length; i++) {
      check.run();
      long start = window == 0 ? grid.time(i) : grid.end(i) - window;
      out[i] = slope(s, s.indexOf(start), s.indexOf(grid.end(i))) * perMillis;
    }
    return out;
  }

  private static double slope(Samples s, int from, int to) {
    int n = 0;
    double meanTime = 0;
    double meanValue = 0;
    for (int i = from; i < to; i++) {
      if (Double.isFinite(s.values()[i])) {
        n++;
        meanTime += (s.times()[i] - s.times()[from] - meanTime) / n;
        meanValue += (s.values()[i] - meanValue) / n;
      }
    }
    double products = 0;
    double squares = 0;
    for (int i = from; i < to; i++) {
      if (Double.isFinite(s.values()[i])) {
        double t = s.times()[i] - s.times()[from] - meanTime;
        products += t * (s.values()[i] - meanValue);
        squares += t * t;
      }
    }
    return n < 2 || squares == 0 ? Double.NaN : products / squares;
  }

  /** A missing value is the one before it, unless that is older than the given ms. */
  static double[] hold(double[] values, Grid grid, long millis) {
    var out = values.clone();
    int last = -1;
    for (int i = 0; i < out.length; i++) {
      if (!Double.isNaN(values[i])) {
        last = i;
      } else if (last >= 0 && grid.time(i) - grid.end(last) < millis) {
        out[i] = values[last];
      }
    }
    return out;
  }

  /** The sum of all values so far; missing if the value is. */
  static double[] total(double[] values) {
    var out = new double[values.length];
    double sum = 0;
    for (int i = 0; i < out.length; i++) {
      sum += Double.isNaN(values[i]) ? 0 : values[i];
      out[i] = Double.isNaN(values[i]) ? Double.NaN : sum;
    }
    return out;
  }

  /**
   * A mean of the values within half the window to each side, weighed by the tricube of their
   * distance (Cleveland 1979); missing if the value is.
   *
   * @param check called for each value; it may throw
   */
  static double[] smooth(double[] values, Grid grid, long window, Runnable check) {
    int beside = (int) Math.min(Grid.MAX, window / 2 / grid.pitch());
    var weights = new double[beside + 1];
    for (int d = 0; d <= beside; d++) {
      double part = (double) d / (beside + 1);
      weights[d] = Math.pow(1 - part * part * part, 3);
    }
    var out = new double[values.length];
    Arrays.fill(out, Double.NaN);
    for (int i = 0; i < out.length; i++) {
      if (Double.isNaN(values[i])) {
        continue;
      }
      check.run();
      double sum = 0;
      double weight = 0;
      for (int k = Math.max(0, i - beside); k <= Math.min(out.length - 1, i + beside); k++) {
        if (!Double.isNaN(values[k])) {
          sum += weights[Math.abs(i - k)] * values[k];
          weight += weights[Math.abs(i - k)];
        }
      }
      out[i] = sum / weight;
    }
    return out;
  }

  /**
   * Seconds from the newest sample to each bucket's end, or to the range's end within it.
   *
   * @param oldest ms; missing if the newest sample is older
   */
  static double[] age(Samples all, Grid grid, long end, long oldest) {
    var s = Bucketing.finite(all);
    var out = new double[grid.count()];
    for (int i = 0; i < out.length; i++) {
      long at = Math.min(grid.end(i), end);
      int next = s.indexOf(at);
      boolean known = next > 0 && at - s.times()[next - 1] <= oldest;
      out[i] = known ? (at - s.times()[next - 1]) / 1000.0 : Double.NaN;
    }
    return out;
  }
}
