package vintrel.server.collect;

import java.util.Arrays;

/** Since when the totals of each series count, as far as that was said. Any thread. */
final class Starts {
  private volatile long[] known = new long[1024];

  /** ms, or 0 where it is not known. */
  long get(int series) {
    var now = known;
    return series < now.length ? now[series] : 0;
  }

  synchronized void put(int series, long start) {
    if (series >= known.length) {
      known = Arrays.copyOf(known, Math.max(series + 1, known.length * 2));
    }
    known[series] = start;
  }
}
