package vintrel.core.unit;

/** Quantiles of numbers. */
public final class Quantiles {
  private Quantiles() {}

  /**
   * Linear between the two nearest ranks (definition 7 of Hyndman and Fan, 1996).
   *
   * @param sorted rising
   * @param q from 0 to 1
   * @return NaN of nothing
   */
  public static double of(double[] sorted, double q) {
    if (sorted.length == 0) {
      return Double.NaN;
    }
    double rank = q * (sorted.length - 1);
    int low = (int) rank;
    int high = Math.min(low + 1, sorted.length - 1);
    double part = rank - low;
    return part == 0 ? sorted[low] : sorted[low] * (1 - part) + sorted[high] * part;
  }
}
