package vintrel.core.query;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.query.SeriesSet.Row;

/**
 * Buckets of series that were summed up before, so that a refresh reads only what is new.
 *
 * <p>A bucket of a series is closed where no sample can fall into it any more: the series has taken
 * none since, or the bucket ended longer than a late sample may come before the newest sample that
 * it had then. That holds for a sender that was away for hours and catches up, too. Buckets that a
 * range cuts, at either end, are never reused. The least recently used go first when they are more
 * than the room. Any thread.
 */
final class BucketCache {
  private static final int MAX_VALUES = 8_000_000;

  /**
   * What the same question asks again.
   *
   * @param what the step, and what is read for it
   * @param pitch of the grid, whose edges lie at {@code phase} plus multiples of it
   * @param drops how often samples were dropped before
   * @param series their ids
   */
  record Key(String what, long pitch, long phase, int drops, List<Integer> series) {}

  /**
   * An answer.
   *
   * @param rows in the order of the key's series; null where one had nothing
   * @param writes and {@code newest}, for each series, before it was read
   * @param gaps how far apart samples were joined, for each series; null if that does not matter
   * @param from where what was read begins: buckets before it are cut
   * @param to where it ends: a bucket that it cuts is never used again
   */
  record Entry(
      Grid grid, Row[] rows, long[] writes, long[] newest, long[] gaps, long from, long to) {
    long size() {
      long values = 0;
      for (var row : rows) {
        values += row == null ? 0 : row.low() == null ? 1 : 3;
      }
      return values * grid.count();
    }
  }

  private final Map<Key, Entry> entries = new LinkedHashMap<>(16, 0.75f, true);
  private long values;

  synchronized Entry get(Key key) {
    return entries.get(key);
  }

  synchronized void put(Key key, Entry entry) {
    var old = entries.put(key, entry);
    values += entry.size() - (old == null ? 0 : old.size());
    var eldest = entries.entrySet().iterator();
    while (values > MAX_VALUES && eldest.hasNext()) {
      values -= eldest.next().getValue().size();
      eldest.remove();
    }
  }
}
