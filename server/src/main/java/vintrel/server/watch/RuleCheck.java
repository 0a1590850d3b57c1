package vintrel.server.watch;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.core.watch.SeriesState;
import vintrel.server.ask.Queries;
import vintrel.server.store.LabelText;
import vintrel.server.watch.WatchRecords.Step;
import vintrel.server.web.Pools;
import vintrel.server.web.Settings;
import vintrel.server.web.Turns;

/** One check of one rule, and its edits. The caller holds the rule's lock. */
@Component
class RuleCheck {
  private static final Logger log = LoggerFactory.getLogger(RuleCheck.class);

  private static final long TIMEOUT_MS = 20_000;

  /** Checks in a row that may need too much before a rule is paused. */
  private static final int TRIES = 3;

  private final Queries queries;
  private final WatchRecords records;
  private final Turns turns;
  private final Clock clock;
  private final int maxSeries;

  RuleCheck(Queries queries, WatchRecords records, Pools pools, Settings settings, Clock clock) {
    this.queries = queries;
    this.records = records;
    this.turns = pools.rules();
    this.clock = clock;
    this.maxSeries = settings.watch().maxSeries();
  }

  /** Brings a rule to the form that is defined now; loads it first if it is new here. */
  void prepare(WatchedRule watched) {
    if (!watched.loaded) {
      adopt(watched, records.load(watched));
      watched.loaded = true;
    }
    var wanted = watched.wanted;
    if (!watched.rule().equals(wanted)) {
      var earlier = watched.rule().limits();
      watched.form = WatchedRule.Form.of(wanted);
      watched.fault = "";
      resume(watched);
      adopt(watched, earlier);
    }
  }

  private void adopt(WatchedRule watched, List<vintrel.core.watch.Limit> earlier) {
    if (earlier.equals(watched.rule().limits())) {
      return;
    }
    // When it was last checked: the next check may look at an instant before now.
    long at = watched.checkedUntil > 0 ? watched.checkedUntil : clock.millis();
    var steps = new ArrayList<Step>();
    watched.series.forEach(
        (labels, row) -> {
          var outcome = watched.form.machine().adopt(row.toState(), earlier, at);
          if (!outcome.transitions().isEmpty()) {
            steps.add(Step.of(labels, row, outcome));
          }
        });
    // Also without any step: under which limits the states came about is stored.
    records.save(watched, steps, watched.checkedUntil, false);
  }

  /** Closes all series of a rule that was removed. */
  void remove(WatchedRule watched) {
    if (!watched.loaded) {
      records.load(watched);
    }
    var steps = new ArrayList<Step>();
    watched.series.forEach(
        (labels, row) -> {
          var state = row.toState();
          var outcome = watched.form.machine().close(state, clock.millis(), "the rule was removed");
          steps.add(Step.closing(labels, row, outcome));
        });
    records.remove(watched, steps);
  }

  /** Checks one rule at an instant. */
  void check(WatchedRule watched, long at) {
    long started = System.nanoTime();
    var form = watched.form;
    var values = new TreeMap<Labels, Double>();
    try {
      var rule = form.rule();
      var found =
          turns.run(
              rule.name(),
              () ->
                  queries
                      .watching()
                      .readings(form.query(), rule.line(), at, rule.every(), TIMEOUT_MS));
      watched.fault = "";
      for (var r : found) {
        var labels = r.row().labels();
        var unfit = Admission.fault(rule.name(), labels, "");
        if (unfit == null) {
          values.put(labels, r.value());
        } else {
          watched.fault = "a series is left out: " + unfit;
        }
      }
      watched.tooExpensive = 0;
    } catch (QueryException e) {
      watched.fault = e.getMessage();
      watched.checkedUntil = at;
      pauseIfTooExpensive(watched, e, at);
      return;
    }
    watched.cut = values.size() > maxSeries;
    watched.series.keySet().forEach(known -> values.putIfAbsent(known, Double.NaN));
    var steps = new ArrayList<Step>();
    values.entrySet().stream()
        .limit(maxSeries)
        .forEach(e -> step(watched, e.getKey(), e.getValue(), at, steps));
    boolean registers = watched.registeredAt == 0 && !steps.isEmpty();
    // That nothing changed until now is written once a minute.
    boolean notes =
        registers
            || at > watched.checkedUntil
                && at / Durations.MINUTE != watched.checkedUntil / Durations.MINUTE;
    if (!steps.isEmpty() || notes) {
      records.save(watched, steps, at, registers);
    }
    watched.checkedUntil = at;
    watched.millis = (System.nanoTime() - started) / 1_000_000;
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
      records.paused(watched, at);
    }
  }

  /** Checks a rule that was paused again. */
  void resume(WatchedRule watched) {
    watched.tooExpensive = 0;
    watched.pause = "";
  }

  private static void step(
      WatchedRule watched, Labels labels, double value, long at, List<Step> steps) {
    var row = watched.series.get(labels);
    if (row == null && Double.isNaN(value)) {
      return;
    }
    var machine = watched.form.machine();
    var before = row == null ? SeriesState.initial(at) : row.toState();
    var outcome = machine.check(before, value, at);
    if (row != null && machine.isStale(outcome.state(), at)) {
      steps.add(Step.closing(labels, row, machine.close(before, at)));
      return;
    }
    if (row == null) {
      row = WatchedRow.of(watched.name, LabelText.write(labels));
    }
    boolean same =
        row.id != null
            && outcome.transitions().isEmpty()
            && outcome.state().limits().equals(before.limits())
            && outcome.state().missingSince() == before.missingSince();
    if (same) {
      row.take(outcome.state());
    } else {
      steps.add(Step.of(labels, row, outcome));
    }
  }

  /**
   * Acknowledges an alert.
   *
   * @throws IllegalStateException if it is not active or acknowledged already
   */
  void acknowledge(WatchedRule watched, Labels labels, String who) {
    var row = watched.series.get(labels);
    if (row == null) {
      throw new IllegalStateException("no alert is active here");
    }
    var outcome = watched.form.machine().acknowledge(row.toState(), who, clock.millis());
    records.save(watched, List.of(Step.of(labels, row, outcome)), watched.checkedUntil, false);
  }
}
