package vintrel.core.collect;

import java.util.Arrays;

/**
 * How often a source sends, and whether it is late now.
 *
 * <p>The interval is the median of the last gaps between arrivals: a pause or a burst does not move
 * it. Gaps far shorter than the others (several requests of one round) are ignored by joining
 * arrivals that are less than a second apart; and where two long gaps of about the same length are
 * most of the time, as with a job that sends a few requests each night, these are the interval. A
 * source is late after three of its own intervals, not after a fixed time. Thread-safe.
 */
public final class Pace {
  /** State of a source. */
  public enum State {
    /** Nothing has arrived yet. */
    WAITING,
    /** Arrives as usual. */
    OK,
    /** Silent for more than three intervals. */
    LATE
  }

  /** Gaps that are kept. */
  private static final int KEPT = 32;

  private static final long JOINED_MS = 1_000;

  /** No source is late earlier than this, ms. */
  public static final long MIN_LATE_MS = 30_000;

  /** A source that was known before, but not its interval, is late after this, ms. */
  public static final long UNKNOWN_LATE_MS = 5 * 60_000;

  /** A source that has sent once may be a daily job: it is late after this, ms. */
  public static final long FIRST_LATE_MS = 25 * 3_600_000L;

  /** Long gaps are the interval if they are so much of the time. */
  private static final double MOSTLY = 0.8;

  /** A source is late after so many intervals. */
  private static final int LATE_INTERVALS = 3;

  private final long[] gaps = new long[KEPT];
  private int count;
  private long last;
  private final boolean restored;

  public Pace() {
    this(0, 0);
  }

  /**
   * @param last arrival that is known from before, ms; 0: none
   * @param interval that is known from before, ms; 0: none
   */
  public Pace(long last, long interval) {
    this.last = last;
    this.restored = last > 0;
    if (interval > 0) {
      gaps[count++] = interval;
    }
  }

  /** Something has arrived; times rise but for clock changes. */
  public synchronized void arrived(long at) {
    if (last > 0 && at - last >= JOINED_MS) {
      gaps[count++ % KEPT] = at - last;
    }
    if (last == 0 || at < last || at - last >= JOINED_MS) {
      last = at;
    }
  }

  /** The latest arrival, ms, to a second; 0 if there was none. */
  public synchronized long last() {
    return last;
  }

  /** The typical interval, ms; 0 while fewer than two arrivals are known. */
  public synchronized long interval() {
    int n = Math.min(count, KEPT);
    if (n == 0) {
      return 0;
    }
    var sorted = Arrays.copyOf(gaps, n);
    Arrays.sort(sorted);
    long median = sorted[(n - 1) / 2];
    int from = n - 1;
    long sum = sorted[from];
    while (from > 0 && 2 * sorted[from - 1] > sorted[n - 1]) {
      sum += sorted[--from];
    }
    boolean rounds = n - from >= 2 && sum >= MOSTLY * Arrays.stream(sorted).sum();
    return rounds ? Math.max(median, sorted[(from + n - 1) / 2]) : median;
  }

  public synchronized State state(long now) {
    if (last == 0) {
      return State.WAITING;
    }
    return now - last > lateAfter() ? State.LATE : State.OK;
  }

  /** After this silence the source is late, ms. */
  public synchronized long lateAfter() {
    long interval = interval();
    if (interval == 0) {
      return restored ? UNKNOWN_LATE_MS : FIRST_LATE_MS;
    }
    return Math.max(MIN_LATE_MS, LATE_INTERVALS * interval);
  }
}
