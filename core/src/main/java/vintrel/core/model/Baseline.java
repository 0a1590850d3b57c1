package vintrel.core.model;

import java.time.ZoneId;

/**
 * What is expected of a series at a time of day and of the week, and how far it usually strays.
 *
 * <p><b>Method.</b> A robust additive decomposition of a few weeks of values, all by medians, so
 * that incidents of the past hardly move it: a level for each week, a profile of the day (96
 * quarters of an hour, each the median of itself and its neighbours on all days), and a correction
 * for the hour of the week (168 hours, the median of what is left of itself and half its
 * neighbours). A part is used only if it predicts days it has not seen better than the values
 * without it (two folds, odd against even days or weeks; the mean of square roots of distances, in
 * which one incident weighs little): a series without a rhythm is not given one by its noise.
 *
 * <p>The width at an hour of the day is the greatest of: 1.4826 times the median of distances (the
 * standard deviation of a normal distribution; Hampel, "The influence curve and its role in robust
 * estimation", 1974), their 80th percentile over 1.2816, which sees bursts that a median does not,
 * and, where the week matters, the first of the hour of the week. It is never less than a fifth of
 * the width over all hours, half the least difference between two values (counts have no finer
 * ones) and half a percent of what is expected.
 *
 * <p><b>Limits.</b> It needs {@link #MIN_DAYS} days with values. A level that changed for good is
 * expected after half a week. What comes at other intervals than a day or a week (the first of the
 * month, holidays) is outside it; trends are followed by weeks, not by days. Immutable; any thread.
 */
public final class Baseline {
  /** Days that are looked back at. */
  public static final int DAYS = 28;

  /** Days with values that are needed. */
  public static final int MIN_DAYS = 3;

  /** About how far apart the values are that it is learned from, ms. */
  public static final long STEP = 900_000;

  /** Bytes of one. */
  public static final int BYTES = 1_800;

  static final long DAY_MS = 86_400_000;
  static final long HOUR_MS = 3_600_000;

  /** A day counts if it has so much of its values. */
  private static final double HALF = 0.5;

  private static final double LEAST_OF_LEVEL = 0.005;

  private final LocalClock clock;
  private final double level;
  private final float[] day;
  private final float[] week;
  private final float[] sigma;
  private final double least;
  private final int days;

  Baseline(
      LocalClock clock,
      double level,
      double[] day,
      double[] week,
      double[] sigma,
      double least,
      int days) {
    this.clock = clock;
    this.level = level;
    this.day = floats(day);
    this.week = floats(week);
    this.sigma = floats(sigma);
    this.least = least;
    this.days = days;
  }

  static float[] floats(double[] values) {
    if (values == null) {
      return null;
    }
    var out = new float[values.length];
    for (int i = 0; i < out.length; i++) {
      out[i] = (float) values[i];
    }
    return out;
  }

  /**
   * Learns from values at {@code first + i·step}.
   *
   * @param step ms, a quarter of an hour or more
   * @param values NaN for none
   * @return null if there are too few
   */
  public static Baseline learn(long first, long step, double[] values, ZoneId zone) {
    var clock = new LocalClock(zone);
    int n = values.length;
    var phase = new long[n];
    var dayOf = new int[n];
    for (int i = 0; i < n; i++) {
      long local = clock.local(first + i * step);
      phase[i] = Math.floorMod(local + 3 * DAY_MS, 7 * DAY_MS);
      dayOf[i] = (int) Math.floorDiv(local, DAY_MS);
    }
    int days = days(values, dayOf, step);
    return days < MIN_DAYS
        ? null
        : new BaselineLearner(values, phase, dayOf, step).learned(clock, days);
  }

  private static int days(double[] values, int[] dayOf, long step) {
    int need = (int) Math.max(1, HALF * DAY_MS / step);
    int days = 0;
    int here = 0;
    for (int i = 0; i < values.length; i++) {
      here = i == 0 || dayOf[i] != dayOf[i - 1] ? 0 : here;
      here += Double.isFinite(values[i]) ? 1 : 0;
      days += here == need && Double.isFinite(values[i]) ? 1 : 0;
    }
    return days;
  }

  /** Days with values it was learned from. */
  public int days() {
    return days;
  }

  /** Whether the time of day matters. */
  public boolean isDaily() {
    return day != null;
  }

  /** Whether the day of the week matters. */
  public boolean isWeekly() {
    return week != null;
  }

  /** What is expected at a time, ms. */
  public double expected(long at) {
    long phase = Math.floorMod(clock.local(at) + 3 * DAY_MS, 7 * DAY_MS);
    return level + (day == null ? 0 : between(day, phase)) + (week == null ? 0 : weekly(phase));
  }

  /** How far values usually are from {@link #expected} at a time: a standard deviation, above 0. */
  public double sigma(long at) {
    long phase = Math.floorMod(clock.local(at) + 3 * DAY_MS, 7 * DAY_MS);
    double usual =
        sigma.length == 1
            ? sigma[0]
            : at(sigma, (double) (phase % (sigma.length * HOUR_MS)) / HOUR_MS - 0.5);
    return Math.max(Math.max(usual, least), Math.abs(expected(at)) * LEAST_OF_LEVEL);
  }

  private static double between(float[] day, long phase) {
    return at(day, (double) (phase % DAY_MS) / STEP - 0.5);
  }

  private double weekly(long phase) {
    return at(week, (double) phase / HOUR_MS - 0.5);
  }

  /** Linear between two cells of a ring, whose values stand at whole places. */
  static double at(float[] ring, double place) {
    double floor = Math.floor(place);
    double part = place - floor;
    int low = Math.floorMod((int) floor, ring.length);
    int high = low + 1 == ring.length ? 0 : low + 1;
    return ring[low] * (1 - part) + ring[high] * part;
  }
}
