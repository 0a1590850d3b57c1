package vintrel.core.model;

/**
 * What is usual: the median of comparable values before, and a width from their median absolute
 * deviation (Hampel, "The influence curve and its role in robust estimation", 1974). With a season
 * the comparable values are those at the same phase of the seasons before, with a few neighbours;
 * without one, those just before. The value itself never takes part, so that a spike does not widen
 * its own band.
 */
public final class Band {
  /** Seasons looked back at. */
  public static final int SEASONS = 7;

  /** Buckets looked back at where there is no season. */
  public static final int TRAILING = 60;

  private static final int MIN = 5;
  private static final int CHECKED = 256;

  /** Expected value, lower and upper bound, NaN if too little came before. */
  public record Bounds(double[] expected, double[] lower, double[] upper) {}

  private Band() {}

  /**
   * @param values evenly spaced
   * @param season buckets of a season; 0: none
   * @param width how many standard deviations the band reaches to each side
   */
  public static Bounds of(double[] values, int season, double width) {
    return of(values, season, width, () -> {});
  }

  /**
   * As above.
   *
   * @param check called now and then; it may throw
   */
  public static Bounds of(double[] values, int season, double width, Runnable check) {
    int n = values.length;
    var out = new Bounds(new double[n], new double[n], new double[n]);
    int beside = season == 0 ? 0 : Math.clamp(season / 200, 1, 5);
    var some = new double[season == 0 ? TRAILING : SEASONS * (2 * beside + 1)];
    for (int i = 0; i < n; i++) {
      int count = 0;
      if (season == 0) {
        for (int k = Math.max(0, i - TRAILING); k < i; k++) {
          some[count++] = values[k];
        }
      } else {
        for (int s = 1; s <= SEASONS; s++) {
          for (int k = i - s * season - beside; k <= i - s * season + beside; k++) {
            if (k >= 0 && k < i) {
              some[count++] = values[k];
            }
          }
        }
      }
      if (i % CHECKED == 0) {
        check.run();
      }
      bounds(out, i, Robust.sorted(some, count), width);
    }
    return out;
  }

  private static void bounds(Bounds out, int i, double[] sorted, double width) {
    boolean enough = sorted.length >= MIN;
    double median = enough ? Robust.median(sorted) : Double.NaN;
    double reach = enough ? width * Robust.sigma(sorted, median) : Double.NaN;
    out.expected[i] = median;
    out.lower[i] = median - reach;
    out.upper[i] = median + reach;
  }
}
