package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.collect.JobTiming;
import vintrel.core.define.Definition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.wire.OpenMetricsText;
import vintrel.server.access.Vault;
import vintrel.server.database.Leases;
import vintrel.server.define.Definitions;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Outgoing;

/**
 * Reads the targets of scrape jobs at their interval, each on a virtual thread of its own, spread
 * over the interval. How a reading went is kept for the page and as metrics scrape.up and
 * scrape.duration.
 */
@Service
class ScrapeJobs {
  private static final Logger log = LoggerFactory.getLogger(ScrapeJobs.class);
  private static final int MAX_BYTES = 16_000_000;
  private static final String ACCEPT = "application/openmetrics-text; version=1.0.0";

  private final Definitions definitions;
  private final SampleSinks intakes;
  private final OutboundGuard guard;
  private final Clock clock;
  private final Outgoing outgoing;
  private final Vault vault;
  private final Leases leases;
  private final Map<String, Running> running = new HashMap<>();
  private final Map<String, Health> health = new ConcurrentHashMap<>();

  private record Running(Definition.OfJob job, List<Thread> threads) {}

  /**
   * How the last reading of a target went.
   *
   * @param at ms since the epoch; 0 before the first
   * @param fault empty if it went well
   */
  record Health(
      String job, String target, boolean up, long at, long millis, int samples, String fault) {}

  ScrapeJobs(
      Definitions definitions,
      SampleSinks intakes,
      OutboundGuard guard,
      Outgoing outgoing,
      Vault vault,
      Leases leases,
      Clock clock) {
    this.leases = leases;
    this.vault = vault;
    this.outgoing = outgoing;
    this.definitions = definitions;
    this.intakes = intakes;
    this.guard = guard;
    this.clock = clock;
  }

  @EventListener({ApplicationReadyEvent.class, Definitions.Changed.class})
  synchronized void arrange() {
    var wanted = new TreeMap<String, Definition.OfJob>();
    definitions.jobs().forEach(j -> wanted.put(j.name(), j));
    running
        .entrySet()
        .removeIf(
            e -> {
              boolean stop = !e.getValue().job().equals(wanted.get(e.getKey()));
              if (stop) {
                e.getValue().threads().forEach(Thread::interrupt);
                health.keySet().removeIf(k -> k.startsWith(e.getKey() + " "));
              }
              return stop;
            });
    wanted.forEach((name, job) -> running.computeIfAbsent(name, k -> start(job)));
  }

  private Running start(Definition.OfJob job) {
    var threads = new ArrayList<Thread>();
    for (int i = 0; i < job.targets().size(); i++) {
      var target = job.targets().get(i);
      long offset = JobTiming.phase(job.name(), i, job.targets().size(), job.every());
      health.put(job.name() + " " + target, new Health(job.name(), target, false, 0, 0, 0, ""));
      threads.add(
          Thread.ofVirtual().name("scrape " + job.name()).start(() -> loop(job, target, offset)));
    }
    return new Running(job, threads);
  }

  private void loop(Definition.OfJob job, String target, long offset) {
    while (true) {
      try {
        long now = clock.millis();
        Thread.sleep(JobTiming.next(now, job.every(), offset) - now);
        if (leases.hold("scraping")) {
          read(job, target);
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      } catch (RuntimeException e) {
        log.error("the target {} is read again next time", OutboundGuard.shown(target), e);
      }
    }
  }

  private void read(Definition.OfJob job, String target) {
    long at = clock.millis();
    long started = System.nanoTime();
    String fault = "";
    int samples = 0;
    boolean up = false;
    var own = new TreeMap<>(job.labels());
    own.put("job", job.name());
    own.put("instance", instance(target));
    var labels = Labels.of(own);
    try {
      var page = fetch(job, target);
      var intake = intakes.to(SeriesKey.MAIN, Sender.own(job.name(), Way.SCRAPE));
      boolean complete = OpenMetricsText.read(page, labels, at, intake);
      var outcome = intake.keep();
      samples = outcome.receipt().accepted();
      fault = outcome.why();
      up = complete || samples > 0;
    } catch (IOException | RuntimeException e) {
      fault = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    }
    long millis = (System.nanoTime() - started) / 1_000_000;
    health.put(
        job.name() + " " + target, new Health(job.name(), target, up, at, millis, samples, fault));
    note(labels, at, up, millis);
  }

  /** Host and port, and the path if it is not the usual one; never who signs in. */
  private static String instance(String target) {
    try {
      var uri = URI.create(target);
      if (uri.getHost() != null) {
        var path = uri.getPath();
        boolean usual = path.isEmpty() || path.equals("/metrics");
        var port = uri.getPort() < 0 ? "" : ":" + uri.getPort();
        return uri.getHost() + port + (usual ? "" : path);
      }
    } catch (IllegalArgumentException e) {
      // What is no address is named as it is written.
    }
    return OutboundGuard.shown(target);
  }

  private void note(Labels labels, long at, boolean up, long millis) {
    var intake = intakes.own(SeriesKey.MAIN);
    var upKey = new SeriesKey("scrape.up", labels);
    intake.sample(intake.series(upKey, MetricKind.STATE, ""), at, up ? 1 : 0);
    var durationKey = new SeriesKey("scrape.duration", labels);
    intake.sample(intake.series(durationKey, MetricKind.GAUGE, "s"), at, millis / 1000.0);
    try {
      intake.keep();
    } catch (RuntimeException e) {
      // The page still shows the reading; the next one is noted again.
    }
  }

  private String fetch(Definition.OfJob job, String target) throws IOException {
    var headers = new HashMap<>(Map.of("Accept", ACCEPT));
    var uri = guard.check(vault.revealed(target));
    if (uri.getUserInfo() != null) {
      var who = uri.getUserInfo().getBytes(StandardCharsets.UTF_8);
      headers.put("Authorization", "Basic " + Base64.getEncoder().encodeToString(who));
    }
    var answer =
        outgoing.call(
            new Outgoing.Call("GET", withoutUser(uri), headers, null, job.timeout(), MAX_BYTES));
    if (answer.status() != 200) {
      throw new IOException("the target returned HTTP " + answer.status());
    }
    return new String(answer.body(), StandardCharsets.UTF_8);
  }

  private static URI withoutUser(URI uri) {
    return uri.getRawUserInfo() == null
        ? uri
        : URI.create(uri.toString().replaceFirst("(?<=//)[^/@]*@", ""));
  }

  /** How often a job runs, ms; 0 if there is no such job. */
  long interval(String name) {
    return definitions.jobs().stream()
        .filter(j -> j.name().equals(name))
        .mapToLong(Definition.OfJob::every)
        .findFirst()
        .orElse(0);
  }

  List<Health> health() {
    return health.entrySet().stream()
        .sorted(Map.Entry.comparingByKey())
        .map(Map.Entry::getValue)
        .toList();
  }

  @PreDestroy
  synchronized void stop() {
    running.values().forEach(r -> r.threads().forEach(Thread::interrupt));
  }
}
