package vintrel.core.model;

import java.util.Arrays;

/**
 * Unusual values by the modified z-score: more than a given number of robust standard deviations
 * from the median (Iglewicz and Hoaglin, "How to Detect and Handle Outliers", 1993, who take 3.5).
 */
public final class Outliers {
  public static final double LIMIT = 3.5;

  /** So many series at least make a crowd to stand out from. */
  public static final int CROWD = 4;

  /** Neighbours on each side that make a crowd if there are too few series. */
  public static final int BESIDE = 10;

  private Outliers() {}

  /**
   * Keeps what stands out: from the other series at a time when at least {@link #CROWD} have a
   * value, else from the series' own neighbouring values.
   *
   * @param series of equal length
   * @return the same shape, NaN if a value is not unusual
   */
  public static double[][] of(double[][] series, double limit) {
    return of(series, limit, () -> {});
  }

  /**
   * As above.
   *
   * @param check called for each time; it may throw
   */
  public static double[][] of(double[][] series, double limit, Runnable check) {
    int n = series.length == 0 ? 0 : series[0].length;
    var out = new double[series.length][n];
    var some = new double[series.length];
    for (var row : out) {
      Arrays.fill(row, Double.NaN);
    }
    for (int i = 0; i < n; i++) {
      check.run();
      for (int s = 0; s < series.length; s++) {
        some[s] = series[s][i];
      }
      var crowd = Robust.sorted(some, series.length);
      for (int s = 0; s < series.length; s++) {
        keep(out[s], i, series[s][i], crowd.length >= CROWD ? crowd : near(series[s], i), limit);
      }
    }
    return out;
  }

  private static double[] near(double[] values, int i) {
    int a = Math.max(0, i - BESIDE);
    int b = Math.min(values.length, i + BESIDE + 1);
    return Robust.sorted(Arrays.copyOfRange(values, a, b), b - a);
  }

  private static void keep(double[] out, int i, double value, double[] sorted, double limit) {
    if (sorted.length < CROWD || !Double.isFinite(value)) {
      return;
    }
    double median = Robust.median(sorted);
    double sigma = Robust.sigma(sorted, median);
    // Where more than half are equal, anything else is unusual if it differs by more than noise.
    double reach = sigma > 0 ? limit * sigma : Math.abs(median) * 1e-6;
    if (Math.abs(value - median) > reach) {
      out[i] = value;
    }
  }
}
