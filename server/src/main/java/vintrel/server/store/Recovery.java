package vintrel.server.store;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Samples;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.Journal;
import vintrel.core.store.JournalCodec;
import vintrel.server.database.Database;
import vintrel.server.web.StartProgress;

/** Fills the heads at start: from open chunks, then from the journal. One thread. */
final class Recovery {
  private static final Logger log = LoggerFactory.getLogger(DurableStore.class);

  private final Database database;
  private final HeadSamples heads;

  Recovery(Database database, HeadSamples heads) {
    this.database = database;
    this.heads = heads;
  }

  /**
   * The rows of open runs.
   *
   * @param bySeries that count
   * @param replaced by a later flush, which was ended before it could delete them
   */
  record OpenRows(Map<Integer, Long> bySeries, List<Long> replaced) {}

  OpenRows loadOpenChunks() {
    record Ends(long oldest, long newest, long interval, long last) {}
    var known = new HashMap<Integer, Ends>();
    var rows = new HashMap<Integer, Long>();
    var replaced = new ArrayList<Long>();
    database.run(
        s -> {
          s.createSelectionQuery(
                  "select seriesId, min(startTime), max(endTime), max(interval), max(id) from Chunk"
                      + " where tier = 0 group by seriesId",
                  Object[].class)
              .getResultList()
              .forEach(
                  r ->
                      known.put(
                          (Integer) r[0],
                          new Ends((Long) r[1], (Long) r[2], (Long) r[3], (Long) r[4])));
          known.forEach(
              (series, e) ->
                  heads.restore(series, Samples.EMPTY, e.oldest(), e.newest(), e.interval()));
          s.createSelectionQuery("from Chunk where sealed = false", ChunkRow.class)
              .getResultStream()
              .forEach(
                  r -> {
                    var e = known.get(r.seriesId);
                    if (r.id != e.last()) {
                      replaced.add(r.id);
                      return;
                    }
                    rows.put(r.seriesId, r.id);
                    var open = decode(r.id, r.data);
                    heads.restore(r.seriesId, open, e.oldest(), e.newest(), e.interval());
                  });
        });
    return new OpenRows(rows, replaced);
  }

  /**
   * Deletes what a flush wrote that did not come to its end, before anything is loaded. Its samples
   * are in the journal; without one it was another server's, which may be at it just now.
   */
  void dropUnfinished(Path folder) {
    if (journalBytes(folder) == 0) {
      return;
    }
    database.run(
        s -> {
          var last =
              s.createSelectionQuery("select max(chunk) from JournalMark", Long.class)
                  .getSingleResult();
          int dropped =
              last == null
                  ? 0
                  : s.createMutationQuery("delete from Chunk where tier = 0 and id > :last")
                      .setParameter("last", last)
                      .executeUpdate();
          if (dropped > 0) {
            log.info("dropped {} chunks of a flush that was cut off", dropped);
          }
        });
  }

  private static long journalBytes(Path folder) {
    try {
      return Journal.bytes(folder.resolve("journal"));
    } catch (IOException e) {
      throw new UncheckedIOException("the journal can't be read", e);
    }
  }

  /** Opens the journal of the data directory. */
  Journal replayJournal(Path folder) {
    long started = System.nanoTime();
    long[] samples = {0};
    try {
      var progress = new StartProgress("recovering", journalBytes(folder));
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
            "restored {} samples from the journal in {} ms",
            samples[0],
            (System.nanoTime() - started) / 1_000_000);
      }
      if (found.damaged() > 0) {
        log.error("skipped {} damaged bytes of the journal", found.damaged());
      }
      return found.journal();
    } catch (IOException e) {
      throw new UncheckedIOException("the journal can't be read", e);
    }
  }

  /**
   * A journal of nothing, of a server that takes no samples. One that is there stays as it is: what
   * it holds is read when the server takes them again.
   */
  Journal noJournal(Path folder) {
    try {
      return Journal.open(folder.resolve("journal-unused"), 0, payload -> {}).journal();
    } catch (IOException e) {
      throw new UncheckedIOException("the folder journal-unused can't be written", e);
    }
  }

  /** The result of a query for one number; 0 if there is none. */
  long last(String query) {
    Long found = database.with(s -> s.createSelectionQuery(query, Long.class).getSingleResult());
    return found == null ? 0 : found;
  }

  private static Samples decode(long row, byte[] data) {
    try {
      return ChunkCodec.decode(data);
    } catch (DamagedChunkException e) {
      log.error("skipped damaged chunk {}: {}", row, e.getMessage());
      return Samples.EMPTY;
    }
  }
}
