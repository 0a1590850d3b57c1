package vintrel.server.store;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Set;
import java.util.stream.IntStream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.Summaries.Need;
import vintrel.core.chunk.SummaryCodec;
import vintrel.core.series.Series;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;

/**
 * Summaries from the coarsest tier that fits; if that has no row (too new, at the ragged ends of
 * the range, not worth it, damaged) from the next finer one, at last from raw samples.
 */
final class TierReader {
  private static final Logger log = LoggerFactory.getLogger(TierReader.class);

  /** Bytes of a window with all columns that are needed at a time. */
  private static final int WINDOW = 80;

  /** Raw samples of several series within [from, to). */
  interface Raw {
    List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory);
  }

  private final Chunks chunks;
  private final Raw raw;

  TierReader(Chunks chunks, Raw raw) {
    this.chunks = chunks;
    this.raw = raw;
  }

  /** A stretch of a series that is still to be filled. */
  private record Hole(int at, Series series, long from, long to) {}

  private record Piece(long from, Summaries summaries) {}

  /**
   * @param memory asked for what is read; what the summaries hold stays taken
   */
  List<Summaries> read(
      List<Series> series, Tier tier, Set<Need> needs, long from, long to, MemoryClaim memory) {
    try (var room = new ReadMemory(memory)) {
      var out = read(series, tier, needs, from, to, room);
      room.keep(out.stream().mapToLong(Summaries::bytes).sum());
      return out;
    }
  }

  private List<Summaries> read(
      List<Series> series, Tier tier, Set<Need> needs, long from, long to, ReadMemory room) {
    var pieces = new ArrayList<List<Piece>>();
    var holes = new ArrayList<Hole>();
    for (int i = 0; i < series.size(); i++) {
      pieces.add(new ArrayList<>());
      holes.add(new Hole(i, series.get(i), from, to));
    }
    boolean sketches = needs.contains(Need.SKETCH);
    for (var t = tier; t != null && !holes.isEmpty(); t = sketches ? null : t.finer()) {
      holes = fill(holes, t, needs, pieces, room);
    }
    fillRaw(holes, pieces, sketches, room);
    return pieces.stream()
        .map(
            p -> {
              p.sort(Comparator.comparingLong(Piece::from));
              return Summaries.join(p.stream().map(Piece::summaries).toList());
            })
        .toList();
  }

  private ArrayList<Hole> fill(
      List<Hole> holes, Tier tier, Set<Need> needs, List<List<Piece>> pieces, ReadMemory room) {
    var left = new ArrayList<Hole>();
    for (var cluster : clusters(holes)) {
      var ids = cluster.stream().map(h -> h.series().id()).toList();
      long from = cluster.stream().mapToLong(Hole::from).min().orElseThrow();
      long to = cluster.stream().mapToLong(Hole::to).max().orElseThrow();
      var found = chunks.read(ids, tier, from, to, room);
      room.take(bytes(cluster, found, tier, needs));
      var filled =
          IntStream.range(0, cluster.size())
              .parallel()
              .mapToObj(i -> fill(cluster.get(i), found.get(i), tier, needs))
              .toList();
      for (int i = 0; i < cluster.size(); i++) {
        pieces.get(cluster.get(i).at()).addAll(filled.get(i).pieces());
        left.addAll(filled.get(i).left());
      }
    }
    return left;
  }

  /** What the windows of rows may take, once decoded and once joined. */
  private static long bytes(
      List<Hole> holes, List<List<Chunks.Chunk>> found, Tier tier, Set<Need> needs) {
    long windows = 0;
    for (int i = 0; i < holes.size(); i++) {
      var hole = holes.get(i);
      for (var row : found.get(i)) {
        long millis = Math.min(hole.to(), row.end() + 1) - Math.max(hole.from(), row.start());
        windows += Math.max(0, millis) / tier.pitch() + 1;
      }
    }
    return 2 * windows * (WINDOW + (needs.contains(Need.SKETCH) ? Summaries.SKETCH : 0));
  }

  private record Filled(List<Piece> pieces, List<Hole> left) {}

  private static Filled fill(Hole hole, List<Chunks.Chunk> rows, Tier tier, Set<Need> needs) {
    var out = new Filled(new ArrayList<>(), new ArrayList<>());
    long first = hole.from() + Math.floorMod(-hole.from(), tier.pitch());
    long end = hole.to() - Math.floorMod(hole.to(), tier.pitch());
    long at = hole.from();
    for (var row : rows) {
      long a = Math.max(first, row.start());
      long b = Math.min(end, row.end() + 1);
      var summaries = a < b ? decode(row, needs) : null;
      if (summaries != null) {
        if (at < a) {
          out.left().add(new Hole(hole.at(), hole.series(), at, a));
        }
        out.pieces().add(new Piece(a, summaries.slice(a, b)));
        at = b;
      }
    }
    if (at < hole.to()) {
      out.left().add(new Hole(hole.at(), hole.series(), at, hole.to()));
    }
    return out;
  }

  private static Summaries decode(Chunks.Chunk row, Set<Need> needs) {
    try {
      var summaries = SummaryCodec.decode(row.data(), needs);
      boolean lacking = needs.contains(Need.SKETCH) && summaries.sketches == null;
      return lacking ? null : summaries;
    } catch (DamagedChunkException e) {
      log.error("skipped damaged tier row {}: {}", row.id(), e.getMessage());
      return null;
    }
  }

  private void fillRaw(
      List<Hole> holes, List<List<Piece>> pieces, boolean sketches, ReadMemory room) {
    for (var cluster : clusters(holes)) {
      long from = cluster.stream().mapToLong(Hole::from).min().orElseThrow();
      long to = cluster.stream().mapToLong(Hole::to).max().orElseThrow();
      var samples = raw.read(cluster.stream().map(Hole::series).toList(), from, to, room);
      long read = samples.stream().mapToLong(Samples::count).sum();
      room.take(read * (sketches ? WINDOW + Summaries.SKETCH / 4 : WINDOW));
      for (int i = 0; i < cluster.size(); i++) {
        var hole = cluster.get(i);
        var some = samples.get(i);
        boolean grows = hole.series().kind().cumulative();
        var part = some.slice(hole.from(), hole.to());
        long pitch = sketches ? Tier.HOUR.pitch() : Tier.MINUTE.pitch();
        var summaries = Summaries.of(part, pitch, grows, SampleSource.MIN_GAP);
        pieces
            .get(hole.at())
            .add(new Piece(hole.from(), sketches ? summaries.sketched(part, pitch) : summaries));
      }
    }
  }

  /** Holes that overlap in time, together: each cluster is one question to the database. */
  private static List<List<Hole>> clusters(List<Hole> holes) {
    var sorted = new ArrayList<>(holes);
    sorted.sort(Comparator.comparingLong(Hole::from));
    var out = new ArrayList<List<Hole>>();
    long end = Long.MIN_VALUE;
    for (var hole : sorted) {
      if (out.isEmpty() || hole.from() >= end) {
        out.add(new ArrayList<>());
      }
      out.getLast().add(hole);
      end = Math.max(end, hole.to());
    }
    return out;
  }
}
