package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import vintrel.core.query.Evaluator.Reading;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.store.StoreBusyException;
import vintrel.core.unit.Durations;
import vintrel.core.watch.CheckResult;
import vintrel.core.watch.Expectations;
import vintrel.core.watch.Limit;
import vintrel.core.watch.RuleEdit;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.StateMachine.Outcome;
import vintrel.core.watch.Transition;
import vintrel.server.ask.Queries;
import vintrel.server.watch.AlertJournal.Step;
import vintrel.server.web.Pools;
import vintrel.server.web.Settings;
import vintrel.server.web.Turns;

/**
 * One check of one rule, and its edits: it asks and advances; {@link AlertJournal} writes. The
 * caller holds the rule's lock.
 */
@Component
class RuleChecker {
  private static final Logger log = LoggerFactory.getLogger(RuleChecker.class);

  private static final long TIMEOUT_MS = 20_000;

  /** After it could not be learned what is expected, until it is tried again. */
  private static final long RELEARN_MS = 10 * Durations.MINUTE;

  /** Checks in a row that may need too much before a rule is paused. */
  private static final int TRIES = 3;

  private final Queries queries;
  private final AlertJournal journal;
  private final BandLearning learning;
  private final Turns turns;
  private final Clock clock;
  private final int maxSeries;
  private final AtomicLong checked = new AtomicLong();
  private final AtomicLong faults = new AtomicLong();

  RuleChecker(
      Queries queries,
      AlertJournal journal,
      BandLearning learning,
      Pools pools,
      Settings settings,
      Clock clock) {
    this.learning = learning;
    this.queries = queries;
    this.journal = journal;
    this.turns = pools.rules();
    this.clock = clock;
    this.maxSeries = settings.watch().maxSeries();
  }

  /** How many checks there were since the start. */
  long checked() {
    return checked.get();
  }

  /** How many of them failed. */
  long faults() {
    return faults.get();
  }

  /** Brings a rule to the form that is defined now; loads it first if it is new here. */
  void prepare(WatchedRule watched) {
    if (!watched.loaded) {
      adopt(watched, journal.load(watched));
      watched.loaded = true;
    }
    var wanted = watched.wanted;
    if (!watched.rule().equals(wanted)) {
      var earlier = watched.rule().limits();
      watched.form = WatchedRule.Form.of(wanted);
      watched.fault = "";
      resume(watched);
      try {
        adopt(watched, earlier);
      } catch (RuntimeException e) {
        // States are still those of earlier limits, which the database knows.
        watched.loaded = false;
        throw e;
      }
    }
  }

  private void adopt(WatchedRule watched, List<Limit> earlier) {
    var rule = watched.rule();
    if (earlier.equals(rule.limits())) {
      return;
    }
    // When it was last checked: the next check may look at an instant before now.
    long at = watched.checkedUntil > 0 ? watched.checkedUntil : clock.millis();
    var steps = new ArrayList<Step>();
    for (var series : watched.series.values()) {
      var before = series.state();
      var outcome = RuleEdit.migrate(earlier, rule, before, series.now().value(), at);
      if (!outcome.state().equals(before)) {
        steps.add(Step.of(series, outcome));
      }
    }
    // Also without any step: under which limits the states came about is stored.
    journal.save(watched, steps, AlertJournal.AS_STORED, false);
  }

  /**
   * The clock was set back: states begin at a time, at the latest, and checks go on from there.
   *
   * @param at the time to check next, ms
   */
  void setBack(WatchedRule watched, long at) {
    log.warn(
        "the clock was set back: the rule {} was checked until {}",
        watched.name,
        Instant.ofEpochMilli(watched.checkedUntil));
    var steps = new ArrayList<Step>();
    for (var series : watched.series.values()) {
      var before = series.state();
      var after = before.notAfter(at);
      if (!after.equals(before)) {
        var now = series.now();
        var outcome = new Outcome(after, List.of());
        long valueAt = Math.min(now.valueAt(), at);
        steps.add(new Step(series.labels, series, outcome, now.value(), valueAt, false));
      }
    }
    long until = at - watched.rule().every();
    journal.save(watched, steps, until, false);
    watched.checkedUntil = until;
  }

  /** Closes all series of a rule that was removed. */
  void remove(WatchedRule watched) {
    if (!watched.loaded) {
      journal.load(watched);
    }
    var machine = watched.form.machine();
    var steps = new ArrayList<Step>();
    for (var series : watched.series.values()) {
      var outcome = machine.close(series.state(), clock.millis(), "the rule was removed");
      steps.add(Step.closing(series, outcome));
    }
    journal.remove(watched, steps);
  }

  /** Checks one rule at an instant. */
  void check(WatchedRule watched, long at) {
    long started = System.nanoTime();
    checked.incrementAndGet();
    try {
      var results = results(watched, at);
      watched.tooExpensive = 0;
      expect(watched, results, at);
      advance(watched, results, at);
    } catch (QueryException e) {
      watched.fault = e.getMessage();
      faults.incrementAndGet();
      var fault = new CheckResult.Fault(e.getMessage());
      var all = new TreeMap<Labels, CheckResult>();
      watched.series.keySet().forEach(labels -> all.put(labels, fault));
      advance(watched, all, at);
      pauseIfTooExpensive(watched, e, at);
      return;
    }
    watched.millis = (System.nanoTime() - started) / 1_000_000;
  }

  /** What the query says of each series that it returns, and of those that are watched already. */
  private TreeMap<Labels, CheckResult> results(WatchedRule watched, long at) {
    var form = watched.form;
    var rule = form.rule();
    List<Reading> found;
    try {
      found =
          turns.run(
              rule.name(),
              () ->
                  queries
                      .watching()
                      .readings(form.query(), rule.line(), at, rule.every(), TIMEOUT_MS));
      watched.fault = "";
    } catch (QueryException e) {
      // Nothing of that name has come yet, or nothing is left of it.
      if (!e.isOfNothing()) {
        throw e;
      }
      found = List.of();
      watched.fault = rule.isOfAbsence() ? "" : e.getMessage();
    }
    var out = new TreeMap<Labels, CheckResult>();
    for (var r : found) {
      var labels = r.row().labels();
      var unfit = Admission.fault(rule.name(), labels, "");
      if (unfit == null) {
        out.put(labels, CheckResult.of(r.value()));
      } else {
        watched.fault = "a series is left out: " + unfit;
      }
    }
    watched.cut = out.size() > maxSeries;
    watched.series.keySet().forEach(known -> out.putIfAbsent(known, CheckResult.MISSING));
    // Where nothing is and nothing was, the rule itself is what is absent.
    if (out.isEmpty() && rule.isOfAbsence()) {
      out.put(Labels.NONE, CheckResult.MISSING);
    }
    return out;
  }

  /** Joins what is expected to values; it is learned first if the last time is a day ago. */
  private void expect(WatchedRule watched, TreeMap<Labels, CheckResult> results, long at) {
    var rule = watched.rule();
    if (!rule.isOfBand()) {
      watched.bands = Expectations.NONE;
      watched.learnedBy = null;
      watched.bandFault = "";
      return;
    }
    var key = BandLearning.Key.of(rule, at);
    if (!key.equals(watched.learnedBy)
        || !watched.bandFault.isEmpty() && at > watched.learnsAgain) {
      learn(watched, at);
      watched.learnedBy = key;
    }
    if (!watched.bandFault.isEmpty()) {
      watched.fault = watched.bandFault;
    }
    results.replaceAll(
        (labels, r) ->
            r instanceof CheckResult.Value v ? watched.bands.with(labels, at, v.value()) : r);
  }

  private void learn(WatchedRule watched, long at) {
    long deadline = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(TIMEOUT_MS);
    try {
      watched.bands =
          turns.run(
              watched.name,
              () -> learning.live(watched.rule(), at, () -> System.nanoTime() > deadline));
      watched.bandFault = "";
    } catch (QueryException | StoreBusyException e) {
      watched.bands = Expectations.NONE;
      watched.bandFault = "the expected band could not be learned: " + e.getMessage();
      watched.learnsAgain = at + RELEARN_MS;
    }
  }

  private void advance(WatchedRule watched, TreeMap<Labels, CheckResult> results, long at) {
    var steps = new ArrayList<Step>();
    boolean others = results.values().stream().anyMatch(r -> r instanceof CheckResult.Value);
    results.entrySet().stream()
        .limit(maxSeries)
        .forEach(e -> step(watched, e.getKey(), e.getValue(), others, at, steps));
    boolean registers = watched.registeredAt == 0 && !steps.isEmpty();
    // That nothing changed until now is written once a minute.
    boolean notes =
        registers
            || at > watched.checkedUntil
                && at / Durations.MINUTE != watched.checkedUntil / Durations.MINUTE;
    if (!steps.isEmpty() || notes) {
      journal.save(watched, steps, at, registers);
    }
    watched.checkedUntil = at;
  }

  /** A rule that needs too much again and again is paused, and whom it concerns is told once. */
  private void pauseIfTooExpensive(WatchedRule watched, QueryException e, long at) {
    if (!RuleCost.tooExpensive(e)) {
      watched.tooExpensive = 0;
      return;
    }
    if (++watched.tooExpensive == TRIES) {
      watched.pause = e.getMessage();
      log.warn("the rule {} is paused: {}", watched.name, e.getMessage());
      journal.paused(watched, at);
    }
  }

  /** Checks a rule that was paused again. */
  void resume(WatchedRule watched) {
    watched.tooExpensive = 0;
    watched.pause = "";
  }

  private static void step(
      WatchedRule watched,
      Labels labels,
      CheckResult result,
      boolean others,
      long at,
      List<Step> steps) {
    var series = watched.series.get(labels);
    var machine = watched.form.machine();
    if (series == null) {
      first(watched, labels, result, at, steps);
      return;
    }
    var before = series.state();
    var known = series.known(result);
    var transitions = new ArrayList<Transition>(1);
    var after = machine.check(before, known, at, transitions);
    boolean own = result instanceof CheckResult.Value;
    if (isPlaceholder(watched, series) && others && !own) {
      steps.add(Step.closing(series, machine.arrived(before, at)));
    } else if (machine.isStale(after, at)) {
      var last = series.now().valueAt();
      steps.add(Step.closing(series, machine.close(before, last, at)));
    } else if (after == before) {
      series.seen(result, at);
    } else {
      var outcome = new Outcome(after, transitions);
      steps.add(
          result instanceof CheckResult.Value v
              ? new Step(labels, series, outcome, v.value(), at, false)
              : Step.of(series, outcome));
    }
  }

  /** One that stands for a line that returned nothing yet. */
  private static boolean isPlaceholder(WatchedRule watched, WatchedSeries series) {
    return series.labels.isEmpty()
        && series.now().valueAt() == SeriesState.NEVER
        && watched.rule().isOfAbsence();
  }

  private static void first(
      WatchedRule watched, Labels labels, CheckResult result, long at, List<Step> steps) {
    boolean value = result instanceof CheckResult.Value;
    if (!value && !(watched.rule().isOfAbsence() && labels.isEmpty())) {
      return;
    }
    var initial = SeriesState.initial(at, watched.rule().limits().size());
    var outcome = watched.form.machine().check(initial, result, at);
    double reading = value ? ((CheckResult.Value) result).value() : Double.NaN;
    long valueAt = value ? at : SeriesState.NEVER;
    steps.add(new Step(labels, null, outcome, reading, valueAt, false));
  }

  /**
   * Acknowledges an alert.
   *
   * @throws IllegalStateException if it is not active or acknowledged already
   */
  void acknowledge(WatchedRule watched, Labels labels, String who, String note) {
    var now = active(watched, labels).now();
    var machine = watched.form.machine();
    var outcome = machine.acknowledge(now.state(), now.value(), who, note, clock.millis());
    save(watched, labels, outcome);
  }

  /**
   * Takes an acknowledgement back; the caller holds the rule's lock.
   *
   * @throws IllegalStateException if it is not acknowledged
   */
  void takeBack(WatchedRule watched, Labels labels, String who) {
    var now = active(watched, labels).now();
    var machine = watched.form.machine();
    save(watched, labels, machine.takeBack(now.state(), now.value(), who, clock.millis()));
  }

  private static WatchedSeries active(WatchedRule watched, Labels labels) {
    var series = watched.series.get(labels);
    if (series == null) {
      throw new IllegalStateException("no alert is active here");
    }
    return series;
  }

  private void save(WatchedRule watched, Labels labels, Outcome outcome) {
    var series = watched.series.get(labels);
    journal.save(watched, List.of(Step.of(series, outcome)), AlertJournal.AS_STORED, false);
  }
}
