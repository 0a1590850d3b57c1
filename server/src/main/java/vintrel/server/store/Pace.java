package vintrel.server.store;

import java.util.function.LongSupplier;

/**
 * Spreads a flush over the time until the next one is due, so that requests meanwhile wait less for
 * a processor. Nobody waits for a flush but whoever says so. One thread works; any may hurry it.
 */
final class Pace {
  /** A rest is at most so many times as long as the work before it. */
  private static final double MAX_REST = 3;

  /** Share of the time until the next flush in which all shall be done. */
  private static final double SHARE = 0.8;

  private static final double MILLI = 1e6;

  private final LongSupplier journal;
  private final long window;
  private final LongSupplier nanos;
  private long before;
  private long since;
  private int waiting;
  private boolean urged;

  /**
   * @param journal its bytes, which say how the time until the next flush goes by
   * @param window bytes after which the next flush is due
   */
  Pace(LongSupplier journal, long window) {
    this(journal, window, System::nanoTime);
  }

  Pace(LongSupplier journal, long window, LongSupplier nanos) {
    this.journal = journal;
    this.window = window;
    this.nanos = nanos;
  }

  void begin() {
    before = journal.getAsLong();
    since = nanos.getAsLong();
  }

  /**
   * Rests if there is time.
   *
   * @param done share of the work that is behind, 0 to 1
   */
  void rest(double done) {
    await(due(done));
    since = nanos.getAsLong();
  }

  /** How long the rest may be, ms. */
  long due(double done) {
    boolean early = journal.getAsLong() - before < SHARE * done * window;
    return early ? (long) ((nanos.getAsLong() - since) / MILLI * MAX_REST) : 0;
  }

  private synchronized void await(long millis) {
    long until = System.nanoTime() + (long) (millis * MILLI);
    try {
      for (long left = millis; left > 0 && waiting == 0; ) {
        wait(left);
        left = (long) ((until - System.nanoTime()) / MILLI);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Somebody waits for the end: no more rests until {@link #leisure}. */
  synchronized void hurry() {
    waiting++;
    notifyAll();
  }

  synchronized void leisure() {
    waiting--;
  }

  /** Whether there is a need for the end, until the contrary is said. */
  synchronized void urge(boolean now) {
    if (now != urged) {
      urged = now;
      if (now) {
        hurry();
      } else {
        leisure();
      }
    }
  }
}
