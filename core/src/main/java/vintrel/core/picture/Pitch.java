package vintrel.core.picture;

import vintrel.core.unit.Spans;

/** Bucket widths that people can read off a clock. */
public final class Pitch {
  private static final long[] NICE = {
    Spans.SECOND,
    2 * Spans.SECOND,
    5 * Spans.SECOND,
    10 * Spans.SECOND,
    15 * Spans.SECOND,
    30 * Spans.SECOND,
    Spans.MINUTE,
    2 * Spans.MINUTE,
    5 * Spans.MINUTE,
    10 * Spans.MINUTE,
    15 * Spans.MINUTE,
    30 * Spans.MINUTE,
    Spans.HOUR,
    2 * Spans.HOUR,
    3 * Spans.HOUR,
    6 * Spans.HOUR,
    12 * Spans.HOUR,
    Spans.DAY,
    2 * Spans.DAY,
    Spans.WEEK
  };

  private Pitch() {}

  /**
   * The narrowest nice pitch at which a range has no more buckets than points.
   *
   * @param points how many fit the picture, such as its pixels by two
   * @param interval ms between samples; no pitch is narrower
   */
  public static long fitting(long rangeMillis, int points, long interval) {
    long least = Math.max(Math.ceilDiv(rangeMillis, Math.max(1, points)), interval);
    for (long p : NICE) {
      if (p >= least) {
        return p;
      }
    }
    return Math.ceilDiv(least, Spans.WEEK) * Spans.WEEK;
  }
}
