package vintrel.server.collect;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.stereotype.Component;
import vintrel.core.collect.RateLimit;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.wire.Exemplar;
import vintrel.core.wire.ResourceRules;
import vintrel.core.wire.SeriesCache;
import vintrel.server.store.LogStore;
import vintrel.server.store.MetricNotes;
import vintrel.server.store.NamedStores;
import vintrel.server.web.Caller;
import vintrel.server.web.TokenCheck;

/**
 * Opens the way into a named store for a request. A token that is bound to a store writes there,
 * and its first use makes the store; others name one, or write to the main store.
 */
@Component
class SampleSinks {
  private final SampleStore store;
  private final NamedStores stores;
  private final SeriesBudget budget;
  private final MetricNotes notes;
  private final SourceBook book;
  private final LogStore logs;
  private final Resources resources;
  private final Clock clock;
  private final Map<Long, RateLimit> limits = new ConcurrentHashMap<>();
  private final Cache<String, Boolean> exemplars =
      Caffeine.newBuilder().maximumSize(100_000).expireAfterAccess(Duration.ofHours(1)).build();
  private final CounterStarts starts = new CounterStarts();

  /** Of the heap, what may remember the wire's form of series. */
  private static final int PART = 10;

  private final SeriesCache cache = new SeriesCache(Runtime.getRuntime().maxMemory() / PART);
  private final Map<Wire, SeriesCache> caches = new ConcurrentHashMap<>();
  private int stamp;

  /** What decides of which series an encoded point is. */
  private record Wire(String store, ResourceRules rules, Labels added) {}

  private volatile int generation;

  SampleSinks(
      SampleStore store,
      NamedStores stores,
      SeriesBudget budget,
      MetricNotes notes,
      SourceBook book,
      LogStore logs,
      Resources resources,
      Clock clock) {
    this.resources = resources;
    this.logs = logs;
    this.book = book;
    this.clock = clock;
    this.notes = notes;
    this.store = store;
    this.stores = stores;
    this.budget = budget;
  }

  /**
   * For the sender of the request that this thread serves.
   *
   * @param named the store that the request names, or null
   * @throws IllegalArgumentException if the token may not write there, or there is no such store
   */
  StoreSampleSink open(String named, Way way) {
    return open(named, sender(way));
  }

  /** As above, for a sender that is known. */
  StoreSampleSink open(String named, Sender sender) {
    var holder = holder();
    var sink = to(store(named), sender);
    if (holder != null) {
      sink.adding(holder.labels());
    }
    if (holder != null && (holder.maxSamples() > 0 || holder.maxSeries() > 0)) {
      sink.limited(holder.maxSamples() == 0 ? null : () -> wait(holder, sink), holder.maxSeries());
    }
    return sink;
  }

  private int wait(TokenCheck.Holder holder, StoreSampleSink sink) {
    long now = clock.millis();
    var limit =
        limits.compute(
            holder.id(),
            (k, old) ->
                old != null && old.perSecond() == holder.maxSamples()
                    ? old
                    : new RateLimit(holder.maxSamples(), now));
    return limit.take(sink.size(), now);
  }

  /** Who sends the request that this thread serves. */
  Sender sender(Way way) {
    var who = SecurityContextHolder.getContext().getAuthentication();
    var holder = holder();
    return new Sender(
        who == null ? "unknown" : who.getName(),
        holder == null ? 0 : holder.id(),
        way,
        Caller.address());
  }

  private static TokenCheck.Holder holder() {
    var who = SecurityContextHolder.getContext().getAuthentication();
    return who != null && who.getDetails() instanceof TokenCheck.Holder h ? h : null;
  }

  /** The name of the store that the request writes to, as {@link #open} opens it. */
  String store(String named) {
    var holder = holder();
    var bound = holder == null ? "" : holder.store();
    if (!bound.isEmpty()) {
      if (named != null && !named.isBlank() && !named.equals(bound)) {
        throw new IllegalArgumentException("this token can write only to store `" + bound + "`");
      }
      return stores.ensure(bound, holder.name()).name();
    }
    if (named == null || named.isBlank()) {
      return SeriesKey.MAIN;
    }
    if (stores.get(named) == null) {
      throw new IllegalArgumentException(
          "no store named `" + named + "`; add it on the Stores page, or use a token bound to it");
    }
    return named;
  }

  /** Events with the labels that the token of the request adds. */
  List<Event> labelled(List<Event> events) {
    var holder = holder();
    if (holder == null || holder.labels().isEmpty()) {
      return events;
    }
    return events.stream().map(e -> e.with(e.labels().and(holder.labels()))).toList();
  }

  private synchronized int next() {
    return ++stamp;
  }

  /** For the server's own metrics: without limits, and without an entry among the sources. */
  StoreSampleSink own(String named) {
    return new StoreSampleSink(store, named, Sender.own("Vintrel", Way.HOST), budget, starts);
  }

  /** For work of the server that counts as a source. */
  StoreSampleSink to(String named, Sender sender) {
    return new StoreSampleSink(store, named, sender, budget, starts)
        .with(notes)
        .with(book)
        .with(resources)
        .with(logs, this::isNew);
  }

  /** Whether an exemplar was not seen within the last hour, whatever time a page gives it. */
  private boolean isNew(Exemplar e) {
    var key =
        String.join(
            "\n", e.traceId(), e.spanId(), e.metric(), e.labels().toString(), "" + e.value());
    return exemplars.asMap().putIfAbsent(key, Boolean.TRUE) == null;
  }

  /** Changes when ids of series become invalid. */
  int generation() {
    return store.generation();
  }

  /** The rules for resources of what a token sends. */
  ResourceRules rules(String token) {
    return resources.rules(token);
  }

  /** What is remembered of the wire's form of series; forgotten once ids have become invalid. */
  SeriesCache cache(StoreSampleSink sink) {
    int now = store.generation();
    if (generation != now) {
      // Later ones have other numbers: what was remembered before is not found any more.
      caches.clear();
      generation = now;
    }
    var wire = new Wire(sink.named(), sink.resources(), sink.added());
    return caches.computeIfAbsent(wire, k -> cache.of(next()));
  }
}
