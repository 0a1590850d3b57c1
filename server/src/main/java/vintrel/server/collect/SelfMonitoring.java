package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Retention;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.database.DiskSpace;
import vintrel.server.database.Loops;
import vintrel.server.define.Definitions;
import vintrel.server.store.NamedStores;
import vintrel.server.store.StoreHealth;
import vintrel.server.web.Duties;

/** Writes how Vintrel itself does into a store of its own, every ten seconds. */
@Component
class SelfMonitoring {
  static final String STORE = "vintrel";
  private static final Logger log = LoggerFactory.getLogger(SelfMonitoring.class);
  private static final long EVERY = 10_000;

  private final SampleStore store;
  private final StoreHealth health;
  private final NamedStores stores;
  private final SampleSinks intakes;
  private final Definitions definitions;
  private final DiskSpace disk;
  private final Duties duties;
  private final Clock clock;
  private final Loops loops;
  private volatile Loops.Loop loop;

  SelfMonitoring(
      SampleStore store,
      StoreHealth health,
      NamedStores stores,
      SampleSinks intakes,
      Definitions definitions,
      DiskSpace disk,
      Duties duties,
      Loops loops,
      Clock clock) {
    this.loops = loops;
    this.duties = duties;
    this.store = store;
    this.health = health;
    this.stores = stores;
    this.intakes = intakes;
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
    // At round times, so that they fall into buckets evenly.
    long first = EVERY - Math.floorMod(clock.millis(), EVERY);
    loop = loops.start("storing own metrics", first, EVERY, null, this::write);
  }

  private record Reading(String metric, MetricKind kind, String unit, double value) {}

  void write() {
    var stats = health.stats();
    var memory = Runtime.getRuntime();
    var readings =
        List.of(
            counter("vintrel.ingest.samples", stats.accepted()),
            counter("vintrel.ingest.refused", stats.refused()),
            counter("vintrel.ingest.turned.away", stats.deferred()),
            gauge("vintrel.commit.median", "s", stats.commitSeconds(0.5)),
            gauge("vintrel.commit.p99", "s", stats.commitSeconds(0.99)),
            counter("vintrel.thread.faults", duties.faults()),
            gauge("vintrel.head.samples", "", health.headSize()),
            gauge("vintrel.journal.size", "By", health.journalBytes()),
            gauge("vintrel.journal.age", "s", health.journalAge()),
            gauge("vintrel.flush.duration", "s", stats.flushSeconds()),
            gauge("vintrel.rollup.duration", "s", stats.rollupSeconds()),
            gauge("vintrel.cache.hits", "%", 100 * health.cacheHits()),
            gauge("vintrel.series", "", store.catalog().size()),
            gauge("vintrel.data.size", "By", disk.used()),
            gauge("vintrel.disk.left", "By", disk.left()),
            gauge("vintrel.heap.used", "By", memory.totalMemory() - memory.freeMemory()));
    long now = clock.millis();
    var intake = intakes.to(STORE, "Vintrel");
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
    intake.keep();
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
