package vintrel.core.store;

import java.util.Collection;
import java.util.List;
import java.util.Set;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;

/**
 * What a query reads from. Calls may come from any thread, many at a time. Where a store is named,
 * an empty name means all of them.
 */
public interface SampleSource {
  /** Samples are joined to a rate up to this far apart, or five typical intervals; ms. */
  long MIN_GAP = 5 * 60_000;

  /** Bytes of a sample in memory: its time and its value. */
  int SAMPLE_BYTES = 16;

  /** Series of a metric that fulfil a condition. */
  List<Series> select(String store, String metric, Condition where);

  boolean hasMetric(String store, String name);

  Collection<String> metricNames(String store);

  /** Names of the stores that are kept here; empty if that is not known. */
  default Collection<String> stores() {
    return List.of();
  }

  /** The unit of a metric in any store, as its newest series has it; empty if it is not known. */
  default String unit(String metric) {
    var found = hasMetric("", metric) ? select("", metric, Condition.ALL) : List.<Series>of();
    return found.isEmpty() ? "" : found.getLast().unit();
  }

  /** The samples of each series within [from, to), ms since the epoch; in the series' order. */
  List<Samples> read(List<Series> series, long from, long to);

  /**
   * As above.
   *
   * @param memory asked for what is made on the way, before it is; {@link #SAMPLE_BYTES} for each
   *     sample that is returned stay taken
   */
  default List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory) {
    var out = read(series, from, to);
    memory.take(out.stream().mapToLong(Samples::count).sum() * SAMPLE_BYTES);
    return out;
  }

  /**
   * The samples of each series within [from, to), summed up by buckets of the tier or of finer ones
   * that fill them; exactly what summing up the raw samples gives, as long as those are kept. For
   * running totals, ends and growth are there if they are needed, else sum and range. Growth within
   * a bucket is split at {@link #MIN_GAP}: for series whose gap is wider, read raw samples.
   */
  List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to);

  /**
   * As above.
   *
   * @param memory asked for what is read; {@link Summaries#bytes} of what is returned stay taken
   */
  default List<Summaries> summaries(
      List<Series> series,
      Tier tier,
      Set<Summaries.Need> needs,
      long from,
      long to,
      MemoryClaim memory) {
    var out = summaries(series, tier, needs, from, to);
    memory.take(out.stream().mapToLong(Summaries::bytes).sum());
    return out;
  }

  /**
   * The samples of each series within [from, to), summed up by pieces of which none crosses an
   * edge: see {@link Summaries#pieces}. There may be more of them than edges ask for.
   *
   * @param edges rising, ms
   */
  default List<Summaries> pieces(List<Series> series, long[] edges, long from, long to) {
    return read(series, from, to).stream().map(s -> Summaries.pieces(s, edges)).toList();
  }

  /**
   * As above.
   *
   * @param memory asked for what is read; {@link Summaries#bytes} of what is returned stay taken
   */
  default List<Summaries> pieces(
      List<Series> series, long[] edges, long from, long to, MemoryClaim memory) {
    var out = pieces(series, edges, from, to);
    memory.take(out.stream().mapToLong(Summaries::bytes).sum());
    return out;
  }

  /**
   * The typical interval of a series' samples, ms; 0 if it is not known yet. A property of the
   * series that does not depend on the query: the longest of the median intervals of its samples,
   * taken by blocks of 32 as they arrive; before the first block is complete, the median of what is
   * there.
   */
  long interval(Series series);

  /**
   * The newest finite sample of a series before a time, however long before; empty if there is
   * none, or none any more.
   */
  Samples before(Series series, long time);

  /** No sample is older; {@link Long#MIN_VALUE} if that is not known. */
  default long oldest() {
    return Long.MIN_VALUE;
  }

  /** Changes whenever samples were dropped. */
  default int drops() {
    return 0;
  }

  /** The time of the newest sample of a series, or {@link Long#MIN_VALUE} if there is none. */
  long newest(int seriesId);

  /**
   * How often samples of a series were taken: as long as it stays the same, so do they. Below zero
   * if that is not counted.
   */
  default long writes(int seriesId) {
    return -1;
  }

  /**
   * What {@link #writes} was after the last sample of a series that came out of order: all since
   * then were newer than those before them.
   */
  default long lateWrite(int seriesId) {
    return Long.MAX_VALUE;
  }

  /** How far behind the newest sample of its series a sample may come, ms. */
  default long late() {
    return 3_600_000;
  }

  /** Before this time a series has no raw samples any more, only tiers. */
  default long rawSince(Series series) {
    return Long.MIN_VALUE;
  }

  /** How far apart samples may be to be joined to a rate, ms, by their typical interval. */
  static long gap(long interval) {
    return Math.max(MIN_GAP, 5 * interval);
  }
}
