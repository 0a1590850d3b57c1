package vintrel.server.store;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.concurrent.locks.ReentrantReadWriteLock;
import java.util.stream.LongStream;
import java.util.stream.Stream;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.ChunkSummary;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.chunk.Samples;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/**
 * Sealed chunks as they are in the database, still encoded, with a bounded cache before it.
 *
 * <p>The cache holds pages: all chunks of one series and tier that touch one span of time. Sealed
 * chunks never change; a flush appends to the pages that are present, so a page that was read stays
 * right. A page that was read while something was written is used once and not kept.
 */
final class Chunks {
  private static final long[] PAGE = {
    Durations.DAY, 4 * Durations.DAY, 32 * Durations.DAY, 128 * Durations.DAY
  };
  private static final int OVERHEAD = 150;
  private static final int DECODED_PART = 4;
  private static final int MAX_IN_QUERY = 1000;
  private static final String SUMMARY =
      ", c.sample_count, c.least, c.greatest, c.total, c.first_value, c.last_value";

  private final Database database;
  private final ArrivalDensity density;
  private final Cache<Key, Chunk[]> cache;
  private final Cache<Long, Samples> decoded;
  private final ReentrantReadWriteLock lock = new ReentrantReadWriteLock();
  private long writes;
  private volatile long oldest;
  private volatile long newest;

  Chunks(Database database, long maxBytes) {
    this.database = database;
    this.density = new ArrivalDensity(database);
    this.cache =
        Caffeine.newBuilder().maximumWeight(maxBytes).weigher(Chunks::weight).recordStats().build();
    this.decoded =
        Caffeine.newBuilder()
            .maximumWeight(maxBytes / DECODED_PART)
            .weigher((Long id, Samples s) -> 16 * s.count() + OVERHEAD)
            .build();
    Object[] ends =
        database.with(
            s ->
                s.createSelectionQuery(
                        "select min(startTime), max(endTime) from Chunk", Object[].class)
                    .getSingleResult());
    this.oldest = ends[0] == null ? Long.MAX_VALUE : (Long) ends[0];
    this.newest = ends[1] == null ? Long.MIN_VALUE : (Long) ends[1];
  }

  ArrivalDensity density() {
    return density;
  }

  /** No chunk begins before this time. */
  long oldest() {
    return oldest;
  }

  private record Key(int series, int tier, long page) {}

  /**
   * The samples of a chunk within [from, to). Those of which only an end is wanted are kept for a
   * while: a range that moves on has the same chunks at its ends again and again.
   *
   * @throws DamagedChunkException as the codec does
   */
  Samples samples(Chunk c, long from, long to) {
    var known = decoded.getIfPresent(c.id());
    if (known == null) {
      known = ChunkCodec.decode(c.data());
      boolean end = Math.min(c.end(), to) - Math.max(c.start(), from) < (c.end() - c.start()) / 2;
      if (end) {
        decoded.put(c.id(), known);
      }
    }
    return known.slice(from, to);
  }

  /**
   * Times are inclusive.
   *
   * @param summary of raw samples; null in a tier
   */
  record Chunk(long id, long start, long end, byte[] data, ChunkSummary summary) {
    boolean touches(long from, long to) {
      return start < to && end >= from;
    }
  }

  private static int weight(Key key, Chunk[] chunks) {
    int bytes = OVERHEAD;
    for (var c : chunks) {
      bytes += c.data().length + OVERHEAD;
    }
    return bytes;
  }

  static int code(Tier tier) {
    return tier == null ? 0 : tier.code();
  }

  /** The chunks of each series that touch [from, to), in the order in which they were written. */
  List<List<Chunk>> read(List<Integer> series, Tier tier, long wantedFrom, long wantedTo) {
    return read(series, tier, wantedFrom, wantedTo, MemoryClaim.NONE);
  }

  /**
   * As above.
   *
   * @param memory asked for each row that is read from the database, for as long as the caller
   *     holds it: what the cache keeps of it is bounded apart
   */
  List<List<Chunk>> read(
      List<Integer> series, Tier tier, long wantedFrom, long wantedTo, MemoryClaim memory) {
    long from = Math.max(wantedFrom, oldest);
    long to = Math.min(wantedTo, newest == Long.MAX_VALUE ? newest : newest + 1);
    var out = new ArrayList<List<Chunk>>(series.size());
    if (from >= to) {
      series.forEach(s -> out.add(List.of()));
      return out;
    }
    int code = code(tier);
    long first = Math.floorDiv(from, PAGE[code]);
    long last = Math.floorDiv(to - 1, PAGE[code]);
    // A series of which two stretches are read is here twice; its pages are read once.
    var missing = new LinkedHashSet<Integer>();
    var found = new ArrayList<Chunk[][]>();
    for (int s : series) {
      var pages = new Chunk[(int) (last - first + 1)][];
      boolean whole = true;
      for (int p = 0; p < pages.length; p++) {
        pages[p] = cache.getIfPresent(new Key(s, code, first + p));
        whole &= pages[p] != null;
      }
      if (!whole) {
        missing.add(s);
      }
      found.add(whole ? pages : null);
    }
    var loaded =
        missing.isEmpty()
            ? Map.<Integer, Chunk[][]>of()
            : load(List.copyOf(missing), code, first, last, memory);
    for (int i = 0; i < series.size(); i++) {
      var pages = found.get(i) == null ? loaded.get(series.get(i)) : found.get(i);
      out.add(collect(pages, first, PAGE[code], from, to));
    }
    return out;
  }

  private static List<Chunk> collect(Chunk[][] pages, long first, long span, long from, long to) {
    var out = new ArrayList<Chunk>();
    boolean sorted = true;
    for (int p = 0; p < pages.length; p++) {
      long pageStart = (first + p) * span;
      for (var c : pages[p]) {
        boolean taken = p > 0 && c.start() < pageStart;
        if (!taken && c.touches(from, to)) {
          sorted &= out.isEmpty() || out.getLast().id() < c.id();
          out.add(c);
        }
      }
    }
    if (!sorted) {
      out.sort(Comparator.comparingLong(Chunk::id));
    }
    return out;
  }

  private Map<Integer, Chunk[][]> load(
      List<Integer> series, int code, long first, long last, MemoryClaim memory) {
    long seen = stamp();
    long span = PAGE[code];
    var lists = new HashMap<Integer, List<Chunk>>();
    series.forEach(s -> lists.put(s, new ArrayList<>()));
    for (int at = 0; at < series.size(); at += MAX_IN_QUERY) {
      var some = series.subList(at, Math.min(at + MAX_IN_QUERY, series.size()));
      database.run(
          s ->
              s.doWork(
                  connection ->
                      query(
                          connection, some, code, first * span, (last + 1) * span, lists, memory)));
    }
    var out = new HashMap<Integer, Chunk[][]>();
    lists.forEach((s, list) -> out.put(s, paged(list, first, last, span)));
    lock.readLock().lock();
    try {
      if (seen == writes) {
        out.forEach(
            (s, pages) -> {
              for (int p = 0; p < pages.length; p++) {
                cache.put(new Key(s, code, first + p), pages[p]);
              }
            });
      }
    } finally {
      lock.readLock().unlock();
    }
    return out;
  }

  private void query(
      Connection connection,
      Collection<Integer> series,
      int code,
      long from,
      long to,
      Map<Integer, List<Chunk>> into,
      MemoryClaim memory)
      throws SQLException {
    var sql =
        "select c.id, c.series_id, c.start_time, c.end_time, c.data"
            + (code == 0 ? SUMMARY : "")
            + " from "
            + database.kind().idTable()
            + " join chunk c on c.series_id = t.id where c.tier = ? and c.end_time >= ? and"
            + " c.start_time < ? and c.sealed = true order by c.id";
    try (var statement = connection.prepareStatement(sql)) {
      statement.setArray(1, connection.createArrayOf("integer", series.toArray()));
      statement.setInt(2, code);
      statement.setLong(3, from);
      statement.setLong(4, to);
      statement.setFetchSize(2000);
      try (var rows = statement.executeQuery()) {
        while (rows.next()) {
          long start = rows.getLong(3);
          long end = rows.getLong(4);
          var summary = code == 0 ? summary(rows, start, end) : null;
          var data = rows.getBytes(5);
          memory.take(data.length + OVERHEAD);
          into.get(rows.getInt(2)).add(new Chunk(rows.getLong(1), start, end, data, summary));
        }
      }
    }
  }

  private static ChunkSummary summary(ResultSet rows, long start, long end) throws SQLException {
    return new ChunkSummary(
        start,
        end,
        rows.getInt(6),
        rows.getDouble(7),
        rows.getDouble(8),
        rows.getDouble(9),
        rows.getDouble(10),
        rows.getDouble(11));
  }

  private static Chunk[][] paged(List<Chunk> chunks, long first, long last, long span) {
    var out = new Chunk[(int) (last - first + 1)][];
    for (int p = 0; p < out.length; p++) {
      long start = (first + p) * span;
      out[p] =
          chunks.size() == 1 && chunks.getFirst().touches(start, start + span)
              ? new Chunk[] {chunks.getFirst()}
              : chunks.stream().filter(c -> c.touches(start, start + span)).toArray(Chunk[]::new);
    }
    return out;
  }

  private long stamp() {
    lock.readLock().lock();
    try {
      return writes;
    } finally {
      lock.readLock().unlock();
    }
  }

  /**
   * Whether the bytes of a row that was inserted will be needed when it is committed: it belongs to
   * a page that is present. A page that a reader brings in meanwhile is dropped again instead.
   */
  boolean wants(ChunkRow row) {
    return row.sealed && pages(row).anyMatch(cache.asMap()::containsKey);
  }

  private static Stream<Key> pages(ChunkRow row) {
    long span = PAGE[row.tier];
    return LongStream.rangeClosed(
            Math.floorDiv(row.startTime, span), Math.floorDiv(row.endTime, span))
        .mapToObj(p -> new Key(row.seriesId, row.tier, p));
  }

  /**
   * Rows were committed: they join the pages that are present.
   *
   * @param rows those that no page wanted may be without their bytes
   */
  void written(List<ChunkRow> rows) {
    density.written(rows);
    lock.writeLock().lock();
    try {
      writes++;
      for (var row : rows) {
        oldest = Math.min(oldest, row.startTime);
        newest = Math.max(newest, row.endTime);
        if (row.sealed) {
          append(row);
        }
      }
    } finally {
      lock.writeLock().unlock();
    }
  }

  private void append(ChunkRow row) {
    var summary = row.tier == 0 ? row.summary() : null;
    var chunk = new Chunk(row.id, row.startTime, row.endTime, row.data, summary);
    pages(row).forEach(key -> cache.asMap().computeIfPresent(key, (k, old) -> with(old, chunk)));
  }

  /** The page with a chunk more; null if its bytes are not known. */
  private static Chunk[] with(Chunk[] page, Chunk chunk) {
    if (chunk.data() == null) {
      return null;
    }
    if (page.length > 0 && page[page.length - 1].id() >= chunk.id()) {
      // Read between its commit and now: it has the chunk, and perhaps later ones.
      return page;
    }
    var grown = Arrays.copyOf(page, page.length + 1);
    grown[page.length] = chunk;
    return grown;
  }

  /** Rows were deleted: nothing of before is known any more. */
  void forget() {
    density.forget();
    lock.writeLock().lock();
    try {
      writes++;
      cache.invalidateAll();
      decoded.invalidateAll();
    } finally {
      lock.writeLock().unlock();
    }
  }

  /** The share of pages that were found in the cache since the start, 0 to 1. */
  double hitRate() {
    return cache.stats().hitRate();
  }
}
