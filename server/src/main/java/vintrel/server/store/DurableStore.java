package vintrel.server.store;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Condition;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Heads;
import vintrel.core.store.JournalCodec;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Spans;
import vintrel.server.keep.Database;
import vintrel.server.web.Settings;

/**
 * The store. At start the index is built from the series, the heads from open chunks and journal.
 */
@Service
public class DurableStore implements SampleStore, Committer.NewSeries {
  private static final Logger log = LoggerFactory.getLogger(DurableStore.class);

  private final Database database;
  private final Clock clock;
  private final long retention;
  private final LabelIndex index = new LabelIndex();
  private final Map<SeriesKey, Integer> ids = new ConcurrentHashMap<>();
  private final List<SeriesRow> unwritten = new ArrayList<>();
  private final Heads heads;
  private final Flusher flusher;
  private final Committer committer;

  DurableStore(Database database, Settings settings, Clock clock) {
    this.database = database;
    this.clock = clock;
    this.retention = settings.retention().toMillis();
    this.heads = new Heads(settings.late().toMillis(), 10 * Spans.MINUTE);
    loadSeries();
    var openRows = loadOpenChunks();
    long lastChunk = last("select max(id) from Chunk");
    long lastSequence = replayJournal();
    this.flusher = new Flusher(database, heads, openRows, lastChunk + 1);
    this.committer =
        new Committer(
            database,
            heads,
            clock,
            () -> clock.millis() - retention,
            this,
            flusher,
            settings.ingest().mostWaiting(),
            lastSequence);
    Thread.ofVirtual().name("retention").start(this::retain);
  }

  private void loadSeries() {
    database.run(
        s ->
            s.createSelectionQuery("from Series order by id", SeriesRow.class)
                .getResultStream()
                .forEach(
                    r -> {
                      var key = new SeriesKey(r.metric, LabelText.read(r.labels));
                      ids.put(key, r.id);
                      index.add(new Series(r.id, key, MetricKind.valueOf(r.kind), r.unit));
                    }));
  }

  private Map<Integer, Long> loadOpenChunks() {
    var newest = new HashMap<Integer, Long>();
    var rows = new HashMap<Integer, Long>();
    database.run(
        s -> {
          s.createSelectionQuery(
                  "select seriesId, max(endTime) from Chunk group by seriesId", Object[].class)
              .getResultList()
              .forEach(r -> newest.put((Integer) r[0], (Long) r[1]));
          newest.forEach((series, time) -> heads.restore(series, Samples.EMPTY, time));
          s.createSelectionQuery("from Chunk where sealed = false", ChunkRow.class)
              .getResultStream()
              .forEach(
                  r -> {
                    rows.put(r.seriesId, r.id);
                    heads.restore(r.seriesId, decode(r.id, r.data), newest.get(r.seriesId));
                  });
        });
    return rows;
  }

  private long replayJournal() {
    long started = System.nanoTime();
    long[] last = {0};
    long[] samples = {0};
    database.run(
        s ->
            s.createSelectionQuery("from Journal order by sequence", JournalRow.class)
                .getResultStream()
                .forEach(
                    r -> {
                      var batch = JournalCodec.decode(r.payload);
                      heads.put(batch);
                      samples[0] += batch.size();
                      last[0] = r.sequence;
                    }));
    if (samples[0] > 0) {
      log.info(
          "{} samples read back from the journal in {} ms",
          samples[0],
          (System.nanoTime() - started) / 1_000_000);
    }
    return last[0];
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

  @Override
  public int resolve(SeriesKey key, MetricKind kind, String unit) {
    var known = ids.get(key);
    if (known != null) {
      return known;
    }
    synchronized (unwritten) {
      return ids.computeIfAbsent(
          key,
          k -> {
            var row = new SeriesRow();
            row.id = index.size();
            row.metric = k.metric();
            row.labels = LabelText.write(k.labels());
            row.kind = kind.name();
            row.unit = unit;
            unwritten.add(row);
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
  public Receipt append(SampleBatch batch) {
    return batch.size() == 0 ? Receipt.NOTHING : committer.append(batch);
  }

  @Override
  public LabelIndex index() {
    return index;
  }

  @Override
  public List<Series> select(String metric, Condition where) {
    return index.select(metric, where);
  }

  @Override
  public boolean hasMetric(String name) {
    return index.hasMetric(name);
  }

  @Override
  public Collection<String> metricNames() {
    return index.metricNames();
  }

  @Override
  public Samples read(int seriesId, long from, long to) {
    // The heads first: what a flush moves meanwhile is then seen twice, never not at all.
    var recent = heads.read(seriesId, from, to);
    var runs = new ArrayList<Samples>();
    database.run(
        s ->
            s.createSelectionQuery(
                    "select id, data from Chunk where seriesId = :series and startTime < :to and"
                        + " endTime >= :from and sealed = true order by id",
                    Object[].class)
                .setParameter("series", seriesId)
                .setParameter("from", from)
                .setParameter("to", to)
                .getResultList()
                .forEach(r -> runs.add(decode((Long) r[0], (byte[]) r[1]).slice(from, to))));
    runs.addAll(recent);
    runs.removeIf(Samples::isEmpty);
    return runs.isEmpty() ? Samples.EMPTY : Merge.of(runs);
  }

  @Override
  public long newest(int seriesId) {
    return heads.newest(seriesId);
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
                        + " startTime < :to and sealed = true",
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

  private void retain() {
    while (true) {
      try {
        Thread.sleep(Spans.HOUR);
        long limit = clock.millis() - retention;
        database.run(
            s ->
                s.createMutationQuery("delete from Chunk where endTime < :limit and sealed = true")
                    .setParameter("limit", limit)
                    .executeUpdate());
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      } catch (RuntimeException e) {
        log.error("old samples could not be dropped: {}", e.toString());
      }
    }
  }

  @PreDestroy
  void close() {
    committer.close();
    flusher.close();
  }
}
