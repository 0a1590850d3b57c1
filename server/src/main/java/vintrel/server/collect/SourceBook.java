package vintrel.server.collect;

import java.time.Clock;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import org.springframework.stereotype.Component;
import vintrel.core.collect.Pace;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;

/**
 * The account of all sources: one entry for each token, way and service that sends, with what was
 * accepted and rejected, when, how late, and which series it sends. Every way in ends here, so that
 * the page Collect needs to know none of them. A series belongs to the source that sent it last;
 * two that take turns are noticed. Any thread; nothing here waits for the database.
 */
@Component
class SourceBook {
  /** Beyond this, services share their token's entry: labels that explode fill no memory. */
  static final int MAX_SOURCES = 2_000;

  private static final int MINUTES = 6;

  /** Samples that are older than this when they arrive are history, not the usual pace, ms. */
  private static final long HISTORY_MS = 10 * Durations.MINUTE;

  private static final int NO_SOURCE = 0;

  private final SampleStore store;
  private final Clock clock;
  private final Map<Key, Source> sources = new ConcurrentHashMap<>();
  private volatile Source[] table = {};

  /** The index of the source that sent a series last, plus 1, by series id; writes may race. */
  private volatile int[] owners = new int[1024];

  private volatile int generation;

  /** What makes two requests come from one source. */
  record Key(String token, Way way, String service) {}

  SourceBook(SampleStore store, Clock clock) {
    this.store = store;
    this.clock = clock;
    this.generation = store.generation();
  }

  /** A source. Any thread. */
  final class Source {
    final Key key;
    final int index;
    final AtomicLong accepted = new AtomicLong();
    final AtomicLong rejected = new AtomicLong();
    final AtomicInteger series = new AtomicInteger();

    /** Exemplars that came with samples and are not stored. */
    final AtomicLong exemplars = new AtomicLong();

    volatile Pace pace = new Pace();
    volatile String address = "";
    volatile long tokenId;

    /** Latest sample time less arrival, ms: how far behind its data are. */
    volatile long lag;

    volatile String why = "";
    volatile long whyAt;

    /** Another source that sends some of its series, and when that was seen; or empty. */
    volatile String contested = "";

    volatile long contestedAt;

    /** Metrics whose kind or unit is another than before, and when that was seen; or empty. */
    volatile String changed = "";

    volatile long changedAt;
    private final ArrayDeque<long[]> minutes = new ArrayDeque<>();

    private Source(Key key, int index) {
      this.key = key;
      this.index = index;
    }

    String name() {
      return key.service().isEmpty() ? key.token() : key.service();
    }

    private synchronized void count(long at, long n) {
      long minute = Math.floorDiv(at, Durations.MINUTE);
      if (minutes.isEmpty() || minutes.getLast()[0] < minute) {
        minutes.addLast(new long[] {minute, 0});
      }
      minutes.getLast()[1] += n;
      while (minutes.size() > MINUTES) {
        minutes.removeFirst();
      }
    }

    /** Recent samples per minute, over the last five whole minutes, or less if it is younger. */
    synchronized long perMinute(long now) {
      long minute = Math.floorDiv(now, Durations.MINUTE);
      long sum = 0;
      long first = Long.MAX_VALUE;
      for (var m : minutes) {
        if (m[0] < minute && m[0] >= minute - (MINUTES - 1)) {
          sum += m[1];
          first = Math.min(first, m[0]);
        }
      }
      if (sum > 0) {
        return Math.round((double) sum / (minute - first));
      }
      // Younger than a minute: as much as it would be at this pace.
      long passed = now - minute * Durations.MINUTE;
      boolean young = !minutes.isEmpty() && minutes.getLast()[0] == minute && passed > 10_000;
      return young ? minutes.getLast()[1] * Durations.MINUTE / passed : 0;
    }

    /** The metrics that it sends, with their number of series, by name. */
    Map<String, Integer> metrics() {
      var out = new java.util.TreeMap<String, Integer>();
      var known = owners;
      for (int id = 0; id < known.length; id++) {
        if (known[id] == index + 1) {
          var s = store.catalog().get(id);
          if (s != null) {
            out.merge(s.metric(), 1, Integer::sum);
          }
        }
      }
      return out;
    }
  }

  /** Accounts for a request of samples. */
  void note(Sender sender, SampleBatch batch, StoreSampleSink.Outcome outcome) {
    long now = clock.millis();
    if (generation != store.generation()) {
      // Ids have other meanings now.
      generation = store.generation();
      owners = new int[1024];
      sources.values().forEach(s -> s.series.set(0));
    }
    int kept = outcome.receipt().accepted();
    var counts = new HashMap<Integer, long[]>();
    int lastIndex = -1;
    long[] last = null;
    for (int i = 0; i < batch.size(); i++) {
      int id = batch.series(i);
      var known = owners;
      boolean same = id < known.length && known[id] == lastIndex + 1 && last != null;
      if (!same) {
        lastIndex = owner(sender, id);
        last = counts.computeIfAbsent(lastIndex, k -> new long[] {0, Long.MIN_VALUE, 0});
      }
      last[0]++;
      last[2] += batch.time(i) >= now - HISTORY_MS ? 1 : 0;
      last[1] = Math.max(last[1], batch.time(i));
    }
    Source largest = null;
    long most = -1;
    for (var e : counts.entrySet()) {
      var source = at(e.getKey());
      // Which samples of a batch were rejected is not known: each source gets its share.
      long accepted = e.getValue()[0] * kept / batch.size();
      if (accepted > 0) {
        arrived(source, sender, now, accepted, e.getValue()[2] * kept / batch.size());
        source.lag = Math.max(0, now - e.getValue()[1]);
      }
      if (e.getValue()[0] > most) {
        most = e.getValue()[0];
        largest = source;
      }
    }
    if (largest != null) {
      largest.exemplars.addAndGet(outcome.exemplars());
      if (!outcome.changed().isEmpty()) {
        largest.changed = outcome.changed();
        largest.changedAt = now;
      }
    }
    if (outcome.refused() > 0 || !outcome.why().isEmpty()) {
      var of = largest == null ? source(new Key(sender.token(), sender.way(), "")) : largest;
      reject(of, sender, now, outcome.refused(), outcome.why());
    }
  }

  /** Accounts for a request of events, or of anything that has no series. */
  void note(Sender sender, long accepted, long rejected, String why) {
    long now = clock.millis();
    var source = source(new Key(sender.token(), sender.way(), ""));
    if (accepted > 0) {
      arrived(source, sender, now, accepted, accepted);
    }
    if (rejected > 0) {
      reject(source, sender, now, rejected, why);
    }
  }

  /**
   * @param recent how many of the samples are no history
   */
  private static void arrived(Source source, Sender sender, long now, long n, long recent) {
    source.pace.arrived(now);
    source.accepted.addAndGet(n);
    source.count(now, recent);
    source.address = sender.address();
    source.tokenId = sender.tokenId();
  }

  private static void reject(Source source, Sender sender, long now, long n, String why) {
    source.rejected.addAndGet(n);
    source.why = why;
    source.whyAt = now;
    source.address = sender.address();
    source.tokenId = sender.tokenId();
  }

  private int owner(Sender sender, int id) {
    var known = owners;
    int owner = id < known.length ? known[id] : NO_SOURCE;
    if (owner != NO_SOURCE) {
      var source = at(owner - 1);
      if (source.key.way() == sender.way() && source.key.token().equals(sender.token())) {
        return owner - 1;
      }
    }
    return claim(sender, id, owner);
  }

  private synchronized int claim(Sender sender, int id, int before) {
    if (id >= owners.length) {
      owners = Arrays.copyOf(owners, Math.max(id + 1, owners.length * 2));
    }
    var series = store.catalog().get(id);
    var service = series == null ? null : series.labels().get("service");
    var source = source(new Key(sender.token(), sender.way(), service == null ? "" : service));
    if (owners[id] != source.index + 1) {
      if (before != NO_SOURCE) {
        var other = at(before - 1);
        other.series.decrementAndGet();
        // One that was silent for long has been replaced; one that sends still is in conflict.
        // What is imported is the past of what goes on.
        boolean imported = other.key.way() == Way.IMPORT || sender.way() == Way.IMPORT;
        if (!imported && clock.millis() - other.pace.last() < other.pace.lateAfter()) {
          source.contested = other.name() + " (" + other.key.way().words + ")";
          source.contestedAt = clock.millis();
        }
      }
      owners[id] = source.index + 1;
      source.series.incrementAndGet();
    }
    return source.index;
  }

  private Source at(int index) {
    return table[index];
  }

  private Source source(Key key) {
    var known = sources.get(key);
    return known != null ? known : add(key);
  }

  private Source add(Key key) {
    synchronized (sources) {
      var known = sources.get(key);
      if (known != null) {
        return known;
      }
      int n = table.length;
      if (n >= MAX_SOURCES && !key.service().isEmpty()) {
        return source(new Key(key.token(), key.way(), ""));
      }
      var source = new Source(key, n);
      var more = Arrays.copyOf(table, n + 1);
      more[n] = source;
      table = more;
      sources.put(key, source);
      return source;
    }
  }

  /** A source that was known before the server started. */
  void restore(Key key, long last, long interval) {
    var source = source(key);
    if (source.pace.last() == 0) {
      source.pace = new Pace(last, interval);
    }
  }

  /** All sources, by name. */
  List<Source> all() {
    return sources.values().stream().sorted(Comparator.comparing(Source::name)).toList();
  }

  /** The sources of a token. */
  List<Source> of(long tokenId, String token) {
    return all().stream()
        .filter(s -> s.key.token().equals(token) && (s.tokenId == tokenId || s.tokenId == 0))
        .toList();
  }

  /** The source that own metrics with these labels are about; null if they are about none. */
  static Key key(Labels labels) {
    var token = labels.get("token");
    var name = labels.get("source");
    var way = labels.get("way");
    if (token == null || name == null || way == null) {
      return null;
    }
    for (var known : Way.values()) {
      if (known.name().equalsIgnoreCase(way)) {
        return new Key(token, known, token.equals(name) ? "" : name);
      }
    }
    return null;
  }

  /** The key of own metrics about a source. */
  static SeriesKey metric(String name, Key key) {
    var labels = new java.util.TreeMap<String, String>();
    labels.put("source", key.service().isEmpty() ? key.token() : key.service());
    labels.put("token", key.token());
    labels.put("way", key.way().name().toLowerCase(java.util.Locale.ROOT));
    return new SeriesKey(SelfMonitoring.STORE, name, Labels.of(labels));
  }
}
