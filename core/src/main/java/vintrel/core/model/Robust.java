package vintrel.core.model;

import java.util.Arrays;
import vintrel.core.unit.Quantiles;

/** Medians, which half of the values may be wrong without moving far. */
final class Robust {
  /** Makes the median absolute deviation of a normal distribution its standard deviation. */
  static final double TO_SIGMA = 1.4826;

  private Robust() {}

  /** The finite ones of the first n values, sorted. */
  static double[] sorted(double[] values, int n) {
    var out = new double[n];
    int k = 0;
    for (int i = 0; i < n; i++) {
      if (Double.isFinite(values[i])) {
        out[k++] = values[i];
      }
    }
    out = Arrays.copyOf(out, k);
    Arrays.sort(out);
    return out;
  }

  static double median(double[] sorted) {
    return Quantiles.of(sorted, 0.5);
  }

  /** The standard deviation, estimated from the median absolute deviation. */
  static double sigma(double[] sorted, double median) {
    var distances = new double[sorted.length];
    for (int i = 0; i < distances.length; i++) {
      distances[i] = Math.abs(sorted[i] - median);
    }
    Arrays.sort(distances);
    return TO_SIGMA * median(distances);
  }
}
