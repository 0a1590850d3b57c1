package vintrel.server.store;

import java.io.IOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.hibernate.StatelessSession;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.server.database.Database;

/**
 * Heads → chunk rows. Full runs become sealed rows; an open run replaces the row that an earlier
 * flush wrote of it. The rows, and the mark up to which the journal is not needed any more, are one
 * transaction; the files go once that is on the disk.
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
      Map<Integer, Long> openRows) {
    this.database = database;
    this.heads = heads;
    this.chunks = chunks;
    this.ids = ids;
    this.roller = roller;
    this.journal = journal;
    this.stats = stats;
    this.pace = new Pace(journal::bytes, Committer.FLUSH_BYTES);
    this.openRows.putAll(openRows);
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
            write(snapshot, journalUntil);
            failed = false;
            stats.flushed((System.nanoTime() - started) / 1e9);
            var series = snapshot.stream().map(HeadSamples.Pending::series).toList();
            roller.roll(series, done -> pace.rest(HALF + HALF * done));
            stats.rolledUp(roller.lag() / 1e3);
            database.tidy(TIDY_MILLIS);
          } catch (RuntimeException | Error e) {
            heads.unflushed(snapshot);
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
    var rows = new ArrayList<ChunkRow>();
    var open = new HashMap<Integer, Long>();
    var replaced =
        snapshot.stream().map(p -> openRows.get(p.series())).filter(Objects::nonNull).toList();
    database.run(
        s -> {
          for (int i = 0; i < replaced.size(); i += BATCH) {
            s.createMutationQuery("delete from Chunk where id in :ids")
                .setParameterList("ids", replaced.subList(i, Math.min(i + BATCH, replaced.size())))
                .executeUpdate();
          }
          // Encoded, inserted and written part by part: large pieces make long pauses.
          int inserted = 0;
          int done = 0;
          for (var p : snapshot) {
            encode(p, rows, open);
            done++;
            if (rows.size() - inserted >= BATCH) {
              insert(s, rows.subList(inserted, rows.size()));
              inserted = rows.size();
              database.writeOut();
              pace.rest(HALF * done / snapshot.size());
            }
          }
          insert(s, rows.subList(inserted, rows.size()));
          s.createMutationQuery("update JournalMark set until = :until")
              .setParameter("until", journalUntil)
              .executeUpdate();
        });
    snapshot.forEach(p -> openRows.remove(p.series()));
    openRows.putAll(open);
    database.force();
    chunks.written(rows);
    heads.flushed(snapshot);
    try {
      journal.drop(journalUntil);
    } catch (IOException e) {
      log.warn("could not delete old journal files: {}", e.toString());
    }
  }

  /** What no reader waits for is not held until the commit. */
  private void insert(StatelessSession session, List<ChunkRow> rows) {
    session.insertMultiple(rows);
    for (var row : rows) {
      if (!chunks.wants(row)) {
        row.data = null;
      }
    }
  }

  private void encode(HeadSamples.Pending p, List<ChunkRow> rows, Map<Integer, Long> open) {
    for (var run : p.full()) {
      rows.add(ChunkRow.of(ids.next(), p.series(), run, true, p.interval()));
    }
    if (!p.open().isEmpty()) {
      var row = ChunkRow.of(ids.next(), p.series(), p.open(), false, p.interval());
      open.put(p.series(), row.id);
      rows.add(row);
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
