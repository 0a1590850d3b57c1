package vintrel.server.store;

import java.io.IOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.ChunkWriter;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.Run;
import vintrel.server.database.Database;

/**
 * Heads → chunk rows. Full runs become sealed rows; an open run replaces the row that an earlier
 * flush wrote of it. Rows are written in parts, each a transaction of its own. Then the mark moves:
 * up to where the journal is not needed, and which rows count. The journal's files go once that is
 * on the disk, replaced rows last. A start after a kill deletes what is beyond the mark.
 */
final class Flusher implements AutoCloseable {
  private static final Logger log = LoggerFactory.getLogger(Flusher.class);
  private static final int BATCH = 500;
  private static final int TIDY_MILLIS = 300;

  /** Writing the chunks, and the tiers made of them, are about as much work. */
  private static final double HALF = 0.5;

  private final Database database;
  private final HeadSamples heads;
  private final Chunks chunks;
  private final ChunkIds ids;
  private final Rollup roller;
  private final Journal journal;
  private final StoreStats stats;
  private final Pace pace;
  private final Map<Integer, Long> openRows = new HashMap<>();
  private final List<Long> replaced = new ArrayList<>();
  private final ChunkWriter writer = new ChunkWriter();
  private final long[] times = new long[ChunkCodec.FULL];
  private final double[] values = new double[ChunkCodec.FULL];
  private volatile boolean failed;
  private final AtomicBoolean busy = new AtomicBoolean();
  private final ExecutorService thread =
      Executors.newSingleThreadExecutor(Thread.ofPlatform().name("flusher").factory());

  Flusher(
      Database database,
      HeadSamples heads,
      Chunks chunks,
      ChunkIds ids,
      Rollup roller,
      Journal journal,
      StoreStats stats,
      Recovery.OpenRows openRows) {
    this.database = database;
    this.heads = heads;
    this.chunks = chunks;
    this.ids = ids;
    this.roller = roller;
    this.journal = journal;
    this.stats = stats;
    this.pace = new Pace(journal::bytes, Committer.FLUSH_BYTES);
    this.openRows.putAll(openRows.bySeries());
    this.replaced.addAll(openRows.replaced());
  }

  boolean idle() {
    return !busy.get();
  }

  /** Writes a snapshot of a place of the journal; returns at once. */
  void flush(List<HeadSamples.Pending> snapshot, long journalUntil) {
    busy.set(true);
    thread.execute(
        () -> {
          try {
            long started = System.nanoTime();
            pace.begin();
            failed = true;
            try {
              write(snapshot, journalUntil);
            } finally {
              heads.release();
            }
            failed = false;
            stats.flushed((System.nanoTime() - started) / 1e9);
            var series = snapshot.stream().map(HeadSamples.Pending::series).toList();
            roller.roll(series, done -> pace.rest(HALF + HALF * done));
            stats.rolledUp(roller.lag() / 1e3);
            database.tidy(TIDY_MILLIS);
          } catch (RuntimeException | Error e) {
            if (failed) {
              heads.unflushed(snapshot);
            }
            log.error("flush failed, samples stay in the journal: {}", e.toString());
          } finally {
            busy.set(false);
          }
        });
  }

  /**
   * Waits until the flushes before are done. A snapshot must not be taken while one is under way:
   * it would hold the same runs again, and its mark would cover what the other may fail to write.
   */
  void settle() {
    pace.hurry();
    try {
      CompletableFuture.runAsync(() -> {}, thread).join();
    } finally {
      pace.leisure();
    }
  }

  /** What a flush holds is in memory twice: no rests while that is short. */
  void urge(boolean now) {
    pace.urge(now);
  }

  /** Whether the last flush wrote all that it had taken. */
  boolean wrote() {
    return !failed;
  }

  /** The same, waiting for it and for those before. */
  void flushNow(List<HeadSamples.Pending> snapshot, long journalUntil) {
    flush(snapshot, journalUntil);
    close();
  }

  private void write(List<HeadSamples.Pending> snapshot, long journalUntil) {
    var part = new Part();
    int done = 0;
    for (var p : snapshot) {
      part.add(p);
      done++;
      if (part.rows.size() >= BATCH || done == snapshot.size()) {
        part.write();
        part = new Part();
        pace.rest(HALF * done / snapshot.size());
      }
    }
    long last = ids.last();
    database.run(
        s ->
            s.createMutationQuery("update JournalMark set until = :until, chunk = :last")
                .setParameter("until", journalUntil)
                .setParameter("last", last)
                .executeUpdate());
    database.force();
    try {
      journal.drop(journalUntil);
    } catch (IOException e) {
      log.warn("could not delete old journal files: {}", e.toString());
    }
    deleteReplaced();
  }

  /** Some series of a snapshot: their rows are one transaction. */
  private final class Part {
    final List<HeadSamples.Pending> pending = new ArrayList<>();
    final List<ChunkRow> rows = new ArrayList<>();
    final Map<Integer, Long> open = new HashMap<>();

    void add(HeadSamples.Pending p) {
      pending.add(p);
      for (var run : p.full()) {
        rows.add(row(p, run, true));
      }
      if (p.open() != null) {
        var row = row(p, p.open(), false);
        open.put(p.series(), row.id);
        rows.add(row);
      }
    }

    private ChunkRow row(HeadSamples.Pending p, Run run, boolean sealed) {
      var samples = run.into(times, values);
      return ChunkRow.of(ids.next(), p.series(), samples, sealed, p.interval(), writer);
    }

    void write() {
      database.run(
          s -> {
            s.insertMultiple(rows);
            // What no reader waits for is not held until the commit.
            rows.stream().filter(r -> !chunks.wants(r)).forEach(r -> r.data = null);
          });
      for (var p : pending) {
        var old = openRows.remove(p.series());
        if (old != null) {
          replaced.add(old);
        }
      }
      openRows.putAll(open);
      chunks.written(rows);
      heads.flushed(pending);
    }
  }

  /** Only now: until the mark was written they were what a restart begins with. */
  private void deleteReplaced() {
    while (!replaced.isEmpty()) {
      var some = replaced.subList(0, Math.min(BATCH, replaced.size()));
      database.run(
          s ->
              s.createMutationQuery("delete from Chunk where id in :ids")
                  .setParameterList("ids", some)
                  .executeUpdate());
      some.clear();
    }
  }

  @Override
  public void close() {
    pace.hurry();
    thread.shutdown();
    try {
      thread.awaitTermination(30, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
