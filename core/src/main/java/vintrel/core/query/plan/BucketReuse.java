package vintrel.core.query.plan;

import java.util.Arrays;
import java.util.List;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;

/**
 * Which buckets of an earlier answer are still right, and how new ones join them.
 *
 * <p>The idea: a bucket of a series can be reused once it is closed, that is, once no sample taken
 * since can have changed it. A sample newer than all before changes nothing before the newest one
 * of then, since growth up to it starts there; a late one changes nothing that ended earlier than
 * it may be late and be joined. So of the wanted grid a middle part [a, b) is taken from the cache,
 * and only the buckets before and after it are computed.
 */
public final class BucketReuse {
  /** Fewer buckets than this are as quickly computed again. */
  private static final int MIN_REUSED = 10;

  /**
   * Buckets [from, to) of the wanted grid that are known.
   *
   * @param shift index of a bucket in the known grid, less its index in the wanted one
   */
  public record Part(int from, int to, int shift) {}

  private BucketReuse() {}

  /**
   * The part of a grid that a known entry covers; null if too little to pay.
   *
   * @param writes of each series, now
   * @param gaps how far apart each series' samples may be to be joined; null if it does not matter
   */
  public static Part of(
      BucketCache.Entry known,
      List<Series> series,
      long[] writes,
      long[] gaps,
      InputRange.Range range,
      Grid grid,
      SampleSource source) {
    if (known == null || !Arrays.equals(gaps, known.gaps())) {
      return null;
    }
    long closed = Math.min(known.to(), range.to());
    for (int i = 0; i < writes.length; i++) {
      if (writes[i] != known.writes()[i]) {
        long newest = known.newest()[i];
        boolean ordered = source.lateWrite(series.get(i).id()) <= known.writes()[i];
        long reach = ordered ? 0 : source.late() + (gaps == null ? 0 : gaps[i]);
        closed = Math.min(closed, newest == Long.MIN_VALUE ? newest : newest - reach);
      }
    }
    long open = Math.max(known.from(), range.from());
    long a = grid.bucket(known.grid().start());
    a = Math.max(a, open <= grid.time(0) ? 0 : grid.bucket(open - 1) + 1);
    long b = Math.min(grid.count(), grid.bucket(Math.min(closed, known.grid().end())));
    return b - a < MIN_REUSED
        ? null
        : new Part((int) a, (int) b, (int) (known.grid().bucket(grid.time((int) a)) - a));
  }

  /** A row of new buckets before and after known ones; null if all three are. */
  public static Row join(int count, Part part, Row head, Row known, Row tail) {
    var some = head != null ? head : known != null ? known : tail;
    if (some == null) {
      return null;
    }
    int a = part.from();
    int b = part.to();
    boolean wide = wide(head) || wide(known) || wide(tail);
    var values = new double[count];
    var low = wide ? new double[count] : null;
    var high = wide ? new double[count] : null;
    copy(head, 0, 0, a, values, low, high);
    copy(known, a + part.shift(), a, b, values, low, high);
    copy(tail, 0, b, count, values, low, high);
    return some.on(values, low, high);
  }

  private static boolean wide(Row row) {
    return row != null && row.low() != null;
  }

  private static void copy(
      Row from, int at, int a, int b, double[] values, double[] low, double[] high) {
    for (int i = a; i < b; i++) {
      double v = from == null ? Double.NaN : from.values()[at + i - a];
      values[i] = v;
      if (low != null) {
        low[i] = wide(from) ? from.low()[at + i - a] : v;
        high[i] = wide(from) ? from.high()[at + i - a] : v;
      }
    }
  }
}
