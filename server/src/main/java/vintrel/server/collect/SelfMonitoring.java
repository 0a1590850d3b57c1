package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.database.DiskSpace;
import vintrel.server.database.Loops;
import vintrel.server.database.SampleOwner;
import vintrel.server.define.Definitions;
import vintrel.server.store.BackupCheck;
import vintrel.server.store.NamedStores;
import vintrel.server.store.StoreHealth;
import vintrel.server.web.Duties;
import vintrel.server.web.OwnMetrics;
import vintrel.server.web.Restart;

/** Writes how Vintrel itself does into a store of its own, every ten seconds. */
@Component
class SelfMonitoring {
  static final String STORE = "vintrel";
  private static final Logger log = LoggerFactory.getLogger(SelfMonitoring.class);
  private static final long EVERY = 10_000;

  /** When a source sent last, seconds since 1970. */
  private static final String LAST = "vintrel.source.last";

  /** How often a source sends, s: it is known again after a restart. */
  private static final String INTERVAL = "vintrel.source.interval";

  /** A source that is silent for longer is not shown any more. */
  static final long SILENT_MS = Durations.WEEK;

  private final SampleStore store;
  private final StoreHealth health;
  private final NamedStores stores;
  private final SampleSinks intakes;
  private final SourceBook book;
  private final Definitions definitions;
  private final DiskSpace disk;
  private final Duties duties;
  private final BackupCheck backup;
  private final Clock clock;
  private final List<OwnMetrics> others;
  private final SampleOwner owner;
  private final Loops loops;
  private volatile Loops.Loop loop;

  SelfMonitoring(
      SampleStore store,
      StoreHealth health,
      NamedStores stores,
      SampleSinks intakes,
      SourceBook book,
      Definitions definitions,
      DiskSpace disk,
      Duties duties,
      BackupCheck backup,
      List<OwnMetrics> others,
      SampleOwner owner,
      Loops loops,
      Clock clock) {
    this.others = others;
    this.owner = owner;
    this.loops = loops;
    this.duties = duties;
    this.backup = backup;
    this.store = store;
    this.health = health;
    this.stores = stores;
    this.intakes = intakes;
    this.book = book;
    this.definitions = definitions;
    this.disk = disk;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    if (stores.get(STORE) == null) {
      stores.put(STORE, Retention.of(7 * Durations.DAY), "Vintrel");
    }
    definitions.applyOnce("/definitions/own.yaml");
    restore();
    if (!owner.takes()) {
      return;
    }
    // At round times, so that they fall into buckets evenly.
    long first = EVERY - Math.floorMod(clock.millis(), EVERY);
    loop = loops.start("storing own metrics", first, EVERY, null, this::write);
  }

  private record Reading(String metric, MetricKind kind, String unit, double value) {}

  void write() {
    var stats = health.stats();
    var memory = Runtime.getRuntime();
    var readings = new ArrayList<Reading>();
    for (var part : others) {
      for (var v : part.own()) {
        readings.add(
            v.counter() ? counter(v.metric(), v.value()) : gauge(v.metric(), v.unit(), v.value()));
      }
    }
    readings.addAll(
        List.of(
            counter("vintrel.ingest.samples", stats.accepted()),
            counter("vintrel.ingest.refused", stats.refused()),
            counter("vintrel.ingest.turned.away", stats.deferred()),
            gauge("vintrel.commit.median", "s", stats.commitSeconds(0.5)),
            gauge("vintrel.commit.p99", "s", stats.commitSeconds(0.99)),
            counter("vintrel.thread.faults", duties.faults()),
            counter("vintrel.database.reopened", Restart.count()),
            gauge("vintrel.backup.possible", "", backup.possible()),
            gauge("vintrel.head.samples", "", health.headSize()),
            gauge("vintrel.journal.size", "By", health.journalBytes()),
            gauge("vintrel.journal.age", "s", health.journalAge()),
            gauge("vintrel.flush.duration", "s", stats.flushSeconds()),
            gauge("vintrel.rollup.duration", "s", stats.rollupSeconds()),
            gauge("vintrel.cache.hits", "%", 100 * health.cacheHits()),
            gauge("vintrel.series", "", store.catalog().size()),
            gauge("vintrel.data.size", "By", disk.used()),
            gauge("vintrel.disk.left", "By", disk.left()),
            gauge("vintrel.heap.used", "By", memory.totalMemory() - memory.freeMemory())));
    long now = clock.millis();
    var intake = intakes.own(STORE);
    for (var r : readings) {
      if (!Double.isNaN(r.value())) {
        var key = new SeriesKey(STORE, r.metric(), Labels.NONE);
        intake.sample(intake.series(key, r.kind(), r.unit()), now, r.value());
      }
    }
    loops
        .lags()
        .forEach(
            (name, lag) -> {
              var key = new SeriesKey(STORE, "vintrel.loop.lag", Labels.of("loop", name));
              intake.sample(intake.series(key, MetricKind.GAUGE, "s"), now, lag);
            });
    book.all().forEach(s -> source(s, intake, now));
    intake.keep();
  }

  /** What a source has sent, so that the page Collect can draw it over any range. */
  private static void source(SourceBook.Source s, StoreSampleSink intake, long now) {
    if (now - s.pace.last() > SILENT_MS) {
      return;
    }
    put(intake, "vintrel.source.samples", s, MetricKind.COUNTER, "", now, s.accepted.get());
    put(intake, "vintrel.source.rejected", s, MetricKind.COUNTER, "", now, s.rejected.get());
    put(intake, "vintrel.source.lag", s, MetricKind.GAUGE, "s", now, s.lag / 1000.0);
    double last = s.pace.last() / 1000.0;
    put(intake, LAST, s, MetricKind.GAUGE, "s", now, last);
    if (s.pace.interval() > 0) {
      put(intake, INTERVAL, s, MetricKind.GAUGE, "s", now, s.pace.interval() / 1000.0);
    }
  }

  private static void put(
      StoreSampleSink intake,
      String metric,
      SourceBook.Source s,
      MetricKind kind,
      String unit,
      long now,
      double value) {
    intake.sample(intake.series(SourceBook.metric(metric, s.key), kind, unit), now, value);
  }

  /** Sources that had sent before the server stopped are not forgotten. */
  private void restore() {
    var intervals = new HashMap<SourceBook.Key, Long>();
    for (var s : store.select(STORE, INTERVAL, Condition.ALL)) {
      var last = store.before(s, Long.MAX_VALUE);
      if (!last.isEmpty()) {
        intervals.put(SourceBook.key(s.labels()), (long) (last.values()[last.count() - 1] * 1000));
      }
    }
    for (var s : store.select(STORE, LAST, Condition.ALL)) {
      var last = store.before(s, Long.MAX_VALUE);
      var key = SourceBook.key(s.labels());
      if (last.isEmpty() || key == null) {
        continue;
      }
      long at = (long) (last.values()[last.count() - 1] * 1000);
      if (at > 0 && at <= clock.millis() && clock.millis() - at <= SILENT_MS) {
        book.restore(key, at, intervals.getOrDefault(key, 0L));
      }
    }
  }

  private static Reading counter(String metric, double value) {
    return new Reading(metric, MetricKind.COUNTER, "", value);
  }

  private static Reading gauge(String metric, String unit, double value) {
    return new Reading(metric, MetricKind.GAUGE, unit, value);
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
  }
}
