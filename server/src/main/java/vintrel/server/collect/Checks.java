package vintrel.server.collect;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;
import vintrel.core.collect.JobTiming;
import vintrel.core.collect.Verdict;
import vintrel.core.define.Definition;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.database.Leases;
import vintrel.server.database.SampleOwner;
import vintrel.server.define.Definitions;
import vintrel.server.store.LogStore;
import vintrel.server.web.Settings;

/**
 * Runs checks at their interval, each on a virtual thread of its own. A check belongs to one server
 * at a time and never overlaps itself. Results are the metrics check.up, check.duration,
 * check.phase, check.status, check.days_left and check.value, and an event for each change.
 */
@Service
class Checks {
  private final Definitions definitions;
  private final Probes probes;
  private final SampleSinks sinks;
  private final SampleStore store;
  private final LogStore events;
  private final Leases leases;
  private final SampleOwner owner;
  private final Clock clock;
  private final String site;
  private final Map<String, Running> running = new HashMap<>();
  private final Map<String, State> states = new ConcurrentHashMap<>();
  private final Set<String> underWay = ConcurrentHashMap.newKeySet();

  private record Running(Check check, JobLoop loop) {}

  /**
   * How a check is.
   *
   * @param at when it ran last, ms
   * @param since when it began to pass or to fail, ms
   */
  record State(Verdict verdict, Finding finding, long at, long since) {}

  Checks(
      Definitions definitions,
      Probes probes,
      SampleSinks sinks,
      SampleStore store,
      LogStore events,
      Leases leases,
      SampleOwner owner,
      Settings settings,
      Clock clock) {
    this.definitions = definitions;
    this.probes = probes;
    this.sinks = sinks;
    this.store = store;
    this.events = events;
    this.leases = leases;
    this.owner = owner;
    this.site = settings.site();
    this.clock = clock;
  }

  @EventListener({ApplicationReadyEvent.class, Definitions.Changed.class})
  synchronized void arrange() {
    var wanted = new TreeMap<String, Check>();
    definitions.checks().stream()
        .map(Definition.OfCheck::check)
        .filter(c -> !c.paused() && c.isHere())
        .forEach(c -> wanted.put(c.name(), c));
    running
        .entrySet()
        .removeIf(
            e -> {
              boolean stop = !e.getValue().check().equals(wanted.get(e.getKey()));
              if (stop) {
                e.getValue().loop().end();
              }
              return stop;
            });
    states.keySet().removeIf(name -> definitions.find("check", name) == null);
    wanted.forEach((name, check) -> running.computeIfAbsent(name, k -> start(check)));
  }

  private Running start(Check check) {
    long phase = JobTiming.phase(check.name(), 0, 1, check.every());
    var loop =
        JobLoop.start(
            "check " + check.name(),
            clock,
            check.every(),
            phase,
            () -> {
              if (owner.takes() && leases.hold("check " + check.name())) {
                runOnce(check);
              }
            });
    return new Running(check, loop);
  }

  /** The site that checks run from. */
  String site() {
    return site;
  }

  /** The labels of a check's metrics. */
  Labels labels(Check check) {
    var all = new TreeMap<>(check.labels());
    all.put("check", check.name());
    all.put("kind", check.probe().kind());
    all.put("from", site);
    return Labels.of(all);
  }

  /** Runs a check unless it is under way. */
  void runOnce(Check check) {
    if (!underWay.add(check.name())) {
      return;
    }
    try {
      long at = clock.millis();
      var finding = probes.run(check.probe(), check.timeout());
      var verdict = Verdict.of(check, finding, at);
      write(check, finding, verdict, at);
      var before = states.get(check.name());
      boolean known = before != null;
      boolean same = known && before.verdict().passed() == verdict.passed();
      states.put(check.name(), new State(verdict, finding, at, same ? before.since() : at));
      if (!same) {
        tell(check, verdict, before, at);
      }
    } finally {
      underWay.remove(check.name());
    }
  }

  /** Runs a probe without keeping what is found. */
  State look(Check check) {
    long at = clock.millis();
    var finding = probes.run(check.probe(), check.timeout());
    return new State(Verdict.of(check, finding, at), finding, at, at);
  }

  private void write(Check check, Finding finding, Verdict verdict, long at) {
    var sink = sinks.to(SeriesKey.MAIN, Sender.own(check.name(), Way.CHECK));
    var labels = labels(check);
    note(sink, "up", labels, at, MetricKind.STATE, "", verdict.passed() ? 1 : 0);
    note(sink, "duration", labels, at, MetricKind.GAUGE, "s", finding.millis() / 1000);
    for (var phase : finding.phases()) {
      note(
          sink,
          "phase",
          labels.with("phase", phase.name()),
          at,
          MetricKind.GAUGE,
          "s",
          phase.millis() / 1000);
    }
    if (finding.status() > 0) {
      note(sink, "status", labels, at, MetricKind.STATE, "", finding.status());
    }
    if (!Double.isNaN(verdict.daysLeft())) {
      note(sink, "days_left", labels, at, MetricKind.GAUGE, "d", verdict.daysLeft());
    }
    if (Double.isFinite(finding.value())) {
      note(sink, "value", labels, at, MetricKind.GAUGE, "", finding.value());
    }
    sink.keep();
  }

  private static void note(
      StoreSampleSink sink,
      String name,
      Labels labels,
      long at,
      MetricKind kind,
      String unit,
      double value) {
    var key = new SeriesKey("check." + name, labels);
    sink.sample(sink.series(key, kind, unit), at, value);
  }

  /** An event, unless the change happened before this server started. */
  private void tell(Check check, Verdict verdict, State before, long at) {
    if (before == null && wasUp(check, at) == verdict.passed()) {
      return;
    }
    var text =
        verdict.passed()
            ? check.title()
                + " passes again"
                + (before == null ? "" : " after " + Durations.words(at - before.since()))
                + ": "
                + verdict.found()
            : check.title() + " fails: " + verdict.found();
    var labels = labels(check).with("service", "checks");
    events.append(
        SeriesKey.MAIN,
        List.of(
            new Event(
                0, SeriesKey.MAIN, at, verdict.passed() ? "info" : "error", text, labels, "")),
        "checks");
  }

  /** Whether it passed before a time; true if it never ran. */
  private boolean wasUp(Check check, long at) {
    var where = Condition.Test.of("check", Condition.Operator.EQUAL, check.name());
    for (var series : store.select(SeriesKey.MAIN, "check.up", where)) {
      if (series.labels().equals(labels(check))) {
        var last = store.before(series, at);
        return last.isEmpty() || last.values()[0] > 0;
      }
    }
    return true;
  }

  boolean isPaused(String name) {
    return definitions.checks().stream().anyMatch(c -> c.name().equals(name) && c.check().paused());
  }

  /** Whether a check's last run failed. */
  boolean fails(String name) {
    var state = states.get(name);
    return state != null && !state.verdict().passed();
  }

  /** What a check's last run found, in words; empty before the first. */
  String found(String name) {
    var state = states.get(name);
    return state == null ? "" : state.verdict().found();
  }

  /** How a check is, or null if it has not run yet. */
  State state(String name) {
    return states.get(name);
  }

  @PreDestroy
  synchronized void stop() {
    running.values().forEach(r -> r.loop().end());
  }
}
