package vintrel.server.store;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.DoubleConsumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;
import vintrel.server.database.Database;

/**
 * Raw samples → tiers. A window is rolled up once no sample can come into it any more: when it ends
 * before the series' newest sample less the time that samples may be late. So what is rolled up is
 * final. A window for which a tier does not pay gets no row, and a reader takes what is finer
 * there; so it does if a row is damaged. Runs on the flusher's thread.
 */
final class Rollup {
  private static final Logger log = LoggerFactory.getLogger(Rollup.class);
  private static final int MAX_WINDOWS = 16;
  private static final int BATCH = 2000;

  /** Fewer samples a bucket than this are not worth a sketch. */
  private static final int MIN_SKETCHED = 60;

  /** What the roller reads of the store. */
  interface Raw {
    Series series(int id);

    long newest(int id);

    /** No sample of the series is older; MAX_VALUE if there is none. */
    long oldest(int id);

    /** The time of the first sample at or after a time, or MAX_VALUE. */
    long firstAt(int id, long from);

    Samples read(int id, long from, long to);
  }

  private final Database database;
  private final Chunks chunks;
  private final ChunkIds ids;
  private final Raw raw;
  private final long late;
  private final long[][] frontiers = new long[Tier.ALL.size()][];
  private final AtomicLong behind = new AtomicLong();
  private final List<ChunkRow> rows = new ArrayList<>();
  private final List<Runnable> advances = new ArrayList<>();

  Rollup(Database database, Chunks chunks, ChunkIds ids, Raw raw, long late) {
    this.database = database;
    this.chunks = chunks;
    this.ids = ids;
    this.raw = raw;
    this.late = late;
    Arrays.setAll(frontiers, i -> new long[0]);
    load();
  }

  private void load() {
    database.run(
        s ->
            s.createSelectionQuery(
                    "select seriesId, tier, max(endTime) from Chunk where tier > 0 group by"
                        + " seriesId, tier",
                    Object[].class)
                .getResultList()
                .forEach(r -> advance((Integer) r[0], (Integer) r[1], (Long) r[2] + 1)));
  }

  private synchronized void advance(int series, int code, long until) {
    var known = frontiers[code - 1];
    if (series >= known.length) {
      int from = known.length;
      known = Arrays.copyOf(known, Math.max(series + 1, from * 2));
      Arrays.fill(known, from, known.length, Long.MIN_VALUE);
      frontiers[code - 1] = known;
    }
    known[series] = until;
  }

  /** Up to where (exclusive) a series is rolled up, or {@link Long#MIN_VALUE}. */
  synchronized long frontier(int series, Tier tier) {
    var known = frontiers[tier.code() - 1];
    return series < known.length ? known[series] : Long.MIN_VALUE;
  }

  /** How long the last run took, ms. */
  long lag() {
    return behind.get();
  }

  /**
   * Rolls up what has become final of these series.
   *
   * @param rest is called now and then, with the share that is done
   */
  void roll(List<Integer> series, DoubleConsumer rest) {
    long started = System.nanoTime();
    int done = 0;
    try {
      for (int id : series) {
        for (var tier : Tier.ALL) {
          roll(id, tier);
        }
        done++;
        if (rows.size() >= BATCH) {
          write();
        }
        if (done % BATCH == 0) {
          rest.accept((double) done / series.size());
        }
      }
      write();
    } catch (RuntimeException e) {
      rows.clear();
      advances.clear();
      log.error("could not write tiers, using raw samples: {}", e.toString());
    }
    behind.set((System.nanoTime() - started) / 1_000_000);
  }

  private void roll(int id, Tier tier) {
    long end = floor(raw.newest(id) - late, tier.window());
    long known = frontier(id, tier);
    if (raw.newest(id) == Long.MIN_VALUE || known >= end || raw.oldest(id) >= end) {
      return;
    }
    long at = known == Long.MIN_VALUE ? Long.MIN_VALUE : known;
    boolean cumulative = raw.series(id).kind().cumulative();
    while (at < end) {
      long first = raw.firstAt(id, at);
      if (first >= end) {
        break;
      }
      at = floor(first, tier.window());
      long until = Math.min(end, at + MAX_WINDOWS * tier.window());
      var samples = raw.read(id, at, until);
      long interval = samples.interval();
      if (tier.pays(interval)) {
        var all = Summaries.of(samples, tier.pitch(), cumulative, SampleSource.MIN_GAP);
        if (tier == Tier.HOUR && !cumulative && interval * MIN_SKETCHED <= tier.pitch()) {
          all.sketched(samples, tier.pitch());
        }
        for (long w = at; w < until; w += tier.window()) {
          var part = all.slice(w, w + tier.window());
          var row =
              part.count == 0 || part.split() ? null : ChunkRow.of(ids.next(), id, tier, w, part);
          if (row != null && smaller(row, samples.slice(w, w + tier.window()))) {
            rows.add(row);
          }
        }
      }
      at = until;
    }
    if (at > known && at != Long.MIN_VALUE) {
      long reached = at;
      advances.add(() -> advance(id, tier.code(), reached));
    }
  }

  /** Numbers without any pattern are as long in a tier as raw: then raw samples serve as well. */
  private static boolean smaller(ChunkRow row, Samples samples) {
    return row.tier > 1 || row.data.length * 2 <= ChunkCodec.encode(samples).length;
  }

  private void write() {
    if (!rows.isEmpty()) {
      database.run(s -> s.insertMultiple(rows));
      chunks.written(rows);
    }
    advances.forEach(Runnable::run);
    rows.clear();
    advances.clear();
  }

  private static long floor(long time, long span) {
    return time - Math.floorMod(time, span);
  }
}
