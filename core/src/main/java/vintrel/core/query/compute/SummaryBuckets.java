package vintrel.core.query.compute;

import java.math.BigInteger;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.Set;
import vintrel.core.chunk.Sketch;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.Summaries.Need;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.store.SampleSource;

/**
 * Summaries of one series → buckets of a grid that each of them fits into. The results are those of
 * {@link Bucketing} on the raw samples, but for the last bits of a sum.
 */
final class SummaryBuckets {
  private SummaryBuckets() {}

  /** The columns that a reduction reads, or null if summaries can't answer it. */
  static Set<Need> needs(Reducer reducer, boolean cumulative) {
    return switch (reducer.kind()) {
      case COUNT -> EnumSet.noneOf(Need.class);
      case FIRST, LAST -> EnumSet.of(Need.ENDS);
      case SUM, MEAN -> cumulative ? null : EnumSet.of(Need.SUM);
      case MEDIAN, PERCENTILE -> cumulative ? null : EnumSet.of(Need.SKETCH);
      case MIN, MAX, SPREAD -> cumulative ? null : EnumSet.of(Need.RANGE);
      default -> null;
    };
  }

  static double[] buckets(Summaries s, Grid grid, Reducer reducer) {
    var out = new double[grid.count()];
    Arrays.fill(out, Double.NaN);
    int at = 0;
    for (int i = 0; i < out.length && at < s.count; i++) {
      int from = at;
      at = end(s, at, grid.end(i));
      if (at > from) {
        out[i] = reduce(s, reducer, from, at);
      }
    }
    return out;
  }

  /** The columns that a reduction of pieces reads, of any kind of metric; null if none do. */
  static Set<Need> ofPieces(Reducer reducer) {
    return switch (reducer.kind()) {
      case STDDEV, MEDIAN, PERCENTILE -> null;
      default -> needs(reducer, false);
    };
  }

  /** As {@link Bucketing#sliding}; no summary may cross an end of a window. */
  static double[] sliding(Summaries all, Grid grid, Reducer reducer, long window) {
    // All ends of windows are multiples of this apart: what is between is summed up once.
    long apart = BigInteger.valueOf(grid.pitch()).gcd(BigInteger.valueOf(window)).longValue();
    var s = grid.edges() == null ? all.coarser(grid.start(), apart) : all;
    var out = new double[grid.count()];
    Arrays.fill(out, Double.NaN);
    int a = 0;
    int b = 0;
    for (int i = 0; i < out.length; i++) {
      long end = grid.end(i);
      b = end(s, b, end);
      a = end(s, a, end - window);
      if (b > a) {
        out[i] = reduce(s, reducer, a, b);
      }
    }
    return out;
  }

  private static int end(Summaries s, int from, long time) {
    int i = from;
    while (i < s.count && s.times[i] < time) {
      i++;
    }
    return i;
  }

  private static double reduce(Summaries s, Reducer reducer, int from, int to) {
    return switch (reducer.kind()) {
      case COUNT -> total(s.counts, from, to);
      case FIRST -> s.first[from];
      case LAST -> s.last[to - 1];
      case SUM -> Reducer.finite(total(s.sum, from, to));
      case MEAN -> mean(s, from, to);
      case MIN -> min(s.min, from, to);
      case MAX -> greatest(s.max, from, to);
      case SPREAD -> greatest(s.max, from, to) - min(s.min, from, to);
      case MEDIAN -> merged(s, from, to).quantile(0.5);
      case PERCENTILE -> merged(s, from, to).quantile(reducer.percentile() / 100);
      default -> throw new IllegalArgumentException(reducer.text());
    };
  }

  private static double mean(Summaries s, int from, int to) {
    double n = total(s.counts, from, to);
    double sum = total(s.sum, from, to);
    if (Double.isFinite(sum)) {
      return sum / n;
    }
    double mean = 0;
    for (int i = from; i < to; i++) {
      mean += s.sum[i] / s.counts[i] * (s.counts[i] / n);
    }
    return mean;
  }

  private static Sketch merged(Summaries s, int from, int to) {
    var out = new Sketch();
    for (int i = from; i < to; i++) {
      if (s.sketches[i] != null) {
        out.add(s.sketches[i]);
      }
    }
    return out;
  }

  private static double total(double[] v, int from, int to) {
    double out = 0;
    for (int i = from; i < to; i++) {
      out += v[i];
    }
    return out;
  }

  private static long total(long[] v, int from, int to) {
    long out = 0;
    for (int i = from; i < to; i++) {
      out += v[i];
    }
    return out;
  }

  private static double min(double[] v, int from, int to) {
    double out = v[from];
    for (int i = from + 1; i < to; i++) {
      out = Math.min(out, v[i]);
    }
    return out;
  }

  private static double greatest(double[] v, int from, int to) {
    double out = v[from];
    for (int i = from + 1; i < to; i++) {
      out = Math.max(out, v[i]);
    }
    return out;
  }

  /** Means, with the minimum and maximum if a bucket holds more than one sample. */
  static Row envelope(Row row, Summaries s, Grid grid) {
    var mean = buckets(s, grid, Reducer.MEAN);
    boolean wide = false;
    int at = 0;
    for (int i = 0; i < grid.count() && !wide; i++) {
      int from = at;
      at = end(s, at, grid.end(i));
      wide = total(s.counts, from, at) > 1;
    }
    if (!wide || s.min == null) {
      return row.on(mean);
    }
    var min = new Reducer(Reducer.Kind.MIN, 0);
    return row.on(mean, buckets(s, grid, min), buckets(s, grid, Reducer.MAX));
  }

  /**
   * The growth of a running total. Growth over gaps within a summary is known to be one only as far
   * as {@link vintrel.core.store.SampleSource#MIN_GAP}; if the gap is wider, it is taken as joined.
   *
   * @param bridged whether growth over a gap counts
   */
  static Bucketing.Growth growth(Summaries s, Grid grid, long gap, long to, boolean bridged) {
    var out = new Bucketing.Growth(grid, gap, to);
    boolean wide = gap > SampleSource.MIN_GAP;
    for (int i = 0; i < s.count; i++) {
      long bucket = grid.bucket(s.times[i]);
      if (s.counts[i] > 1) {
        double growth = s.growth[i] + (bridged || wide ? s.lump[i] : 0);
        boolean all = wide || bridged && s.covered[i] == 0;
        out.add(bucket, growth, all ? s.lastAt[i] - s.firstAt[i] : s.covered[i]);
      }
      if (i > 0) {
        out.add(s.lastAt[i - 1], s.last[i - 1], s.firstAt[i], s.first[i], bridged);
      }
    }
    return out;
  }
}
