package vintrel.core.model;

import java.util.Arrays;

/** The parts of a {@link Baseline} on their way. One thread. */
final class BaselineLearner {
  private static final int QUARTERS = 96;
  private static final int HOURS = 24;
  private static final int WEEK = 7 * HOURS;

  /** How much of the distances a part must leave at most to be used. */
  private static final double BETTER = 0.98;

  private static final double BURSTS = 0.8;
  private static final double BURSTS_SIGMA = 1.2816;
  private static final double LEAST_OF_ALL = 0.2;

  private final double[] rest;
  private final long[] phase;
  private final int[] dayOf;
  private final int firstDay;
  private final int[] quarter;
  private final int[] hour;
  private final double[] some;
  private final double resolution;

  BaselineLearner(double[] values, long[] phase, int[] dayOf, long step) {
    this.rest = values.clone();
    for (int i = 0; i < rest.length; i++) {
      rest[i] = Double.isFinite(rest[i]) ? rest[i] : Double.NaN;
    }
    this.phase = phase;
    this.dayOf = dayOf;
    this.firstDay = dayOf[0];
    this.quarter = new int[rest.length];
    this.hour = new int[rest.length];
    for (int i = 0; i < rest.length; i++) {
      quarter[i] = (int) (phase[i] % Baseline.DAY_MS / Baseline.STEP);
      hour[i] = (int) (phase[i] / Baseline.HOUR_MS);
    }
    this.some = new double[rest.length];
    this.resolution = resolution(values);
  }

  Baseline learned(LocalClock clock, int days) {
    double level = median(rest, i -> true);
    subtract(i -> level);
    var day = part(QUARTERS, quarter, 1, i -> (dayOf[i] - firstDay) & 1);
    if (day != null) {
      subtractBetween(day, Baseline.STEP);
    }
    boolean weeks = dayOf[dayOf.length - 1] - firstDay >= 2 * 7 - 1 && days >= 2 * 7 - 2;
    var week = weeks ? part(WEEK, hour, 0, i -> (dayOf[i] - firstDay) / 7 & 1) : null;
    if (week != null) {
      subtractBetween(week, Baseline.HOUR_MS);
    }
    double shift = levels();
    var sigma = sigma(day != null, week != null);
    double all = sigma(i -> true);
    return new Baseline(
        clock,
        level + shift,
        day,
        week,
        sigma,
        Math.max(Math.max(LEAST_OF_ALL * all, resolution / 2), Double.MIN_NORMAL),
        days);
  }

  private interface Choice {
    boolean takes(int i);
  }

  private interface Fold {
    int of(int i);
  }

  private interface ToSubtract {
    double of(int i);
  }

  private void subtract(ToSubtract what) {
    for (int i = 0; i < rest.length; i++) {
      rest[i] -= what.of(i);
    }
  }

  private void subtractBetween(double[] ring, long width) {
    var cells = Baseline.floats(ring);
    long turn = ring.length * width;
    subtract(i -> Baseline.at(cells, (double) (phase[i] % turn) / width - 0.5));
  }

  private double median(double[] of, Choice choice) {
    int n = 0;
    for (int i = 0; i < of.length; i++) {
      if (choice.takes(i) && !Double.isNaN(of[i])) {
        some[n++] = of[i];
      }
    }
    return Select.quantile(some, n, 0.5);
  }

  /** The medians of cells, or null if they say nothing of days that are not among theirs. */
  private double[] part(int cells, int[] cell, int beside, Fold fold) {
    var members = members(cells, cell);
    double without = 0;
    double with = 0;
    for (int side = 0; side < 2; side++) {
      int learns = side;
      var ring = medians(members, beside, i -> fold.of(i) == learns);
      for (int i = 0; i < rest.length; i++) {
        double predicted = ring[cell[i]];
        if (fold.of(i) != side && !Double.isNaN(rest[i]) && !Double.isNaN(predicted)) {
          without += Math.sqrt(Math.abs(rest[i]));
          with += Math.sqrt(Math.abs(rest[i] - predicted));
        }
      }
    }
    if (!(with < BETTER * without)) {
      return null;
    }
    var out = medians(members, beside, i -> true);
    for (int c = 0; c < cells; c++) {
      out[c] = Double.isNaN(out[c]) ? 0 : out[c];
    }
    return out;
  }

  private static int[][] members(int cells, int[] cell) {
    var counts = new int[cells];
    for (int c : cell) {
      counts[c]++;
    }
    var out = new int[cells][];
    Arrays.setAll(out, c -> new int[counts[c]]);
    Arrays.fill(counts, 0);
    for (int i = 0; i < cell.length; i++) {
      out[cell[i]][counts[cell[i]]++] = i;
    }
    return out;
  }

  /** Of each cell with those beside it; NaN without values. */
  private double[] medians(int[][] members, int beside, Choice choice) {
    var out = new double[members.length];
    for (int c = 0; c < members.length; c++) {
      int n = 0;
      for (int b = -beside; b <= beside; b++) {
        n = gather(members[Math.floorMod(c + b, members.length)], choice, n);
      }
      out[c] = Select.quantile(some, n, 0.5);
    }
    return out;
  }

  private int gather(int[] members, Choice choice, int n) {
    for (int i : members) {
      if (choice.takes(i) && !Double.isNaN(rest[i])) {
        some[n++] = rest[i];
      }
    }
    return n;
  }

  /** Takes the level of each week from it, counted from the end; returns that of the last. */
  private double levels() {
    int last = dayOf[dayOf.length - 1];
    int weeks = (last - firstDay) / 7 + 1;
    var levels = new double[weeks];
    for (int w = 0; w < weeks; w++) {
      int here = w;
      levels[w] = median(rest, i -> (last - dayOf[i]) / 7 == here);
    }
    subtract(i -> Double.isNaN(levels[(last - dayOf[i]) / 7]) ? 0 : levels[(last - dayOf[i]) / 7]);
    for (double level : levels) {
      if (!Double.isNaN(level)) {
        return level;
      }
    }
    return 0;
  }

  private double sigma(Choice choice) {
    int n = 0;
    for (int i = 0; i < rest.length; i++) {
      if (choice.takes(i) && !Double.isNaN(rest[i])) {
        some[n++] = Math.abs(rest[i]);
      }
    }
    return Robust.TO_SIGMA * Select.quantile(some, n, 0.5);
  }

  private double[] sigma(boolean daily, boolean weekly) {
    if (!daily && !weekly) {
      return new double[] {width(new int[][] {all()}, 0, 0, 0)};
    }
    var byWeek = members(WEEK, hour);
    var byDay = new int[HOURS][];
    for (int h = 0; h < HOURS; h++) {
      int here = h;
      byDay[h] = Arrays.stream(all()).filter(i -> hour[i] % HOURS == here).toArray();
    }
    var out = new double[weekly ? WEEK : HOURS];
    for (int h = 0; h < HOURS; h++) {
      double wide = width(byDay, h, 1, 0);
      for (int d = 0; d < out.length / HOURS; d++) {
        out[d * HOURS + h] = wide;
      }
    }
    if (weekly) {
      for (int h = 0; h < WEEK; h++) {
        out[h] = width(byWeek, h, 1, out[h]);
      }
    }
    return out;
  }

  private int[] all() {
    var out = new int[rest.length];
    Arrays.setAll(out, i -> i);
    return out;
  }

  /**
   * @param least if it is above 0, bursts are not looked for
   */
  private double width(int[][] members, int c, int beside, double least) {
    int n = 0;
    for (int b = -beside; b <= beside; b++) {
      n = gather(members[Math.floorMod(c + b, members.length)], i -> true, n);
    }
    for (int k = 0; k < n; k++) {
      some[k] = Math.abs(some[k]);
    }
    if (n == 0) {
      return least;
    }
    double usual = Robust.TO_SIGMA * Select.quantile(some, n, 0.5);
    double bursts = least > 0 ? 0 : Select.quantile(some, n, BURSTS) / BURSTS_SIGMA;
    return Math.max(least, Math.max(usual, bursts));
  }

  private static double resolution(double[] values) {
    var sorted = Robust.sorted(values, values.length);
    double out = Double.POSITIVE_INFINITY;
    for (int i = 1; i < sorted.length; i++) {
      double step = sorted[i] - sorted[i - 1];
      out = step > 0 ? Math.min(out, step) : out;
    }
    return Double.isInfinite(out) ? 0 : out;
  }
}
