package vintrel.core.collect;

import java.util.Arrays;

/**
 * How often a source sends, and whether it is late now.
 *
 * <p>The interval is the median of the last gaps between arrivals: a pause or a burst does not move
 * it. Gaps far shorter than the others (several requests of one round) are ignored by joining
 * arrivals that are less than a second apart. A source is late after three of its own intervals,
 * not after a fixed time. Thread-safe.
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

  /** A source whose interval is not known yet is late after this, ms. */
  public static final long UNKNOWN_LATE_MS = 5 * 60_000;

  /** A source is late after so many intervals. */
  private static final int LATE_INTERVALS = 3;

  private final long[] gaps = new long[KEPT];
  private int count;
  private long last;

  public Pace() {
    this(0);
  }

  /**
   * @param last arrival that is known from before, ms; 0: none
   */
  public Pace(long last) {
    this.last = last;
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
    return sorted[(n - 1) / 2];
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
    return interval == 0 ? UNKNOWN_LATE_MS : Math.max(MIN_LATE_MS, LATE_INTERVALS * interval);
  }
}
