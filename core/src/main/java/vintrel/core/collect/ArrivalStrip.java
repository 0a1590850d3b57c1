package vintrel.core.collect;

import java.util.Arrays;

/**
 * A source's arrivals over time as columns of a small picture.
 *
 * <p>The height of a column is its share of a scale, which is 1.6 times the median of all columns
 * that have something, or their maximum if that is less: so a usual column is about two thirds
 * high, and neither a load nor catching up flattens the rest. A column is a gap if nothing arrived
 * in it though the source had sent before and its interval fits into a column. The first column
 * after a gap is catching up if it has at least 1.8 times the median. Pure; any thread.
 *
 * @param heights per column, 0 to 100; 0 where nothing arrived
 * @param gaps whether each column is a gap
 * @param caughtUp whether each column is catching up
 */
public record ArrivalStrip(int[] heights, boolean[] gaps, boolean[] caughtUp) {
  private static final double CATCHING_UP = 1.8;
  private static final double SCALE = 1.6;
  private static final int FULL = 100;
  private static final int LEAST_SHOWN = 6;

  /**
   * @param amounts per column, NaN or 0 where nothing arrived
   * @param whole columns from the first one on that are over; later ones are no gaps yet
   * @param columnMs width of a column
   * @param intervalMs how often the source sends; 0 if that is not known
   */
  public static ArrivalStrip of(double[] amounts, int whole, long columnMs, long intervalMs) {
    int n = amounts.length;
    var some = Arrays.stream(amounts).filter(v -> v > 0).sorted().toArray();
    var heights = new int[n];
    var gaps = new boolean[n];
    var caughtUp = new boolean[n];
    if (some.length == 0) {
      return new ArrivalStrip(heights, gaps, caughtUp);
    }
    double median = some[(some.length - 1) / 2];
    double scale = Math.min(some[some.length - 1], SCALE * median);
    // Two intervals fit into a column, so that one of them always is.
    boolean expected = intervalMs > 0 && 2 * intervalMs <= columnMs;
    boolean before = false;
    for (int i = 0; i < n; i++) {
      boolean arrived = amounts[i] > 0;
      if (arrived) {
        heights[i] = (int) Math.clamp(Math.round(FULL * amounts[i] / scale), LEAST_SHOWN, FULL);
        caughtUp[i] = i > 0 && gaps[i - 1] && median > 0 && amounts[i] >= CATCHING_UP * median;
      }
      gaps[i] = !arrived && before && expected && i < whole;
      before |= arrived;
    }
    return new ArrivalStrip(heights, gaps, caughtUp);
  }
}
