package vintrel.core.model;

import java.util.Arrays;
import vintrel.core.unit.Quantiles;

/**
 * A straight line through values by the median of the slopes between pairs (Theil 1950, Sen 1968),
 * with the usual shape of a season on top where at least two seasons are there.
 */
public final class Trend {
  /** Pairs are thinned so that no more values than this take part. */
  private static final int MAX = 300;

  private final double slope;
  private final double level;
  private final double[] shape;
  private final double low;
  private final double high;

  private Trend(double slope, double level, double[] shape, double low, double high) {
    this.slope = slope;
    this.level = level;
    this.shape = shape;
    this.low = low;
    this.high = high;
  }

  /**
   * The trend of evenly spaced values, or null if fewer than five are there.
   *
   * @param season buckets of a season; 0: none
   */
  public static Trend of(double[] values, int season) {
    int n = 0;
    var at = new double[values.length];
    for (int i = 0; i < values.length; i++) {
      if (Double.isFinite(values[i])) {
        at[n++] = i;
      }
    }
    if (n < 5) {
      return null;
    }
    double slope = slope(values, Arrays.copyOf(at, n));
    var rest = new double[values.length];
    for (int i = 0; i < rest.length; i++) {
      rest[i] = values[i] - slope * i;
    }
    double level = Robust.median(Robust.sorted(rest, rest.length));
    var shape = season > 1 && values.length >= 2 * season ? shape(rest, level, season) : null;
    for (int i = 0; i < rest.length; i++) {
      rest[i] -= level + (shape == null ? 0 : shape[i % season]);
    }
    var sorted = Robust.sorted(rest, rest.length);
    return new Trend(slope, level, shape, Quantiles.of(sorted, 0.1), Quantiles.of(sorted, 0.9));
  }

  private static double slope(double[] values, double[] at) {
    int stride = Math.max(1, at.length / MAX);
    var slopes = new double[(at.length / stride + 1) * (at.length / stride + 2) / 2];
    int n = 0;
    for (int a = 0; a < at.length; a += stride) {
      for (int b = a + stride; b < at.length; b += stride) {
        slopes[n++] = (values[(int) at[b]] - values[(int) at[a]]) / (at[b] - at[a]);
      }
    }
    return Robust.median(Robust.sorted(slopes, n));
  }

  private static double[] shape(double[] rest, double level, int season) {
    var out = new double[season];
    var some = new double[rest.length / season + 1];
    for (int p = 0; p < season; p++) {
      int n = 0;
      for (int i = p; i < rest.length; i += season) {
        some[n++] = rest[i] - level;
      }
      double m = Robust.median(Robust.sorted(some, n));
      out[p] = Double.isNaN(m) ? 0 : m;
    }
    return out;
  }

  /** Change from one value to the next. */
  public double slope() {
    return slope;
  }

  /** The value that is expected at a place; 0 is that of the first value. */
  public double at(int i) {
    return level + slope * i + (shape == null ? 0 : shape[i % shape.length]);
  }

  /** Where the tenth of the values that lay lowest would end. */
  public double low(int i) {
    return at(i) + low;
  }

  /** Where the tenth of the values that lay highest would begin. */
  public double high(int i) {
    return at(i) + high;
  }
}
