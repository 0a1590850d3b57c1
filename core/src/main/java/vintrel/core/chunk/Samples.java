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

  /** The index of the first sample at or after a time; count if there is none. */
  public int indexOf(long time) {
    int i = Arrays.binarySearch(times, 0, count, time);
    // Records of events may share their time.
    while (i > 0 && times[i - 1] == time) {
      i--;
    }
    return i >= 0 ? i : -i - 1;
  }

  /** The median interval between neighbouring samples, ms; 0 if there are fewer than two. */
  public long interval() {
    return medianInterval(times, 0, count);
  }

  /** The lower median of the intervals between times[from] … times[to - 1], ms; 0 if none. */
  public static long medianInterval(long[] times, int from, int to) {
    if (to - from < 2) {
      return 0;
    }
    var intervals = new long[to - from - 1];
    for (int i = 0; i < intervals.length; i++) {
      intervals[i] = times[from + i + 1] - times[from + i];
    }
    Arrays.sort(intervals);
    return intervals[(intervals.length - 1) / 2];
  }

  /** With a sample, or none, that comes before all of these. */
  public Samples after(Samples earlier) {
    if (earlier.isEmpty()) {
      return this;
    }
    var t = new long[earlier.count + count];
    var v = new double[t.length];
    System.arraycopy(earlier.times, 0, t, 0, earlier.count);
    System.arraycopy(earlier.values, 0, v, 0, earlier.count);
    System.arraycopy(times, 0, t, earlier.count, count);
    System.arraycopy(values, 0, v, earlier.count, count);
    return of(t, v);
  }

  /** The last sample whose value is finite, alone; empty if there is none. */
  public Samples lastFinite() {
    int i = count - 1;
    while (i >= 0 && !Double.isFinite(values[i])) {
      i--;
    }
    return i < 0 ? EMPTY : of(new long[] {times[i]}, new double[] {values[i]});
  }

  /** The samples within [from, to), copied only if that cuts something off. */
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
