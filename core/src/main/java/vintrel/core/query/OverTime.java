package vintrel.core.query;

import java.util.Arrays;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.store.SampleSource;

/**
 * Samples of one series → buckets.
 *
 * <p>Rates: the increase from one sample to the next (a fall is a reset, counted from zero) is
 * spread evenly over the time between the two, and a bucket's rate is what fell into it over the
 * part of it that is covered. So no increase is counted twice or lost at a bucket's edge, whatever
 * the pitch. Samples further apart than {@link #gap} are not joined: nobody knows when in between
 * it grew.
 */
final class OverTime {
  private OverTime() {}

  /** Raw samples, or the buckets that are not missing as if they were samples at their start. */
  static Samples samples(SeriesSet set, Row row) {
    if (set.raw()) {
      return row.raw();
    }
    var times = new long[set.grid().count()];
    var values = new double[times.length];
    int n = 0;
    for (int i = 0; i < times.length; i++) {
      if (!Double.isNaN(row.values()[i])) {
        times[n] = set.grid().time(i);
        values[n++] = row.values()[i];
      }
    }
    return new Samples(times, values, n);
  }

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

  /** Mean, least and greatest value of each bucket; infinite values are left out. */
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
        mean[i] = sum / count;
        wide |= count > 1;
      }
    }
    return wide ? row.on(mean, low, high) : row.on(mean);
  }

  /** The increase in each bucket, per {@code perMillis} of covered time. */
  static double[] rate(Samples all, Grid grid, double perMillis) {
    var s = finite(all);
    var grown = new double[grid.count()];
    var covered = new double[grid.count()];
    long gap = gap(s);
    for (int i = 1; i < s.count(); i++) {
      long t0 = s.times()[i - 1];
      long t1 = s.times()[i];
      if (t1 - t0 <= gap) {
        spread(grid, t0, t1, Summaries.growth(s.values()[i - 1], s.values()[i]), grown, covered);
      }
    }
    return perCovered(grown, covered, perMillis);
  }

  /** Without the samples that are no numbers: what grew over them is joined. */
  private static Samples finite(Samples s) {
    int n = 0;
    var times = new long[s.count()];
    var values = new double[s.count()];
    for (int i = 0; i < s.count(); i++) {
      if (Double.isFinite(s.values()[i])) {
        times[n] = s.times()[i];
        values[n++] = s.values()[i];
      }
    }
    return n == s.count() ? s : new Samples(times, values, n);
  }

  static double[] perCovered(double[] grown, double[] covered, double perMillis) {
    for (int i = 0; i < grown.length; i++) {
      grown[i] = covered[i] == 0 ? Double.NaN : grown[i] / covered[i] * perMillis;
    }
    return grown;
  }

  /** The increase in each bucket. Over a gap it counts where the later sample is: none is lost. */
  static double[] increase(Samples all, Grid grid) {
    var s = finite(all);
    var grown = new double[grid.count()];
    var covered = new double[grid.count()];
    long gap = gap(s);
    for (int i = 1; i < s.count(); i++) {
      long t0 = s.times()[i - 1];
      long t1 = s.times()[i];
      double growth = Summaries.growth(s.values()[i - 1], s.values()[i]);
      spread(grid, t1 - t0 <= gap ? t0 : t1 - 1, t1, growth, grown, covered);
    }
    return whereCovered(grown, covered);
  }

  static double[] whereCovered(double[] grown, double[] covered) {
    for (int i = 0; i < grown.length; i++) {
      if (covered[i] == 0) {
        grown[i] = Double.NaN;
      }
    }
    return grown;
  }

  static void spread(Grid grid, long t0, long t1, double growth, double[] grown, double[] covered) {
    if (!Double.isFinite(growth)) {
      return;
    }
    long first = Math.max(0, grid.bucket(t0));
    long last = Math.min(grid.count() - 1, grid.bucket(t1 - 1));
    for (long b = first; b <= last; b++) {
      long start = grid.time((int) b);
      double part = Math.min(t1, grid.end((int) b)) - Math.max(t0, start);
      grown[(int) b] += growth * (part / (t1 - t0));
      covered[(int) b] += part;
    }
  }

  private static long gap(Samples s) {
    return SampleSource.gap(s.interval());
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
