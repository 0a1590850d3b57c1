package vintrel.server.store;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.index.Catalog;
import vintrel.core.series.Series;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/** Reads raw samples: heads first, then chunks. Any thread. */
final class StoreReader {
  private static final Logger log = LoggerFactory.getLogger(DurableStore.class);

  /** Parts of a strip that are wide enough for counts by the minute, ms. */
  private static final long MIN_PART = 5 * Durations.MINUTE;

  private static final long SAMPLE_BYTES = SampleSource.SAMPLE_BYTES;

  /** Bytes of a piece of which summaries are made. */
  private static final int PIECE = 200;

  private final Database database;
  private final HeadSamples heads;
  private final Chunks chunks;
  private final Catalog catalog;

  StoreReader(Database database, HeadSamples heads, Chunks chunks, Catalog catalog) {
    this.database = database;
    this.heads = heads;
    this.chunks = chunks;
    this.catalog = catalog;
  }

  private Samples decode(Chunks.Chunk c, long from, long to) {
    try {
      return chunks.samples(c, from, to);
    } catch (DamagedChunkException e) {
      log.error("skipped damaged chunk {}: {}", c.id(), e.getMessage());
      return Samples.EMPTY;
    }
  }

  List<Samples> read(List<Series> series, long from, long to) {
    return read(series, from, to, MemoryClaim.NONE);
  }

  /**
   * @param memory asked for encoded chunks and for samples, twice while they are merged
   */
  List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory) {
    try (var room = new ReadMemory(memory)) {
      // The heads first: what a flush moves meanwhile is then seen twice, never not at all.
      var recent = heads(series, from, to, room);
      var written = chunks.read(series.stream().map(Series::id).toList(), null, from, to, room);
      written.forEach(chunks -> room.take(2 * SAMPLE_BYTES * samples(chunks)));
      var out =
          IntStream.range(0, series.size())
              .parallel()
              .mapToObj(i -> merged(written.get(i), recent.get(i), from, to))
              .toList();
      room.keep(SAMPLE_BYTES * out.stream().mapToLong(Samples::count).sum());
      return out;
    }
  }

  private List<List<Samples>> heads(List<Series> series, long from, long to, ReadMemory room) {
    var out = new ArrayList<List<Samples>>(series.size());
    for (var s : series) {
      var runs = heads.read(s.id(), from, to);
      room.take(2 * SAMPLE_BYTES * runs.stream().mapToLong(Samples::count).sum());
      out.add(runs);
    }
    return out;
  }

  private static long samples(List<Chunks.Chunk> chunks) {
    return chunks.stream().mapToLong(c -> c.summary().count()).sum();
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

  List<Summaries> pieces(
      List<Series> series, long[] edges, long from, long to, MemoryClaim memory) {
    try (var room = new ReadMemory(memory)) {
      var recent = heads(series, from, to, room);
      var written = chunks.read(series.stream().map(Series::id).toList(), null, from, to, room);
      for (var some : written) {
        // Those that late samples overlap, or that an edge cuts, are decoded.
        long decoded =
            ordered(some, List.of())
                ? some.stream()
                    .filter(c -> !within(c, edges, from, to))
                    .mapToLong(c -> c.summary().count())
                    .sum()
                : samples(some);
        room.take(2 * SAMPLE_BYTES * decoded + PIECE * (long) some.size());
      }
      var out =
          IntStream.range(0, series.size())
              .parallel()
              .mapToObj(i -> pieces(written.get(i), recent.get(i), edges, from, to))
              .toList();
      room.keep(out.stream().mapToLong(Summaries::bytes).sum());
      return out;
    }
  }

  private static boolean ordered(List<Chunks.Chunk> written, List<Samples> recent) {
    long last = Long.MIN_VALUE;
    boolean ordered = true;
    for (var c : written) {
      ordered &= c.start() > last;
      last = c.end();
    }
    for (var run : recent) {
      ordered &= run.isEmpty() || run.firstTime() > last;
    }
    return ordered;
  }

  private Summaries pieces(
      List<Chunks.Chunk> written, List<Samples> recent, long[] edges, long from, long to) {
    if (!ordered(written, recent)) {
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
    return read(List.of(catalog.get(id)), from, to).getFirst();
  }

  /**
   * Looks back in widening steps of days (the pages of the cache), so that a sample that is near is
   * found fast and one that is far is found at all.
   */
  Samples before(Series series, long time) {
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

  long[] density(long from, long to, int n) {
    var counts = new long[n];
    double part = (to - from) / (double) n;
    var written = new double[n];
    if (part >= MIN_PART) {
      heads.minutes(
          from,
          to,
          (at, count) -> ArrivalDensity.add(written, from, part, at, at + Durations.MINUTE, count));
      chunks.density().count(from, to, written);
    } else {
      heads.count(from, to, counts);
      database.run(
          s ->
              s.createSelectionQuery(
                      "select startTime, endTime, sampleCount from Chunk where endTime >= :from"
                          + " and startTime < :to and sealed = true and tier = 0",
                      Object[].class)
                  .setParameter("from", from)
                  .setParameter("to", to)
                  .getResultList()
                  .forEach(
                      r ->
                          ArrivalDensity.add(
                              written, from, part, (Long) r[0], (Long) r[1] + 1, (Integer) r[2])));
    }
    for (int i = 0; i < n; i++) {
      counts[i] += Math.round(written[i]);
    }
    return counts;
  }

  /** What the rollup reads. */
  final class RawSide implements Rollup.Raw {
    @Override
    public Series series(int id) {
      return catalog.get(id);
    }

    @Override
    public long newest(int id) {
      return heads.newest(id);
    }

    @Override
    public long oldest(int id) {
      return heads.oldest(id);
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
      return StoreReader.this.read(id, from, to);
    }
  }
}
