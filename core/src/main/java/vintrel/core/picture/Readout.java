package vintrel.core.picture;

import java.util.Arrays;
import vintrel.core.unit.Quantiles;

/**
 * The numbers that stand beside a series' name; NaN if there is no value at all.
 *
 * @param p95 95 of 100 values are at most this
 * @param whole whether all values are whole numbers
 */
public record Readout(
    double last,
    double min,
    double max,
    double mean,
    double sum,
    long count,
    double p95,
    boolean whole) {

  /** Min and max are taken from the envelope if there is one, so that no spike is hidden. */
  public static Readout of(double[] values, double[] low, double[] high) {
    double min = Double.NaN;
    double max = Double.NaN;
    double sum = 0;
    int n = 0;
    boolean whole = true;
    for (int i = 0; i < values.length; i++) {
      if (Double.isNaN(values[i])) {
        continue;
      }
      double l = low == null ? values[i] : low[i];
      double h = high == null ? values[i] : high[i];
      min = n == 0 ? l : Math.min(min, l);
      max = n == 0 ? h : Math.max(max, h);
      sum += values[i];
      whole &= values[i] == Math.rint(values[i]);
      n++;
    }
    boolean any = n > 0;
    return new Readout(
        last(values),
        min,
        max,
        any ? sum / n : Double.NaN,
        any ? sum : Double.NaN,
        n,
        p95(values),
        whole);
  }

  /** 95 of 100 of the values that are not missing are at most this; NaN if there are none. */
  public static double p95(double[] values) {
    return Quantiles.of(
        Arrays.stream(values).filter(v -> !Double.isNaN(v)).sorted().toArray(), 0.95);
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
