package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Predicate;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.collect.JobTiming;
import vintrel.core.collect.ScrapeJob;
import vintrel.core.collect.ScrapeJob.Target;
import vintrel.core.define.Definition;
import vintrel.core.unit.Durations;
import vintrel.server.database.Leases;
import vintrel.server.database.SampleOwner;
import vintrel.server.define.Definitions;
import vintrel.server.web.OutboundGuard;

/**
 * Reads the targets of scrape jobs at their interval, each on a virtual thread of its own, spread
 * over the interval. A job belongs to one server at a time, and a target is never read twice at
 * once. How the last reading went is kept for the page.
 */
@Service
class ScrapeJobs {
  private static final Logger log = LoggerFactory.getLogger(ScrapeJobs.class);

  /** Files and DNS are asked again after this, ms. */
  private static final long RESOLVE_MS = 10 * Durations.SECOND;

  private final Definitions definitions;
  private final ScrapeTargets targets;
  private final ScrapeReader reader;
  private final Leases leases;
  private final SampleOwner owner;
  private final Clock clock;
  private final Map<String, Running> running = new HashMap<>();
  private final Map<Place, Health> health = new ConcurrentHashMap<>();
  private final Set<Place> beingRead = ConcurrentHashMap.newKeySet();
  private final Map<Place, LastPage> pages = new ConcurrentHashMap<>();
  private final Map<String, List<String>> faults = new ConcurrentHashMap<>();

  /** A target of a job. */
  private record Place(String job, Target target) {}

  /** A job that runs: what keeps its targets, and what reads each. */
  private static final class Running {
    final ScrapeJob job;
    final JobLoop keeper = JobLoop.idle();
    final Map<Target, JobLoop> readers = new HashMap<>();

    Running(ScrapeJob job) {
      this.job = job;
    }
  }

  /**
   * How a target is.
   *
   * @param since when it became up or down, ms; 0 before the first reading
   */
  record Health(String job, Target target, ScrapeReader.Reading last, long since) {
    boolean up() {
      return last.up();
    }

    long at() {
      return last.at();
    }

    boolean down() {
      return last.at() > 0 && !last.up();
    }

    String fault() {
      return last.fault();
    }

    /** The address without who signs in. */
    String shown() {
      return OutboundGuard.shown(target.url());
    }
  }

  ScrapeJobs(
      Definitions definitions,
      ScrapeTargets targets,
      ScrapeReader reader,
      Leases leases,
      SampleOwner owner,
      Clock clock) {
    this.definitions = definitions;
    this.targets = targets;
    this.reader = reader;
    this.leases = leases;
    this.owner = owner;
    this.clock = clock;
  }

  @EventListener({ApplicationReadyEvent.class, Definitions.Changed.class})
  synchronized void arrange() {
    var wanted = new TreeMap<String, ScrapeJob>();
    definitions.jobs().stream()
        .map(Definition.OfJob::job)
        .filter(j -> !j.paused())
        .forEach(j -> wanted.put(j.name(), j));
    running
        .entrySet()
        .removeIf(
            e -> {
              boolean stop = !e.getValue().job.equals(wanted.get(e.getKey()));
              if (stop) {
                end(e.getValue());
              }
              return stop;
            });
    wanted.forEach((name, job) -> running.computeIfAbsent(name, k -> start(job)));
    endPages(p -> !wanted.containsKey(p.job()));
  }

  /** Ends the series of targets that are read no more. */
  private void endPages(Predicate<Place> which) {
    for (var place : pages.keySet()) {
      var page = which.test(place) ? pages.remove(place) : null;
      if (page != null) {
        reader.end(page);
      }
    }
  }

  private void end(Running old) {
    synchronized (old) {
      old.keeper.end();
      old.readers.values().forEach(JobLoop::end);
      old.readers.clear();
    }
    health.keySet().removeIf(p -> p.job().equals(old.job.name()));
    faults.remove(old.job.name());
  }

  private Running start(ScrapeJob job) {
    var started = new Running(job);
    if (job.file().isEmpty() && job.resolve().isEmpty()) {
      keep(started);
    } else {
      Thread.ofVirtual().name("targets of " + job.name()).start(() -> keepAll(started));
    }
    return started;
  }

  private void keepAll(Running of) {
    do {
      try {
        keep(of);
      } catch (RuntimeException e) {
        log.error("the targets of {} are looked up again later", of.job.name(), e);
      }
    } while (!of.keeper.ended(RESOLVE_MS));
  }

  /** Starts what reads new targets, and ends what reads those that are gone. */
  private void keep(Running of) {
    var job = of.job;
    var found = targets.of(job);
    synchronized (of) {
      if (of.keeper.isEnded()) {
        return;
      }
      // DNS that does not answer takes no target away.
      if (found.faults().isEmpty()) {
        of.readers.entrySet().removeIf(e -> isGone(job, e.getKey(), e.getValue(), found));
        endPages(p -> p.job().equals(job.name()) && !found.targets().contains(p.target()));
      }
      int n = found.targets().size();
      for (int i = 0; i < n; i++) {
        var target = found.targets().get(i);
        long offset = JobTiming.phase(job.name(), i, n, job.every());
        of.readers.computeIfAbsent(target, t -> read(job, t, offset));
      }
      faults.put(job.name(), found.faults());
    }
  }

  private boolean isGone(ScrapeJob job, Target target, JobLoop loop, ScrapeTargets.Found found) {
    if (found.targets().contains(target)) {
      return false;
    }
    loop.end();
    health.remove(new Place(job.name(), target));
    return true;
  }

  private JobLoop read(ScrapeJob job, Target target, long offset) {
    var place = new Place(job.name(), target);
    health.put(place, new Health(job.name(), target, ScrapeReader.Reading.NONE, 0));
    return JobLoop.start(
        "scrape " + job.name() + " " + OutboundGuard.shown(target.url()),
        clock,
        job.every(),
        offset,
        () -> {
          if (owner.takes() && leases.hold("scrape " + job.name())) {
            readOnce(job, place);
          }
        });
  }

  /** Reads a target unless it is being read. */
  private void readOnce(ScrapeJob job, Place place) {
    if (beingRead.add(place)) {
      try {
        var page = pages.computeIfAbsent(place, k -> new LastPage());
        note(place, reader.read(job, place.target(), page));
      } finally {
        beingRead.remove(place);
      }
    }
  }

  private void note(Place place, ScrapeReader.Reading reading) {
    health.computeIfPresent(
        place,
        (k, old) -> {
          boolean same = old.at() > 0 && old.up() == reading.up();
          return new Health(old.job(), old.target(), reading, same ? old.since() : reading.at());
        });
  }

  /**
   * Reads a target of a job now, beside its interval.
   *
   * @param instance as its label
   * @return null if the job has no such target
   */
  Health now(ScrapeJob job, String instance) {
    for (var h : health()) {
      if (h.job().equals(job.name()) && ScrapeReader.instance(h.target()).equals(instance)) {
        var place = new Place(h.job(), h.target());
        readOnce(job, place);
        return health.get(place);
      }
    }
    return null;
  }

  /** How often a job runs, ms; 0 if there is no such job. */
  long interval(String name) {
    return definitions.jobs().stream()
        .map(Definition.OfJob::job)
        .filter(j -> j.name().equals(name))
        .mapToLong(ScrapeJob::every)
        .findFirst()
        .orElse(0);
  }

  boolean isPaused(String name) {
    return definitions.jobs().stream()
        .map(Definition.OfJob::job)
        .anyMatch(j -> j.name().equals(name) && j.paused());
  }

  /** Of all targets of jobs that run, by job and address. */
  List<Health> health() {
    return health.values().stream()
        .sorted(
            Comparator.comparing(Health::job)
                .thenComparing(h -> h.target().url())
                .thenComparing(h -> h.target().connectTo()))
        .toList();
  }

  /** What is wrong with a job's lists of targets. */
  List<String> faults(String job) {
    return faults.getOrDefault(job, List.of());
  }

  @PreDestroy
  synchronized void stop() {
    running.values().forEach(this::end);
  }
}
