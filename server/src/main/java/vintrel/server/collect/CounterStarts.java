package vintrel.server.collect;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.util.Arrays;
import java.util.Map;
import java.util.NavigableSet;
import java.util.concurrent.ConcurrentHashMap;
import vintrel.core.series.SeriesKey;

/**
 * What is known of the sums of series between requests: since when totals count, as far as that was
 * said; the totals of those that are sent as differences; the bounds of exponential histograms that
 * are. Any thread.
 */
final class CounterStarts {
  /** Running totals by series; the last sample that is stored, if a series is not there. */
  final Map<Integer, Double> totals = new ConcurrentHashMap<>();

  /** Bounds that are remembered, of all histograms together; about 80 bytes each. */
  private static final int MAX_BOUNDS = 300_000;

  /** What a histogram takes beside its bounds, as so many of them. */
  private static final int KEY = 10;

  /**
   * By the key of the buckets without the label le. What is put again is weighed again; of those
   * that fell out the store knows the bounds.
   */
  final Cache<SeriesKey, NavigableSet<Double>> bounds =
      Caffeine.newBuilder()
          .maximumWeight(MAX_BOUNDS)
          .weigher((SeriesKey key, NavigableSet<Double> all) -> KEY + all.size())
          .executor(Runnable::run)
          .build();

  private volatile long[] known = new long[1024];

  /** ms, or 0 if it is not known. */
  long get(int series) {
    var now = known;
    return series < now.length ? now[series] : 0;
  }

  synchronized void put(int series, long start) {
    if (series >= known.length) {
      known = Arrays.copyOf(known, Math.max(series + 1, known.length * 2));
    }
    known[series] = start;
  }
}
