package vintrel.server.store;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.IntStream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Admission;
import vintrel.core.series.Condition;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.JournalCodec;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.DiskSpace;
import vintrel.server.web.Duties;
import vintrel.server.web.Settings;
import vintrel.server.web.StartProgress;

/**
 * The store. At start the index is built from the series, the heads from open chunks and journal.
 */
@Service
public class DurableStore implements SampleStore, Committer.NewSeries {
  private static final Logger log = LoggerFactory.getLogger(DurableStore.class);

  private static final long TIDY_EVERY = 5_000;
  private static final int TIDY_MILLIS = 200;

  /** Not heard of for so long, ms, the thread that keeps samples is behind. */
  private static final long LATE = 30_000;

  private final Database database;
  private final Clock clock;
  private final NamedStores stores;
  private final AtomicInteger generation = new AtomicInteger();
  private final AtomicInteger drops = new AtomicInteger();
  private final AtomicLong nameBytes = new AtomicLong();
  private final LabelIndex index = new LabelIndex();
  private final Map<SeriesKey, Integer> ids = new ConcurrentHashMap<>();
  private final List<SeriesRow> unwritten = new ArrayList<>();
  private final StoreStats stats = new StoreStats();
  private final HeadSamples heads;
  private final long late;
  private final Journal journal;
  private final Chunks chunks;
  private final TierReader tiers;
  private final Rollup roller;
  private final Flusher flusher;
  private final Committer committer;
  private final CountDownLatch stopped = new CountDownLatch(1);
  private final Thread tidier;

  DurableStore(
      Database database,
      NamedStores stores,
      DiskSpace disk,
      Duties duties,
      Settings settings,
      Clock clock) {
    this.database = database;
    this.clock = clock;
    this.stores = stores;
    this.late = settings.late().toMillis();
    this.heads = new HeadSamples(settings.late().toMillis(), 10 * Durations.MINUTE);
    loadSeries();
    var openRows = loadOpenChunks();
    long lastChunk = last("select max(id) from Chunk");
    this.journal = replayJournal(settings.data());
    var ids = new ChunkIds(lastChunk);
    this.chunks = new Chunks(database, settings.query().cacheBytes());
    this.tiers = new TierReader(chunks, this::read);
    this.roller = new Rollup(database, chunks, ids, new RawSide(), settings.late().toMillis());
    this.flusher = new Flusher(database, heads, chunks, ids, roller, journal, stats, openRows);
    this.committer =
        new Committer(
            database,
            heads,
            clock,
            this::oldestOf,
            this,
            flusher,
            settings.ingest(),
            disk::need,
            stats,
            journal,
            duties.add("keeping samples", LATE));
    this.tidier = Thread.ofVirtual().name("tidy").start(this::tidy);
  }

  private void loadSeries() {
    long all =
        database.with(
            s ->
                s.createSelectionQuery("select count(*) from Series", Long.class)
                    .getSingleResult());
    var progress = new StartProgress("reading series", all);
    database.run(
        s ->
            s.createSelectionQuery("from Series order by id", SeriesRow.class)
                .getResultStream()
                .forEach(
                    r -> {
                      var key = new SeriesKey(r.store, r.metric, LabelText.read(r.labels));
                      ids.put(key, r.id);
                      nameBytes.addAndGet(weight(key));
                      index.add(new Series(r.id, key, MetricKind.valueOf(r.kind), r.unit));
                      progress.add(1);
                    }));
  }

  private Map<Integer, Long> loadOpenChunks() {
    record Ends(long oldest, long newest, long interval) {}
    var known = new HashMap<Integer, Ends>();
    var rows = new HashMap<Integer, Long>();
    database.run(
        s -> {
          s.createSelectionQuery(
                  "select seriesId, min(startTime), max(endTime), max(interval) from Chunk where"
                      + " tier = 0 group by seriesId",
                  Object[].class)
              .getResultList()
              .forEach(
                  r -> known.put((Integer) r[0], new Ends((Long) r[1], (Long) r[2], (Long) r[3])));
          known.forEach(
              (series, e) ->
                  heads.restore(series, Samples.EMPTY, e.oldest(), e.newest(), e.interval()));
          s.createSelectionQuery("from Chunk where sealed = false", ChunkRow.class)
              .getResultStream()
              .forEach(
                  r -> {
                    rows.put(r.seriesId, r.id);
                    var e = known.get(r.seriesId);
                    var open = decode(r.id, r.data);
                    heads.restore(r.seriesId, open, e.oldest(), e.newest(), e.interval());
                  });
        });
    return rows;
  }

  private Journal replayJournal(Path folder) {
    long started = System.nanoTime();
    long[] samples = {0};
    try {
      var progress = new StartProgress("recovering", Journal.bytes(folder.resolve("journal")));
      var found =
          Journal.open(
              folder.resolve("journal"),
              last("select max(until) from JournalMark"),
              payload -> {
                var batch = JournalCodec.decode(payload);
                heads.put(batch);
                samples[0] += batch.size();
                progress.add(payload.length);
              });
      if (samples[0] > 0) {
        log.info(
            "{} samples read back from the journal in {} ms",
            samples[0],
            (System.nanoTime() - started) / 1_000_000);
      }
      if (found.damaged() > 0) {
        log.error("{} bytes of the journal are damaged and were left out", found.damaged());
      }
      return found.journal();
    } catch (IOException e) {
      throw new UncheckedIOException("the journal can't be read", e);
    }
  }

  private long last(String query) {
    Long found = database.with(s -> s.createSelectionQuery(query, Long.class).getSingleResult());
    return found == null ? 0 : found;
  }

  private static Samples decode(long row, byte[] data) {
    try {
      return ChunkCodec.decode(data);
    } catch (DamagedChunkException e) {
      log.error("chunk {} is damaged and left out: {}", row, e.getMessage());
      return Samples.EMPTY;
    }
  }

  private Samples decode(Chunks.Chunk c, long from, long to) {
    try {
      return chunks.samples(c, from, to);
    } catch (DamagedChunkException e) {
      log.error("chunk {} is damaged and left out: {}", c.id(), e.getMessage());
      return Samples.EMPTY;
    }
  }

  @Override
  public int find(SeriesKey key) {
    var id = ids.get(key);
    return id == null ? -1 : id;
  }

  @Override
  public int resolve(SeriesKey key, MetricKind kind, String unit) {
    var known = ids.get(key);
    if (known != null) {
      return known;
    }
    var fault = Admission.fault(key.metric(), key.labels(), unit);
    if (fault != null) {
      throw new IllegalArgumentException(fault);
    }
    synchronized (unwritten) {
      return ids.computeIfAbsent(
          key,
          k -> {
            var row = new SeriesRow();
            row.id = index.nextId();
            row.store = k.store();
            row.metric = k.metric();
            row.labels = LabelText.write(k.labels());
            row.kind = kind.name();
            row.unit = unit;
            unwritten.add(row);
            nameBytes.addAndGet(weight(k));
            index.add(new Series(row.id, k, kind, unit));
            return row.id;
          });
    }
  }

  @Override
  public List<SeriesRow> pending() {
    synchronized (unwritten) {
      return List.copyOf(unwritten);
    }
  }

  @Override
  public void written(List<SeriesRow> rows) {
    synchronized (unwritten) {
      // Series are only ever added at the end.
      unwritten.subList(0, rows.size()).clear();
    }
  }

  @Override
  public void refused(List<SeriesRow> rows) {
    rows.forEach(r -> forget(r.id, index.get(r.id).key()));
    generation.incrementAndGet();
  }

  private static long weight(SeriesKey key) {
    long out = 100 + key.metric().length();
    for (int i = 0; i < key.labels().size(); i++) {
      out += 40 + key.labels().name(i).length() + key.labels().value(i).length();
    }
    return out;
  }

  /** About the bytes that the names and labels of all series take in memory. */
  public long nameBytes() {
    return nameBytes.get();
  }

  private void forget(int id, SeriesKey key) {
    nameBytes.addAndGet(-weight(key));
    heads.remove(id);
    ids.remove(key);
    index.remove(id);
  }

  @Override
  public Receipt append(SampleBatch batch) {
    return batch.size() == 0 ? Receipt.NOTHING : committer.append(batch);
  }

  @Override
  public LabelIndex index() {
    return index;
  }

  @Override
  public List<Series> select(String store, String metric, Condition where) {
    return index.select(store, metric, where);
  }

  @Override
  public boolean hasMetric(String store, String name) {
    return index.hasMetric(store, name);
  }

  @Override
  public Collection<String> metricNames(String store) {
    return index.metricNames(store);
  }

  @Override
  public List<String> stores() {
    return stores.all().stream().map(NamedStores.Named::name).toList();
  }

  @Override
  public String unit(String metric) {
    var some = index.newest(metric);
    return some == null ? "" : some.unit();
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to) {
    // The heads first: what a flush moves meanwhile is then seen twice, never not at all.
    var recent = series.stream().map(s -> heads.read(s.id(), from, to)).toList();
    var written = chunks.read(series.stream().map(Series::id).toList(), null, from, to);
    return IntStream.range(0, series.size())
        .parallel()
        .mapToObj(i -> merged(written.get(i), recent.get(i), from, to))
        .toList();
  }

  private Samples merged(List<Chunks.Chunk> written, List<Samples> recent, long from, long to) {
    var runs = new ArrayList<Samples>(written.size() + recent.size());
    for (var c : written) {
      runs.add(decode(c, from, to));
    }
    runs.addAll(recent);
    runs.removeIf(Samples::isEmpty);
    return runs.isEmpty() ? Samples.EMPTY : Merge.of(runs);
  }

  @Override
  public List<Summaries> pieces(List<Series> series, long[] edges, long from, long to) {
    var recent = series.stream().map(s -> heads.read(s.id(), from, to)).toList();
    var written = chunks.read(series.stream().map(Series::id).toList(), null, from, to);
    return IntStream.range(0, series.size())
        .parallel()
        .mapToObj(i -> pieces(written.get(i), recent.get(i), edges, from, to))
        .toList();
  }

  private Summaries pieces(
      List<Chunks.Chunk> written, List<Samples> recent, long[] edges, long from, long to) {
    long last = Long.MIN_VALUE;
    boolean ordered = true;
    for (var c : written) {
      ordered &= c.start() > last;
      last = c.end();
    }
    for (var run : recent) {
      ordered &= run.isEmpty() || run.firstTime() > last;
    }
    if (!ordered) {
      // Late samples may replace some of a chunk's: only all of them together are right.
      return Summaries.pieces(merged(written, recent, from, to), edges);
    }
    var out = new ArrayList<Summaries>(written.size() + 1);
    for (var c : written) {
      out.add(
          within(c, edges, from, to)
              ? Summaries.piece(c.summary())
              : Summaries.pieces(decode(c, from, to), edges));
    }
    out.add(Summaries.pieces(merged(List.of(), recent, from, to), edges));
    return Summaries.join(out);
  }

  private static boolean within(Chunks.Chunk c, long[] edges, long from, long to) {
    int next = Summaries.after(edges, c.start());
    boolean crossed = next < edges.length && edges[next] <= c.end();
    return c.summary().whole() && c.start() >= from && c.end() < to && !crossed;
  }

  Samples read(int id, long from, long to) {
    return read(List.of(index.get(id)), from, to).getFirst();
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to) {
    return tiers.read(series, tier, needs, from, to);
  }

  @Override
  public long interval(Series series) {
    return heads.interval(series.id());
  }

  /**
   * Looks back in widening steps of days (the pages of the cache), so that a sample that is near is
   * found fast and one that is far is found at all.
   */
  @Override
  public Samples before(Series series, long time) {
    long oldest = heads.oldest(series.id());
    long to = time;
    for (long days = 1; to > oldest; days *= 2) {
      long from = Math.max(oldest, to - days * Durations.DAY);
      var found = read(series.id(), from, to).lastFinite();
      if (!found.isEmpty()) {
        return found;
      }
      to = from;
    }
    return Samples.EMPTY;
  }

  @Override
  public int drops() {
    return drops.get();
  }

  @Override
  public long rawSince(Series series) {
    return oldestOf(series.id());
  }

  /** What the roller reads. */
  private final class RawSide implements Rollup.Raw {
    @Override
    public Series series(int id) {
      return index.get(id);
    }

    @Override
    public long newest(int id) {
      return heads.newest(id);
    }

    @Override
    public long firstAt(int id, long from) {
      Long written =
          database.with(
              s ->
                  s.createSelectionQuery(
                          "select min(startTime) from Chunk where seriesId = :id and tier = 0 and"
                              + " endTime >= :from",
                          Long.class)
                      .setParameter("id", id)
                      .setParameter("from", from)
                      .getSingleResult());
      return written == null ? Long.MAX_VALUE : Math.max(from, written);
    }

    @Override
    public Samples read(int id, long from, long to) {
      return DurableStore.this.read(id, from, to);
    }
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

  @Override
  public long[] density(long from, long to, int n) {
    var counts = new long[n];
    heads.count(from, to, counts);
    double part = (to - from) / (double) n;
    database.run(
        s ->
            s.createSelectionQuery(
                    "select startTime, endTime, sampleCount from Chunk where endTime >= :from and"
                        + " startTime < :to and sealed = true and tier = 0",
                    Object[].class)
                .setParameter("from", from)
                .setParameter("to", to)
                .getResultList()
                .forEach(
                    r -> spread(counts, from, part, (Long) r[0], (Long) r[1], (Integer) r[2])));
    return counts;
  }

  private static void spread(
      long[] counts, long from, double part, long start, long end, int count) {
    double length = Math.max(1, end - start + 1);
    int first = (int) Math.max(0, Math.floor((start - from) / part));
    int last = (int) Math.min(counts.length - 1, Math.floor((end - from) / part));
    for (int i = first; i <= last; i++) {
      double a = Math.max(start, from + i * part);
      double b = Math.min(end + 1, from + (i + 1) * part);
      counts[i] += Math.round(count * Math.max(0, b - a) / length);
    }
  }

  /** Samples of a series before this time are refused: its store would drop them at once. */
  private long oldestOf(int id) {
    var series = index.get(id);
    var retention = stores.retention(series == null ? SeriesKey.MAIN : series.store());
    // A clock that jumps ahead must not refuse what right clocks send.
    long now = Math.min(clock.millis(), Math.max(heads.newest(), 0));
    return (heads.newest() == Long.MIN_VALUE ? clock.millis() : now) - retention.raw();
  }

  /** The time of the newest sample of all, or {@link Long#MIN_VALUE}. */
  public long newest() {
    return heads.newest();
  }

  /** Takes out the series of a store that have nothing after a time; how many there were. */
  int dropSeries(String named, long limit) {
    var old =
        index.select(named, null, Condition.ALL).stream()
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
    gone.forEach(s -> forget(s.id(), s.key()));
    generation.incrementAndGet();
  }

  /** Chunks were deleted. */
  void dropped() {
    drops.incrementAndGet();
    chunks.forget();
  }

  public StoreStats stats() {
    return stats;
  }

  /** No sample is older, but those that are not written yet. */
  public long oldest() {
    return Math.min(chunks.oldest(), heads.oldest());
  }

  /** Writes all that is in memory; waits for it. */
  public void flush() {
    committer.flush();
  }

  /** Samples that are held in memory. */
  public long headSize() {
    return heads.size();
  }

  /** Bytes of the journal that are not in chunks yet. */
  public long journalBytes() {
    return journal.bytes();
  }

  /** Seconds since the journal was last written to chunks. */
  public double journalAge() {
    return committer.journalAge();
  }

  /** The share of pages of chunks that were found in memory, 0 to 1. */
  public double cacheHits() {
    return chunks.hitRate();
  }

  private void tidy() {
    // Never interrupted: that would close the database's file under it.
    while (true) {
      try {
        if (stopped.await(TIDY_EVERY, TimeUnit.MILLISECONDS)) {
          return;
        }
        if (flusher.idle()) {
          database.tidy(TIDY_MILLIS);
        }
      } catch (InterruptedException e) {
        return;
      } catch (RuntimeException | StackOverflowError e) {
        log.warn("the file could not be made smaller now: {}", e.toString());
      }
    }
  }

  /** Changes whenever ids that somebody may remember stop to be valid. */
  public int generation() {
    return generation.get();
  }

  @PreDestroy
  void close() {
    stopped.countDown();
    try {
      tidier.join(10_000);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    committer.close();
    flusher.close();
    journal.close();
  }
}
