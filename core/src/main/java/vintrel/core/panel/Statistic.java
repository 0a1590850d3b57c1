package vintrel.core.panel;

import java.util.Arrays;

/** A number that stands for all values of a series; NaN if there are none. */
public enum Statistic {
  LAST,
  MIN,
  MAX,
  MEAN,
  SUM,
  COUNT,
  P95;

  /**
   * @param low minima behind the values, or null
   * @param high maxima behind them, or null
   */
  public double of(double[] values, double[] low, double[] high) {
    var there = Arrays.stream(values).filter(v -> !Double.isNaN(v));
    return switch (this) {
      case LAST -> vintrel.core.picture.Readout.last(values);
      case MIN -> least(low == null ? values : low);
      case MAX ->
          Arrays.stream(high == null ? values : high)
              .filter(v -> !Double.isNaN(v))
              .max()
              .orElse(Double.NaN);
      case MEAN -> there.average().orElse(Double.NaN);
      case SUM -> sum(there.toArray());
      case COUNT -> there.count();
      case P95 -> vintrel.core.picture.Readout.p95(values);
    };
  }

  private static double least(double[] values) {
    return Arrays.stream(values).filter(v -> !Double.isNaN(v)).min().orElse(Double.NaN);
  }

  private static double sum(double[] values) {
    return values.length == 0 ? Double.NaN : Arrays.stream(values).sum();
  }

  String word() {
    return name().toLowerCase(java.util.Locale.ROOT);
  }
}
