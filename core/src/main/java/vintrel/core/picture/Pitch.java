package vintrel.core.picture;

import vintrel.core.unit.Durations;

/** Bucket widths that people can read off a clock. */
public final class Pitch {
  private static final long[] NICE = {
    Durations.SECOND,
    2 * Durations.SECOND,
    5 * Durations.SECOND,
    10 * Durations.SECOND,
    15 * Durations.SECOND,
    30 * Durations.SECOND,
    Durations.MINUTE,
    2 * Durations.MINUTE,
    5 * Durations.MINUTE,
    10 * Durations.MINUTE,
    15 * Durations.MINUTE,
    30 * Durations.MINUTE,
    Durations.HOUR,
    2 * Durations.HOUR,
    3 * Durations.HOUR,
    6 * Durations.HOUR,
    12 * Durations.HOUR,
    Durations.DAY,
    2 * Durations.DAY,
    Durations.WEEK
  };

  private Pitch() {}

  /**
   * The narrowest nice pitch at which a range has no more buckets than points.
   *
   * @param points how many fit the picture, such as its pixels by two
   * @param interval ms between samples; no pitch is narrower
   */
  public static long fitting(long rangeMillis, int points, long interval) {
    long min = Math.max(Math.ceilDiv(rangeMillis, Math.max(1, points)), interval);
    for (long p : NICE) {
      if (p >= min) {
        return p;
      }
    }
    return Math.ceilDiv(min, Durations.WEEK) * Durations.WEEK;
  }
}
