package vintrel.core.chunk;

import java.util.Arrays;

/**
 * Samples of one series: parallel arrays of times (ms since the epoch, strictly rising) and values,
 * of which the first {@code count} entries hold. Not copied; treat as read-only.
 */
public record Samples(long[] times, double[] values, int count) {
  public static final Samples EMPTY = new Samples(new long[0], new double[0], 0);

  public static Samples of(long[] times, double[] values) {
    return new Samples(times, values, times.length);
  }

  public boolean isEmpty() {
    return count == 0;
  }

  public long firstTime() {
    return times[0];
  }

  public long lastTime() {
    return times[count - 1];
  }

  /** The index of the first sample at or after a time; count where there is none. */
  public int indexOf(long time) {
    int i = Arrays.binarySearch(times, 0, count, time);
    // Records of events may share their time.
    while (i > 0 && times[i - 1] == time) {
      i--;
    }
    return i >= 0 ? i : -i - 1;
  }

  /**
   * The usual distance between neighbouring samples, ms: the larger of the medians over the first
   * and the last of them, so that a series whose pace changed is judged by its slower part. 0 where
   * there are fewer than two samples.
   */
  public long interval() {
    int most = 32;
    return Math.max(median(1, Math.min(count, most)), median(Math.max(1, count - most), count));
  }

  private long median(int from, int to) {
    if (to <= from) {
      return 0;
    }
    var distances = new long[to - from];
    for (int i = from; i < to; i++) {
      distances[i - from] = times[i] - times[i - 1];
    }
    Arrays.sort(distances);
    return distances[distances.length / 2];
  }

  /** The samples within [from, to), copied only where that cuts something off. */
  public Samples slice(long from, long to) {
    int a = indexOf(from);
    int b = indexOf(to);
    if (a == 0 && b == count) {
      return this;
    }
    return a >= b
        ? EMPTY
        : new Samples(Arrays.copyOfRange(times, a, b), Arrays.copyOfRange(values, a, b), b - a);
  }
}
