package vintrel.core.picture;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import vintrel.core.chunk.Samples;

/**
 * A drawing as large as a word: a few series over a range, each as the least and greatest value of
 * as many even parts as there are columns, so that a spike of one sample is seen. All series share
 * one scale, from their least value at 0 to their greatest at {@link #TALL}.
 *
 * @param columns across the range
 * @param series one for each that has a sample in the range
 */
public record Glimpse(int columns, List<Strand> series) {
  /** The height of the scale. */
  public static final int TALL = 100;

  /** A column without samples. */
  public static final int NONE = -1;

  /** Column by column; {@link #NONE} in both if there is no sample. */
  public record Strand(int[] low, int[] high) {}

  /**
   * Columns are half as wide again as the samples of the densest series lie apart, so that none of
   * it is empty but for a gap.
   *
   * @param from left edge, ms, inclusive
   * @param to right edge, exclusive
   * @param most columns
   */
  public static Glimpse of(List<Samples> series, long from, long to, int max) {
    int densest = 0;
    for (var s : series) {
      densest = Math.max(densest, s.indexOf(to) - s.indexOf(from));
    }
    return drawn(series, from, to, Math.clamp(densest * 2L / 3, 1, max));
  }

  private static Glimpse drawn(List<Samples> series, long from, long to, int columns) {
    var lows = new ArrayList<double[]>();
    var highs = new ArrayList<double[]>();
    double min = Double.POSITIVE_INFINITY;
    double greatest = Double.NEGATIVE_INFINITY;
    for (var s : series) {
      var low = filled(columns, Double.POSITIVE_INFINITY);
      var high = filled(columns, Double.NEGATIVE_INFINITY);
      for (int i = s.indexOf(from); i < s.count() && s.times()[i] < to; i++) {
        double v = s.values()[i];
        if (Double.isFinite(v)) {
          int at = (int) ((s.times()[i] - from) * (double) columns / (to - from));
          low[at] = Math.min(low[at], v);
          high[at] = Math.max(high[at], v);
          min = Math.min(min, v);
          greatest = Math.max(greatest, v);
        }
      }
      lows.add(low);
      highs.add(high);
    }
    var out = new ArrayList<Strand>();
    for (int k = 0; k < lows.size(); k++) {
      var strand =
          new Strand(scaled(lows.get(k), min, greatest), scaled(highs.get(k), min, greatest));
      if (Arrays.stream(strand.low()).anyMatch(v -> v != NONE)) {
        out.add(strand);
      }
    }
    return new Glimpse(columns, out);
  }

  private static double[] filled(int n, double value) {
    var out = new double[n];
    Arrays.fill(out, value);
    return out;
  }

  /** What does not move at all lies in the middle. */
  private static int[] scaled(double[] values, double min, double greatest) {
    double span = greatest / TALL - min / TALL;
    return Arrays.stream(values)
        .mapToInt(
            v ->
                Double.isInfinite(v)
                    ? NONE
                    : span > 0 ? (int) Math.round((v / TALL - min / TALL) / span * TALL) : TALL / 2)
        .toArray();
  }
}
