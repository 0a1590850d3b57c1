package vintrel.server.ask;

import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.BooleanSupplier;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.Series;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;

/**
 * One store of a source, as if there were no others: what a token that is bound to it can see.
 * Another store is not forbidden but not there; nothing of it shows in errors or advice. Any
 * thread.
 */
final class BoundSource implements SampleSource, ExternalSource {
  private final SampleSource source;
  private final ExternalSource outside;
  private final String store;

  BoundSource(SampleSource source, ExternalSource outside, String store) {
    this.source = source;
    this.outside = outside;
    this.store = store;
  }

  private boolean mine(String asked) {
    return asked.isEmpty() || asked.equals(store);
  }

  @Override
  public List<Series> select(String asked, String metric, Condition where) {
    return mine(asked) ? source.select(store, metric, where) : List.of();
  }

  @Override
  public boolean hasMetric(String asked, String name) {
    return mine(asked) && source.hasMetric(store, name);
  }

  @Override
  public Collection<String> metricNames(String asked) {
    return mine(asked) ? source.metricNames(store) : List.of();
  }

  @Override
  public Collection<String> stores() {
    return List.of(store);
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to) {
    return source.read(series, from, to);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to) {
    return source.summaries(series, tier, needs, from, to);
  }

  @Override
  public List<Summaries> pieces(List<Series> series, long[] edges, long from, long to) {
    return source.pieces(series, edges, from, to);
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory) {
    return source.read(series, from, to, memory);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series,
      Tier tier,
      Set<Summaries.Need> needs,
      long from,
      long to,
      MemoryClaim memory) {
    return source.summaries(series, tier, needs, from, to, memory);
  }

  @Override
  public List<Summaries> pieces(
      List<Series> series, long[] edges, long from, long to, MemoryClaim memory) {
    return source.pieces(series, edges, from, to, memory);
  }

  @Override
  public long oldest() {
    return source.oldest();
  }

  @Override
  public long interval(Series series) {
    return source.interval(series);
  }

  @Override
  public Samples before(Series series, long time) {
    return source.before(series, time);
  }

  @Override
  public int drops() {
    return source.drops();
  }

  @Override
  public long newest(int seriesId) {
    return source.newest(seriesId);
  }

  @Override
  public long writes(int seriesId) {
    return source.writes(seriesId);
  }

  @Override
  public long lateWrite(int seriesId) {
    return source.lateWrite(seriesId);
  }

  @Override
  public long late() {
    return source.late();
  }

  @Override
  public long rawSince(Series series) {
    return source.rawSince(series);
  }

  private static QueryException notThere(String asked) {
    return new QueryException("store", "no store is called '" + asked + "'", 0, 0);
  }

  private String need(String asked) {
    if (!mine(asked)) {
      throw notThere(asked);
    }
    return store;
  }

  @Override
  public Frame events(
      String asked,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    return outside.events(need(asked), where, from, to, max, cancelled, memory);
  }

  @Override
  public Map<Labels, long[]> eventTimes(
      String asked,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    return outside.eventTimes(need(asked), where, from, to, max, cancelled, memory);
  }

  @Override
  public Frame sql(
      String asked,
      String statement,
      long from,
      long to,
      long step,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    throw notThere(asked);
  }
}
