package vintrel.core.query.compute;

import java.util.Arrays;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;

/**
 * Samples of one series → buckets.
 *
 * <p>Rates: the increase from one sample to the next (a fall is a reset, counted from zero) is
 * spread evenly over the time between the two, and a bucket's rate is what fell into it over the
 * part of it that is covered. So no increase is counted twice or lost at a bucket's edge, whatever
 * the pitch. Samples further apart than the gap are not joined: it is not known when in between it
 * grew. Samples after the range's end count for none of its buckets.
 */
public final class Bucketing {
  private Bucketing() {}

  static double[] buckets(Samples s, Grid grid, Reducer reducer) {
    var out = new double[grid.count()];
    int a = s.indexOf(grid.start());
    for (int i = 0; i < out.length; i++) {
      int b = end(s, a, grid.end(i));
      out[i] = reducer.apply(s.values(), a, b);
      a = b;
    }
    return out;
  }

  private static int end(Samples s, int from, long time) {
    int b = from;
    while (b < s.count() && s.times()[b] < time) {
      b++;
    }
    return b;
  }

  /** The reduction of the window that ends with each bucket: [end - window, end). */
  static double[] sliding(Samples s, Grid grid, Reducer reducer, long window, Runnable check) {
    var out = new double[grid.count()];
    int a = 0;
    int b = 0;
    for (int i = 0; i < out.length; i++) {
      check.run();
      long end = grid.end(i);
      b = end(s, b, end);
      a = end(s, a, end - window);
      out[i] = reducer.apply(s.values(), a, b);
    }
    return out;
  }

  /** Mean, minimum and maximum of each bucket; infinite values are left out. */
  static Row envelope(Row row, Samples s, Grid grid) {
    int n = grid.count();
    var mean = new double[n];
    var low = new double[n];
    var high = new double[n];
    Arrays.fill(mean, Double.NaN);
    Arrays.fill(low, Double.NaN);
    Arrays.fill(high, Double.NaN);
    int at = s.indexOf(grid.start());
    boolean wide = false;
    for (int i = 0; i < n; i++) {
      long end = grid.end(i);
      double sum = 0;
      int count = 0;
      int first = at;
      for (; at < s.count() && s.times()[at] < end; at++) {
        double v = s.values()[at];
        if (!Double.isFinite(v)) {
          continue;
        }
        low[i] = count == 0 ? v : Math.min(low[i], v);
        high[i] = count == 0 ? v : Math.max(high[i], v);
        sum += v;
        count++;
      }
      if (count > 0) {
        mean[i] = Double.isFinite(sum) ? sum / count : Reducer.mean(s.values(), first, at);
        wide |= count > 1;
      }
    }
    return wide ? row.on(mean, low, high) : row.on(mean);
  }

  /** The growth of a series in each bucket of a grid, and the time of each that it covers, ms. */
  static final class Growth {
    private final Grid grid;
    private final long gap;
    private final long to;
    private final double[] grown;
    private final double[] covered;

    /**
     * @param gap samples further apart (ms) are not joined
     * @param to the range's end, exclusive
     */
    Growth(Grid grid, long gap, long to) {
      this.grid = grid;
      this.gap = gap;
      this.to = to;
      this.grown = new double[grid.count()];
      this.covered = new double[grid.count()];
    }

    /** Adds what grew in a bucket, by its index, which may be outside the grid. */
    void add(long bucket, double growth, double millis) {
      if (bucket >= 0 && bucket < grown.length) {
        grown[(int) bucket] += growth;
        covered[(int) bucket] += millis;
      }
    }

    /**
     * Adds what grew between two samples.
     *
     * @param bridged whether growth over a gap counts, if the later sample is
     */
    void add(long t0, double v0, long t1, double v1, boolean bridged) {
      double growth = Summaries.growth(v0, v1);
      if (!Double.isFinite(growth)) {
        return;
      }
      if (t1 - t0 > gap) {
        if (bridged && t1 < to) {
          add(grid.bucket(t1), growth, 1);
        }
        return;
      }
      long first = Math.max(0, grid.bucket(t0));
      long last = Math.min(grown.length - 1, grid.bucket(Math.min(t1, to) - 1));
      for (long b = first; b <= last; b++) {
        long start = Math.max(t0, grid.time((int) b));
        double part = Math.min(Math.min(t1, to), grid.end((int) b)) - start;
        if (part > 0) {
          add(b, growth * (part / (t1 - t0)), part);
        }
      }
    }

    /** The growth per {@code perMillis} of covered time. */
    double[] rate(double perMillis) {
      for (int i = 0; i < grown.length; i++) {
        grown[i] = covered[i] == 0 ? Double.NaN : grown[i] / covered[i] * perMillis;
      }
      return grown;
    }

    double[] increase() {
      for (int i = 0; i < grown.length; i++) {
        grown[i] = covered[i] == 0 ? Double.NaN : grown[i];
      }
      return grown;
    }
  }

  /**
   * The growth between samples, of which the first may be before the grid and the last after it.
   */
  static Growth growth(Samples all, Grid grid, long gap, long to, boolean bridged) {
    var s = finite(all);
    var out = new Growth(grid, gap, to);
    for (int i = 1; i < s.count(); i++) {
      out.add(s.times()[i - 1], s.values()[i - 1], s.times()[i], s.values()[i], bridged);
    }
    return out;
  }

  /** Without the samples that are no numbers: what grew over them is joined. */
  static Samples finite(Samples s) {
    int n = 0;
    while (n < s.count() && Double.isFinite(s.values()[n])) {
      n++;
    }
    if (n == s.count()) {
      return s;
    }
    var times = Arrays.copyOf(s.times(), s.count());
    var values = Arrays.copyOf(s.values(), s.count());
    for (int i = n + 1; i < s.count(); i++) {
      if (Double.isFinite(s.values()[i])) {
        times[n] = s.times()[i];
        values[n++] = s.values()[i];
      }
    }
    return new Samples(times, values, n);
  }

  static double[] fill(double[] values, Step.Fill fill) {
    var out = values.clone();
    int last = -1;
    for (int i = 0; i < out.length; i++) {
      if (!Double.isNaN(values[i])) {
        if (fill.filling() == Step.Filling.LINEAR && last >= 0) {
          for (int k = last + 1; k < i; k++) {
            out[k] = values[last] + (values[i] - values[last]) * (k - last) / (i - last);
          }
        }
        last = i;
      } else if (fill.filling() == Step.Filling.NUMBER) {
        out[i] = fill.value();
      } else if (fill.filling() == Step.Filling.PREVIOUS && last >= 0) {
        out[i] = values[last];
      }
    }
    return out;
  }
}
