package vintrel.server.store;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.Collection;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicInteger;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.index.Catalog;
import vintrel.core.series.Condition;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.DiskSpace;
import vintrel.server.database.Loops;
import vintrel.server.database.SampleOwner;
import vintrel.server.web.Duties;
import vintrel.server.web.HeapParts;
import vintrel.server.web.Settings;

/**
 * The store. At start the index is built from the series, the heads from open chunks and journal.
 */
@Service
public class DurableStore implements SampleStore, StoreHealth {
  private static final Logger log = LoggerFactory.getLogger(DurableStore.class);

  private static final long TIDY_EVERY = 5_000;
  private static final int TIDY_MILLIS = 200;

  /** Not heard of for so long, ms, the thread that keeps samples is behind. */
  private static final long LATE = 30_000;

  private final Database database;
  private final SampleOwner owner;
  private final Clock clock;
  private final NamedStores stores;
  private final AtomicInteger drops = new AtomicInteger();
  private final StoreStats stats = new StoreStats();
  private final HeadSamples heads;
  private final long late;
  private final Journal journal;
  private final SeriesRegistry registry;
  private final StoreReader reader;
  private final Chunks chunks;
  private final TierReader tiers;
  private final Rollup roller;
  private final Flusher flusher;
  private final Committer committer;
  private final Loops.Loop tidier;

  DurableStore(
      Database database,
      SampleOwner owner,
      NamedStores stores,
      DiskSpace disk,
      Duties duties,
      Loops loops,
      Settings settings,
      Clock clock) {
    this.database = database;
    this.owner = owner;
    this.clock = clock;
    this.stores = stores;
    this.late = settings.late().toMillis();
    this.heads = new HeadSamples(settings.late().toMillis(), 10 * Durations.MINUTE);
    this.registry = new SeriesRegistry(database, heads);
    var recovery = new Recovery(database, heads);
    if (owner.takes()) {
      recovery.dropUnfinished(settings.data());
    }
    var openRows = recovery.loadOpenChunks();
    long lastChunk = recovery.last("select max(id) from Chunk");
    this.journal =
        owner.takes()
            ? recovery.replayJournal(settings.data())
            : recovery.noJournal(settings.data());
    var ids = new ChunkIds(lastChunk);
    this.chunks = new Chunks(database, HeapParts.chunks(settings.query().cacheBytes()));
    this.reader = new StoreReader(database, heads, chunks, registry.index());
    this.tiers = new TierReader(chunks, reader::read);
    this.roller =
        new Rollup(database, chunks, ids, reader.new RawSide(), settings.late().toMillis());
    this.flusher = new Flusher(database, heads, chunks, ids, roller, journal, stats, openRows);
    this.committer =
        new Committer(
            database,
            heads,
            clock,
            this::oldestOf,
            registry,
            flusher,
            settings.ingest(),
            disk::requireSpace,
            owner,
            stats,
            journal,
            duties.add("keeping samples", LATE));
    this.tidier = loops.start("compacting the database file", TIDY_EVERY, null, this::tidy);
  }

  @Override
  public int find(SeriesKey key) {
    return registry.find(key);
  }

  @Override
  public int resolve(SeriesKey key, MetricKind kind, String unit) {
    owner.need();
    return registry.resolve(key, kind, unit);
  }

  @Override
  public long nameBytes() {
    return registry.nameBytes();
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to) {
    return reader.read(series, from, to);
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory) {
    return reader.read(series, from, to, memory);
  }

  Samples read(int id, long from, long to) {
    return reader.read(id, from, to);
  }

  /** The id of the next new series. */
  int nextId() {
    return registry.index().nextId();
  }

  @Override
  public List<Summaries> pieces(List<Series> series, long[] edges, long from, long to) {
    return reader.pieces(series, edges, from, to, MemoryClaim.NONE);
  }

  @Override
  public List<Summaries> pieces(
      List<Series> series, long[] edges, long from, long to, MemoryClaim memory) {
    return reader.pieces(series, edges, from, to, memory);
  }

  @Override
  public Samples before(Series series, long time) {
    return reader.before(series, time);
  }

  @Override
  public long[] density(long from, long to, int n) {
    return reader.density(from, to, n);
  }

  @Override
  public Receipt append(SampleBatch batch) {
    owner.need();
    return batch.size() == 0 ? Receipt.NOTHING : committer.append(batch);
  }

  @Override
  public Catalog catalog() {
    return registry.index();
  }

  @Override
  public List<Series> select(String store, String metric, Condition where) {
    return registry.index().select(store, metric, where);
  }

  @Override
  public boolean hasMetric(String store, String name) {
    return registry.index().hasMetric(store, name);
  }

  @Override
  public Collection<String> metricNames(String store) {
    return registry.index().metricNames(store);
  }

  @Override
  public List<String> stores() {
    return stores.all().stream().map(NamedStores.Named::name).toList();
  }

  @Override
  public String unit(String metric) {
    var some = registry.index().newest(metric);
    return some == null ? "" : some.unit();
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to) {
    return tiers.read(series, tier, needs, from, to, MemoryClaim.NONE);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series,
      Tier tier,
      Set<Summaries.Need> needs,
      long from,
      long to,
      MemoryClaim memory) {
    return tiers.read(series, tier, needs, from, to, memory);
  }

  @Override
  public long interval(Series series) {
    return heads.interval(series.id());
  }

  @Override
  public int drops() {
    return drops.get();
  }

  @Override
  public long rawSince(Series series) {
    return oldestOf(series.id());
  }

  @Override
  public long newest(int seriesId) {
    return heads.newest(seriesId);
  }

  @Override
  public long writes(int seriesId) {
    return heads.writes(seriesId);
  }

  @Override
  public long lateWrite(int seriesId) {
    return heads.lateWrite(seriesId);
  }

  @Override
  public long late() {
    return late;
  }

  /** Samples of a series before this time are refused: its store would drop them at once. */
  private long oldestOf(int id) {
    var series = registry.index().get(id);
    var retention = stores.retention(series == null ? SeriesKey.MAIN : series.store());
    // A clock that jumps ahead must not refuse what right clocks send.
    long now = Math.min(clock.millis(), Math.max(heads.newest(), 0));
    return (heads.newest() == Long.MIN_VALUE ? clock.millis() : now) - retention.raw();
  }

  @Override
  public long newest() {
    return heads.newest();
  }

  /** Takes out the series of a store that have nothing after a time; how many there were. */
  int dropSeries(String named, long limit) {
    var old =
        registry.index().select(named, null, Condition.ALL).stream()
            .filter(s -> heads.newest(s.id()) > Long.MIN_VALUE && heads.newest(s.id()) < limit)
            .toList();
    if (!old.isEmpty()) {
      committer.between(() -> drop(old, limit));
    }
    return old.size();
  }

  private void drop(List<Series> old, long limit) {
    var gone = old.stream().filter(s -> heads.newest(s.id()) < limit).toList();
    for (int at = 0; at < gone.size(); at += 500) {
      var ids = gone.subList(at, Math.min(at + 500, gone.size())).stream().map(Series::id).toList();
      database.run(
          s -> {
            s.createMutationQuery("delete from Chunk where seriesId in :ids")
                .setParameterList("ids", ids)
                .executeUpdate();
            s.createMutationQuery("delete from Series where id in :ids")
                .setParameterList("ids", ids)
                .executeUpdate();
          });
    }
    chunks.density().forget();
    gone.forEach(s -> registry.forget(s.id(), s.key()));
    registry.changed();
  }

  /** Chunks were deleted. */
  void dropped() {
    drops.incrementAndGet();
    chunks.forget();
  }

  @Override
  public StoreStats stats() {
    return stats;
  }

  @Override
  public long oldest() {
    return Math.min(chunks.oldest(), heads.oldest());
  }

  /** Writes all that is in memory; waits for it. */
  public void flush() {
    committer.flush();
  }

  @Override
  public long headBytes() {
    return heads.bytes();
  }

  @Override
  public long headSize() {
    return heads.size();
  }

  @Override
  public long journalBytes() {
    return journal.bytes();
  }

  @Override
  public double journalAge() {
    return committer.journalAge();
  }

  @Override
  public double cacheHits() {
    return chunks.hitRate();
  }

  private void tidy() {
    if (flusher.idle()) {
      database.tidy(TIDY_MILLIS);
    }
  }

  @Override
  public int generation() {
    return registry.generation();
  }

  @PreDestroy
  void close() {
    tidier.close();
    committer.close();
    flusher.close();
    journal.close();
  }
}
