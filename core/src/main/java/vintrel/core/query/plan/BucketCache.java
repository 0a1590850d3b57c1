package vintrel.core.query.plan;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.util.List;
import vintrel.core.query.plan.SeriesSet.Row;

/**
 * Buckets of series that were summed up before, so that a refresh reads only what is new.
 *
 * <p>A bucket of a series is closed if no sample can fall into it any more: the series has taken
 * none since, or the bucket ended longer than a late sample may come before the newest sample that
 * it had then. That holds for a sender that was away for hours and catches up, too. Buckets that a
 * range cuts, at either end, are never reused. When the cache is full, entries that are rarely used
 * go first. Any thread.
 */
public final class BucketCache {
  private static final long MAX_BYTES = 64_000_000;

  /**
   * Identifies equal reads.
   *
   * @param what the step, and what is read for it
   * @param pitch of the grid, whose edges are at {@code phase} plus multiples of it
   * @param drops how often samples were dropped before
   * @param series their ids
   */
  public record Key(String what, long pitch, long phase, int drops, List<Integer> series) {}

  /**
   * An answer.
   *
   * @param rows in the order of the key's series; null if one had nothing
   * @param writes and {@code newest}, for each series, before it was read
   * @param gaps how far apart samples were joined, for each series; null if that does not matter
   * @param from where what was read begins: buckets before it are cut
   * @param to where it ends: a bucket that it cuts is never used again
   */
  public record Entry(
      Grid grid, Row[] rows, long[] writes, long[] newest, long[] gaps, long from, long to) {
    private static final int SERIES = 150;

    long bytes() {
      long values = 0;
      for (var row : rows) {
        values += row == null ? 0 : row.low() == null ? 1 : 3;
      }
      return values * grid.count() * Double.BYTES + (long) rows.length * SERIES;
    }
  }

  private final Cache<Key, Entry> entries;

  public BucketCache() {
    this(MAX_BYTES);
  }

  /**
   * @param maxBytes of all entries together
   */
  public BucketCache(long maxBytes) {
    this.entries =
        Caffeine.newBuilder()
            .maximumWeight(maxBytes)
            .weigher((Key key, Entry entry) -> (int) Math.min(Integer.MAX_VALUE, entry.bytes()))
            .executor(Runnable::run)
            .build();
  }

  /** The entry of a key, or null. */
  public Entry get(Key key) {
    return entries.getIfPresent(key);
  }

  public void put(Key key, Entry entry) {
    entries.put(key, entry);
  }
}
