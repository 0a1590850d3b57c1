package vintrel.core.tell;

import vintrel.core.unit.Durations;

/**
 * When a failed delivery is tried again: waits double from 5 s to at most an hour, each shortened
 * by up to a quarter at random so that many do not come at once; after a day it is given up.
 */
public final class Backoff {
  private static final long FIRST = 5 * Durations.SECOND;
  private static final long MAX_LENGTH = Durations.HOUR;
  static final long GIVE_UP = Durations.DAY;

  private Backoff() {}

  /**
   * The ms to wait after a failed attempt, or -1 if it is time to give up.
   *
   * @param attempts made so far, at least 1
   * @param age ms since the delivery was made
   * @param jitter at random from [0, 1)
   */
  public static long after(int attempts, long age, double jitter) {
    if (age >= GIVE_UP) {
      return -1;
    }
    long wait = Math.min(MAX_LENGTH, FIRST << Math.min(attempts - 1, 20));
    return Math.round(wait * (1 - 0.25 * jitter));
  }

  /** Whether an HTTP answer means that trying again is of no use. */
  public static boolean refused(int status) {
    return status >= 400 && status < 500 && status != 408 && status != 429;
  }
}
