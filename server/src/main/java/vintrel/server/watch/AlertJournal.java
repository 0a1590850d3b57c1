package vintrel.server.watch;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.hibernate.StaleStateException;
import org.hibernate.StatelessSession;
import org.springframework.stereotype.Component;
import vintrel.core.series.Labels;
import vintrel.core.watch.Limit;
import vintrel.core.watch.Rule;
import vintrel.core.watch.StateMachine.Outcome;
import vintrel.core.watch.Transition;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.database.Database;
import vintrel.server.store.LabelText;
import vintrel.server.tell.Outbox;
import vintrel.server.watch.Notifications.Fullness;
import vintrel.server.web.Duties;

/**
 * Reads and writes what is known of watched series. States, transitions and what is to be told are
 * written in one transaction, and memory follows only after its commit. The caller holds the rule's
 * lock.
 */
@Component
class AlertJournal {
  /** Until when a rule was checked stays as it is: a server that does not check it knows less. */
  static final long AS_STORED = Long.MIN_VALUE;

  private final Database database;
  private final Notifications notifications;
  private final Duties duties;

  AlertJournal(Database database, Notifications notifications, Duties duties) {
    this.database = database;
    this.notifications = notifications;
    this.duties = duties;
  }

  /**
   * What becomes of one series.
   *
   * @param before null if it was not watched
   * @param value the latest; NaN if there is none
   * @param valueAt when it was seen, ms
   * @param closed true if the series is not watched any more
   */
  record Step(
      Labels labels,
      WatchedSeries before,
      Outcome outcome,
      double value,
      long valueAt,
      boolean closed) {
    /** Without another value. */
    static Step of(WatchedSeries before, Outcome outcome) {
      var now = before.now();
      return new Step(before.labels, before, outcome, now.value(), now.valueAt(), false);
    }

    static Step closing(WatchedSeries before, Outcome outcome) {
      var now = before.now();
      return new Step(before.labels, before, outcome, now.value(), now.valueAt(), true);
    }
  }

  /** Another server wrote a state after it was read here: it is read again by the next check. */
  static final class WrittenElsewhere extends RuntimeException {
    WrittenElsewhere(Throwable cause) {
      super("another server wrote the states of this rule meanwhile", cause);
    }
  }

  /**
   * Fills a rule with what is stored of it.
   *
   * @return the limits under which the stored states came about
   */
  List<Limit> load(WatchedRule watched) {
    var found = new HashMap<Labels, WatchedSeries>();
    var limits =
        database.with(
            s -> {
              var row = s.get(RuleRow.class, watched.name);
              var own = watched.rule().limits();
              var earlier = row == null ? own : StateText.limits(row.limits, own);
              if (row != null) {
                watched.registeredAt = row.registeredAt;
                watched.checkedUntil = row.checkedUntil;
              }
              s.createSelectionQuery("from WatchedSeries where rule = :rule", WatchedRow.class)
                  .setParameter("rule", watched.name)
                  .getResultList()
                  .forEach(
                      r -> {
                        var labels = LabelText.read(r.labels);
                        var now = StateText.read(r, earlier);
                        var known = watched.series.get(labels);
                        // Values are newer here than where they were written with a change.
                        boolean same =
                            known != null
                                && known.id == r.id
                                && known.now().version() == now.version();
                        found.put(labels, same ? known : new WatchedSeries(r.id, labels, now));
                      });
              return earlier;
            });
    watched.series.keySet().retainAll(found.keySet());
    watched.series.putAll(found);
    return limits;
  }

  /** The names of rules of which something is stored. */
  Set<String> stored() {
    return database.with(
        s ->
            Set.copyOf(
                s.createSelectionQuery(
                        "select rule from WatchedRule union select rule from WatchedSeries",
                        String.class)
                    .getResultList()));
  }

  /**
   * Until when rules were checked by whichever server, ms; it is written once a minute at least.
   */
  Map<String, Long> checkedUntil() {
    return database.with(
        s ->
            s
                .createSelectionQuery("select rule, checkedUntil from WatchedRule", Object[].class)
                .getResultList()
                .stream()
                .collect(Collectors.toMap(row -> (String) row[0], row -> (Long) row[1])));
  }

  /** Deletes what is stored of a rule; its transitions are kept. */
  void delete(String rule) {
    database.run(s -> delete(s, rule));
  }

  private static void delete(StatelessSession s, String rule) {
    for (var entity : List.of("WatchedSeries", "WatchedRule")) {
      s.createMutationQuery("delete from " + entity + " where rule = :rule")
          .setParameter("rule", rule)
          .executeUpdate();
    }
  }

  /** Closes the series of a rule that was removed, and deletes what is stored of it. */
  void remove(WatchedRule watched, List<Step> closing) {
    write(
        watched,
        fullness -> {
          var notices = notices(watched.rule(), closing, fullness);
          return s -> {
            closing.forEach(step -> transitions(s, watched.rule(), step));
            notices.forEach(n -> notifications.queue(s, n));
            delete(s, watched.name);
            return new WatchedRow[0];
          };
        });
    watched.series.clear();
  }

  /**
   * @param at until when the rule is checked now, ms, or {@link #AS_STORED}
   * @param registers true if this is the first check that found something
   */
  void save(WatchedRule watched, List<Step> steps, long at, boolean registers) {
    var rule = watched.rule();
    var rows =
        write(
            watched,
            fullness -> {
              var notices = notices(rule, steps, fullness);
              if (registers) {
                notices.add(notifications.registered(rule, steps.size(), at, fullness));
              }
              return s -> {
                var out = new WatchedRow[steps.size()];
                for (int i = 0; i < out.length; i++) {
                  out[i] = row(s, rule, steps.get(i));
                  transitions(s, rule, steps.get(i));
                }
                notices.forEach(n -> notifications.queue(s, n));
                rule(s, watched, registers ? at : watched.registeredAt, at);
                return out;
              };
            });
    if (registers) {
      watched.registeredAt = at;
    }
    for (int i = 0; i < rows.length; i++) {
      replace(watched, steps.get(i), rows[i]);
    }
  }

  private static void replace(WatchedRule watched, Step step, WatchedRow row) {
    if (step.closed()) {
      watched.series.remove(step.labels());
      return;
    }
    var now = now(step, row.version);
    if (step.before() == null) {
      watched.series.put(step.labels(), new WatchedSeries(row.id, step.labels(), now));
    } else {
      step.before().become(now);
    }
  }

  private static WatchedSeries.Now now(Step step, int version) {
    return new WatchedSeries.Now(step.outcome().state(), step.value(), step.valueAt(), version);
  }

  private static WatchedRow row(StatelessSession s, Rule rule, Step step) {
    var row = WatchedRow.of(rule.name(), LabelText.write(step.labels()));
    StateText.write(now(step, 0), rule.limits(), row);
    if (step.before() == null) {
      if (!step.closed()) {
        s.insert(row);
      }
      return row;
    }
    row.id = step.before().id;
    row.version = step.before().now().version();
    if (step.closed()) {
      s.delete(row);
    } else {
      s.update(row);
    }
    return row;
  }

  /** What is done before the transaction, with the texts, and what within it. */
  private interface Prepared {
    Writing with(Fullness fullness);
  }

  private interface Writing {
    WatchedRow[] write(StatelessSession session);
  }

  /**
   * If messages are refused for what they contain, plain ones are written in their place, and if
   * these are refused too, none: no message holds back a change of state.
   */
  private WatchedRow[] write(WatchedRule watched, Prepared work) {
    RuntimeException first = null;
    for (var fullness : Fullness.values()) {
      try {
        var writing = work.with(fullness);
        var rows = database.with(writing::write);
        if (first != null) {
          duties.failed("writing messages", first);
        }
        return rows;
      } catch (RuntimeException e) {
        if (isStale(e)) {
          watched.loaded = false;
          throw new WrittenElsewhere(e);
        }
        boolean unwell = Database.sqlState(e) != null && !Database.refusesData(e);
        if (unwell || fullness == Fullness.NONE) {
          // The database is not well: the next check does all of it again, messages too.
          throw e;
        }
        first = first == null ? e : first;
      }
    }
    throw new IllegalStateException("no fullness is left");
  }

  private static boolean isStale(Throwable e) {
    for (var cause = e; cause != null; cause = cause.getCause()) {
      if (cause instanceof StaleStateException) {
        return true;
      }
    }
    return false;
  }

  private static void transitions(StatelessSession s, Rule rule, Step step) {
    for (var t : step.outcome().transitions()) {
      s.insert(row(rule, step.labels(), t));
    }
  }

  private List<Outbox.Draft> notices(Rule rule, List<Step> steps, Fullness fullness) {
    var out = new ArrayList<Outbox.Draft>();
    for (var step : steps) {
      for (var t : step.outcome().transitions()) {
        out.add(notifications.of(rule, step.labels(), t, fullness));
      }
    }
    return out;
  }

  private static void rule(StatelessSession s, WatchedRule watched, long registeredAt, long at) {
    var row = s.get(RuleRow.class, watched.name);
    boolean isNew = row == null;
    row = isNew ? new RuleRow() : row;
    row.rule = watched.name;
    row.registeredAt = Math.max(row.registeredAt, registeredAt);
    row.checkedUntil = at != AS_STORED ? at : isNew ? watched.checkedUntil : row.checkedUntil;
    row.limits = StateText.limits(watched.rule().limits());
    if (isNew) {
      s.insert(row);
    } else {
      s.update(row);
    }
  }

  private static TransitionRow row(Rule rule, Labels labels, Transition t) {
    var row = new TransitionRow();
    row.rule = rule.name();
    row.labels = LabelText.write(labels);
    row.change = t.change().name();
    row.fromState = t.from().name();
    row.toState = t.to().name();
    row.at = t.at();
    row.reading = t.value();
    row.priority = t.priority() == null ? "" : t.priority().name();
    row.why = t.why().length() > 1000 ? t.why().substring(0, 1000) : t.why();
    return row;
  }

  /** Tells whom a rule concerns that it is not checked any more. */
  void paused(WatchedRule watched, long at) {
    var rule = watched.rule();
    var why = "the rule is paused: " + watched.pause;
    var state = WatchState.WAITING;
    var t = new Transition(Change.PAUSED, state, state, at, Double.NaN, null, why);
    write(
        watched,
        fullness -> {
          var notice = notifications.ofRule(rule, t, fullness);
          return s -> {
            s.insert(row(rule, Labels.NONE, t));
            notifications.queue(s, notice);
            return new WatchedRow[0];
          };
        });
  }
}
