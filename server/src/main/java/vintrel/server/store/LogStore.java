package vintrel.server.store;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.PriorityQueue;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.BooleanSupplier;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.springframework.beans.factory.DisposableBean;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.event.RecordFilter;
import vintrel.core.event.Records;
import vintrel.core.event.UnpackedRecords;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.store.MemoryClaim;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.DiskSpace;
import vintrel.server.database.Leases;
import vintrel.server.web.Settings;

/**
 * Log records: the newest as rows, the rest packed into blocks by the thousand (ADR 12). A question
 * reads what its range touches, rows first: what is packed meanwhile is then seen twice rather than
 * not at all, and counted once by its id. Any thread.
 */
@Service
public class LogStore implements DisposableBean {
  /** Bytes of an event beside its texts, and of its row in a table. */
  private static final int EVENT = 250;

  private static final int AT_ONCE = 16;

  /** Characters of the records that one question may have as a table. */
  private static final long MAX_TEXT = Runtime.getRuntime().maxMemory() / 10;

  /** So many records are looked at for the nearest one; about half a second. */
  private static final long MAX_SOUGHT = 2_000_000;

  private static final JsonMapper JSON = JsonMapper.shared();
  private static final Comparator<Event> IN_ORDER =
      Comparator.comparingLong(Event::time).thenComparingLong(Event::id);

  private final Database database;
  private final NamedStores stores;
  private final DiskSpace disk;
  private final EventRows rows;
  private final EventBlocks blocks;
  private final long retention;
  private final AtomicLong came = new AtomicLong();

  LogStore(
      Database database, NamedStores stores, DiskSpace disk, Leases leases, Settings settings) {
    this.disk = disk;
    this.database = database;
    this.stores = stores;
    this.rows = new EventRows(database);
    this.blocks = new EventBlocks(database, rows, leases);
    this.retention = settings.events().retention().toMillis();
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    blocks.wake();
  }

  @Override
  public void destroy() {
    blocks.close();
  }

  /**
   * What became of events.
   *
   * @param why the reason of the last one that was rejected; empty if all were accepted
   */
  public record Receipt(int accepted, int rejected, String why) {}

  /**
   * Stores events; they are durable when this returns. One that can't be stored is rejected alone.
   *
   * @throws vintrel.core.store.StoreBusyException if the disk is nearly full
   */
  public Receipt append(String store, List<Event> events, String who) {
    return append(store, events, who, null);
  }

  /**
   * As {@link #append(String, List, String)}, once for each mark: records of a request that was
   * taken before are told as accepted and not stored again.
   *
   * @param mark null if the request has none
   */
  public Receipt append(String store, List<Event> events, String who, BatchMark mark) {
    disk.requireSpace();
    var fit = new ArrayList<Event>(events.size());
    var why = "";
    for (var event : events) {
      var fault = Admission.fault(event);
      if (fault == null) {
        fit.add(event);
      } else {
        why = fault;
      }
    }
    stores.ensure(store, who);
    boolean isNew = rows.insert(store, fit, mark);
    if (isNew && came.addAndGet(fit.size()) >= EventBlocks.PACKED) {
      came.set(0);
      blocks.wake();
    }
    return new Receipt(fit.size(), events.size() - fit.size(), why);
  }

  /** Packs what is to be packed; returns how many records that were. */
  public int pack() {
    return blocks.pack();
  }

  /**
   * Which events are wanted.
   *
   * @param store empty: all
   * @param where its controls bound
   * @param from inclusive, ms
   * @param to exclusive
   * @param max events that may be read, whether they match or not
   * @param cancelled true ends it with code {@code cancelled}
   */
  public record Wanted(
      String store, Condition where, long from, long to, long max, BooleanSupplier cancelled) {}

  /** Takes records of one store that fulfil the condition: those at the given places, rising. */
  public interface Taker {
    void take(String store, Records records, int[] passing);
  }

  /**
   * Passes on the wanted events, in no order.
   *
   * @throws QueryException with code {@code limit.samples} if too many would have to be read
   */
  public void visit(Wanted w, Taker taker) {
    var sieve = new RecordFilter(w.where());
    var loose = rows.within(w.store(), w.from(), w.to());
    looseOf(loose, sieve, w, taker);
    var all = blocks.within(w.store(), w.from(), w.to());
    int levels = sieve.levels();
    var worth = all.stream().filter(b -> (b.levels() & levels) != 0).toList();
    check(w, loose.size() + worth.stream().mapToLong(EventBlocks.Meta::count).sum());
    var seen = ids(loose);
    for (int at = 0; at < worth.size(); at += AT_ONCE) {
      var some = worth.subList(at, Math.min(at + AT_ONCE, worth.size()));
      for (var part : sieved(some, sieve, w, seen)) {
        taker.take(part.store(), part.records(), part.passing());
      }
    }
  }

  private record Part(String store, Records records, int[] passing) {}

  private static void looseOf(List<Event> loose, RecordFilter sieve, Wanted w, Taker taker) {
    loose.stream()
        .collect(Collectors.groupingBy(Event::store))
        .forEach(
            (store, events) -> {
              var records = new UnpackedRecords(events);
              taker.take(store, records, sieve.pass(records, w.from(), w.to()));
            });
  }

  /** What blocks hold of it, unpacked side by side. */
  private List<Part> sieved(
      List<EventBlocks.Meta> some, RecordFilter sieve, Wanted w, Set<Long> seen) {
    if (w.cancelled().getAsBoolean()) {
      throw new QueryException("cancelled", "the query was cancelled", 0, 0);
    }
    var data = blocks.data(some);
    return IntStream.range(0, some.size())
        .parallel()
        .mapToObj(i -> data.get(i) == null ? null : part(some.get(i), data.get(i), sieve, w, seen))
        .filter(p -> p != null)
        .toList();
  }

  private static Part part(
      EventBlocks.Meta meta, byte[] data, RecordFilter sieve, Wanted w, Set<Long> seen) {
    var block = EventBlocks.open(meta, data);
    if (block == null) {
      return null;
    }
    var passing = sieve.pass(block, w.from(), w.to());
    if (!seen.isEmpty()) {
      passing = IntStream.of(passing).filter(i -> !seen.contains(block.id(i))).toArray();
    }
    return new Part(meta.store(), block, passing);
  }

  private static void check(Wanted w, long looked) {
    if (looked > w.max()) {
      throw new QueryException(
          "limit.samples", "this range has more than " + w.max() + " events; shorten it", 0, 0);
    }
  }

  private static Set<Long> ids(List<Event> loose) {
    return loose.stream().map(Event::id).collect(Collectors.toCollection(HashSet::new));
  }

  /**
   * The wanted events, by rising time.
   *
   * @param mostFound that may fulfil the condition
   * @throws QueryException with code {@code limit.rows} if more do
   */
  public List<Event> read(Wanted w, long maxFound) {
    return read(w, maxFound, MemoryClaim.NONE);
  }

  /**
   * As above.
   *
   * @param memory asked for the events and a table of them
   */
  public List<Event> read(Wanted w, long maxFound, MemoryClaim memory) {
    var out = new ArrayList<Event>();
    long[] bytes = {0};
    visit(
        w,
        (store, records, passing) -> {
          if (out.size() + (long) passing.length > maxFound) {
            throw new QueryException(
                "limit.rows",
                "more than "
                    + maxFound
                    + " events match; narrow the conditions or the range, or count events instead",
                0,
                0);
          }
          for (int i : passing) {
            var event = records.event(store, i);
            long text = event.text().length() + event.fields().length() + 100;
            memory.take(text + EVENT);
            bytes[0] += text;
            out.add(event);
          }
          if (bytes[0] > MAX_TEXT) {
            throw new QueryException(
                "limit.bytes",
                "the matching events have more than %,d characters; narrow the conditions"
                    .formatted(MAX_TEXT),
                0,
                0);
          }
        });
    out.sort(IN_ORDER);
    return out;
  }

  /** The latest of the wanted events, latest first. */
  public List<Event> newest(Wanted w, int wanted) {
    var best = new PriorityQueue<Event>(IN_ORDER);
    var sieve = new RecordFilter(w.where());
    var loose = rows.within(w.store(), w.from(), w.to());
    looseOf(
        loose, sieve, w, (store, records, passing) -> offer(best, store, records, passing, wanted));
    int levels = sieve.levels();
    var all =
        blocks.within(w.store(), w.from(), w.to()).stream()
            .filter(b -> (b.levels() & levels) != 0)
            .sorted(Comparator.comparingLong(EventBlocks.Meta::end).reversed())
            .toList();
    var seen = ids(loose);
    long looked = loose.size();
    int size = 1;
    for (int at = 0; at < all.size(); size = Math.min(AT_ONCE, size * 2)) {
      var some = all.subList(at, Math.min(at + size, all.size()));
      if (best.size() == wanted && best.peek().time() > some.getFirst().end()) {
        break;
      }
      for (var part : sieved(some, sieve, w, seen)) {
        offer(best, part.store(), part.records(), part.passing(), wanted);
      }
      looked += some.stream().mapToLong(EventBlocks.Meta::count).sum();
      check(w, looked);
      at += some.size();
    }
    return best.stream().sorted(IN_ORDER.reversed()).toList();
  }

  private static void offer(
      PriorityQueue<Event> best, String store, Records records, int[] passing, int wanted) {
    for (int k = passing.length - 1; k >= 0; k--) {
      int i = passing[k];
      if (best.size() < wanted || records.time(i) >= best.peek().time()) {
        best.add(records.event(store, i));
        if (best.size() > wanted) {
          best.poll();
        }
      }
    }
  }

  /** The fields of a record by their paths, as texts; empty if there are none. */
  public static Map<String, String> fields(Event event) {
    var out = new LinkedHashMap<String, String>();
    if (!event.fields().isEmpty()) {
      try {
        flatten("", JSON.readTree(event.fields()), out);
      } catch (JacksonException e) {
        out.put("fields", event.fields());
      }
    }
    return out;
  }

  private static void flatten(String path, JsonNode node, Map<String, String> out) {
    if (node.isObject() && !node.isEmpty()) {
      node.properties()
          .forEach(
              p ->
                  flatten(
                      path.isEmpty() ? p.getKey() : path + "." + p.getKey(), p.getValue(), out));
    } else {
      out.put(path, node.isString() ? node.asString() : node.toString());
    }
  }

  /** The time of the newest record that fulfils a condition, or 0; not looked for without end. */
  public long newest(Condition where) {
    if (where.equals(Condition.ALL)) {
      return newest();
    }
    try {
      var found = newest(new Wanted("", where, 0, Long.MAX_VALUE, MAX_SOUGHT, () -> false), 1);
      return found.isEmpty() ? 0 : found.getFirst().time();
    } catch (QueryException e) {
      return 0;
    }
  }

  /** The time of the newest record, or 0. */
  public long newest() {
    return Math.max(
        newest("select max(at) from Event"), newest("select max(endTime) from EventBlock"));
  }

  private long newest(String query) {
    var at = database.with(s -> s.createSelectionQuery(query, Long.class).getSingleResultOrNull());
    return at == null ? 0 : at;
  }

  /**
   * What is kept.
   *
   * @param records in all stores
   * @param bytes of those that are packed, on the disk
   * @param days that they are kept
   */
  public record Kept(long records, long bytes, long days) {}

  public Kept kept() {
    var packed = blocks.size();
    long loose = rows.counts().values().stream().mapToLong(n -> n).sum();
    return new Kept(loose + packed.records(), packed.bytes(), retention / Durations.DAY);
  }

  /** Drops what is older than records are kept; returns how many. */
  long drop(long now) {
    return rows.drop(now - retention) + blocks.drop(now - retention);
  }
}
