package vintrel.server.store;

import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import vintrel.core.chunk.DamagedChunkException;
import vintrel.core.event.EventBlock;
import vintrel.core.series.Event;
import vintrel.server.database.Database;
import vintrel.server.database.Leases;

/**
 * Log records packed: as soon as a store has so many loose ones, the oldest of them become a block,
 * in one transaction. Any thread.
 */
final class EventBlocks implements AutoCloseable {
  private static final Logger log = LoggerFactory.getLogger(EventBlocks.class);

  /** Loose records of a store that become one block. */
  static final int PACKED = 4096;

  /** A row of the database holds a million bytes; what is packed is never larger than before. */
  private static final int MAX_BYTES = 900_000;

  /** Maximum bytes of an event besides its text and fields. */
  private static final int OVERHEAD = 40;

  private final Database database;
  private final EventRows rows;
  private final Leases leases;
  private final AtomicBoolean wanted = new AtomicBoolean();
  private final ExecutorService thread =
      Executors.newSingleThreadExecutor(Thread.ofPlatform().name("event-packer").factory());

  EventBlocks(Database database, EventRows rows, Leases leases) {
    this.leases = leases;
    this.database = database;
    this.rows = rows;
  }

  /**
   * A block, short of its records.
   *
   * @param end inclusive
   */
  record Meta(
      long id,
      String store,
      long start,
      long end,
      long firstId,
      long lastId,
      int count,
      int levels) {}

  /**
   * Blocks with events that may be in [from, to).
   *
   * @param store empty: all
   */
  List<Meta> within(String store, long from, long to) {
    return database.with(
        s ->
            s
                .createSelectionQuery(
                    "select id, store, startTime, endTime, firstId, lastId, recordCount, levels"
                        + " from EventBlock where endTime >= :from and startTime < :to"
                        + (store.isEmpty() ? "" : " and store = :store"),
                    Object[].class)
                .setProperties(
                    store.isEmpty()
                        ? Map.of("from", from, "to", to)
                        : Map.of("from", from, "to", to, "store", store))
                .getResultList()
                .stream()
                .map(
                    r ->
                        new Meta(
                            (Long) r[0],
                            (String) r[1],
                            (Long) r[2],
                            (Long) r[3],
                            (Long) r[4],
                            (Long) r[5],
                            (Integer) r[6],
                            (Integer) r[7]))
                .toList());
  }

  /** The bytes of blocks, in their order; null for one that is gone meanwhile. */
  List<byte[]> data(List<Meta> blocks) {
    var found = new HashMap<Long, byte[]>();
    database.run(s -> s.doWork(connection -> fetch(connection, blocks, found)));
    var out = new ArrayList<byte[]>();
    blocks.forEach(b -> out.add(found.get(b.id())));
    return out;
  }

  private static void fetch(Connection connection, List<Meta> blocks, Map<Long, byte[]> into)
      throws SQLException {
    var marks = String.join(", ", java.util.Collections.nCopies(blocks.size(), "?"));
    try (var select =
        connection.prepareStatement(
            "select id, data from event_block where id in (" + marks + ")")) {
      for (int i = 0; i < blocks.size(); i++) {
        select.setLong(i + 1, blocks.get(i).id());
      }
      try (var rows = select.executeQuery()) {
        while (rows.next()) {
          into.put(rows.getLong(1), rows.getBytes(2));
        }
      }
    }
  }

  /** Opens a block; null if it is damaged, which is logged. */
  static EventBlock open(Meta block, byte[] data) {
    try {
      return EventBlock.open(data);
    } catch (DamagedChunkException e) {
      log.error("skipped damaged block {} of events: {}", block.id(), e.getMessage());
      return null;
    }
  }

  /** Packs soon, on a thread of its own. */
  void wake() {
    if (wanted.compareAndSet(false, true)) {
      thread.execute(
          () -> {
            wanted.set(false);
            try {
              if (leases.hold("packing")) {
                pack();
              }
            } catch (RuntimeException | Error e) {
              log.error("packing failed, events stay unpacked: {}", e.toString());
            }
          });
    }
  }

  /** Packs what is to be packed; returns how many records that were. */
  synchronized int pack() {
    int packed = 0;
    for (var entry : rows.counts().entrySet()) {
      long left = entry.getValue();
      while (left >= PACKED) {
        int n = packOldest(entry.getKey());
        packed += n;
        left -= n;
      }
    }
    return packed;
  }

  private int packOldest(String store) {
    var some = fitting(rows.oldest(store, PACKED));
    var ids = some.stream().map(Event::id).toList();
    some.sort(Comparator.comparingLong(Event::time).thenComparingLong(Event::id));
    var block = EventBlockRow.of(some);
    database.run(
        s -> {
          s.insert(block);
          EventRows.delete(s, ids);
        });
    return ids.size();
  }

  /** As many as fit into a block; one at least. */
  private static List<Event> fitting(List<Event> oldest) {
    var out = new ArrayList<Event>();
    long bytes = 0;
    for (var e : oldest) {
      bytes += utf8(e.text()) + utf8(e.fields()) + utf8(e.labels().toString()) + OVERHEAD;
      if (bytes > MAX_BYTES && !out.isEmpty()) {
        break;
      }
      out.add(e);
    }
    return out;
  }

  private static int utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8).length;
  }

  /** Packed records, and the bytes that they take. */
  record Size(long records, long bytes) {}

  Size size() {
    return database.with(
        s -> {
          var row =
              s.createNativeQuery(
                      "select coalesce(sum(record_count), 0), coalesce(sum(octet_length(data)), 0)"
                          + " from event_block",
                      Object[].class)
                  .getSingleResult();
          return new Size(((Number) row[0]).longValue(), ((Number) row[1]).longValue());
        });
  }

  /** Drops blocks all of whose records are older than a time; returns how many records. */
  long drop(long limit) {
    return database.with(
        s -> {
          var records =
              s.createSelectionQuery(
                      "select sum(recordCount) from EventBlock where endTime < :limit", Long.class)
                  .setParameter("limit", limit)
                  .getSingleResultOrNull();
          s.createMutationQuery("delete from EventBlock where endTime < :limit")
              .setParameter("limit", limit)
              .executeUpdate();
          return records == null ? 0 : records;
        });
  }

  @Override
  public void close() {
    thread.shutdown();
    try {
      thread.awaitTermination(30, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
