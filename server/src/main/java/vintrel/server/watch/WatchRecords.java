package vintrel.server.watch;

import java.time.ZoneOffset;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.hibernate.StatelessSession;
import org.springframework.stereotype.Component;
import tools.jackson.core.JacksonException;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Labels;
import vintrel.core.tell.MessageText;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Limit;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rule;
import vintrel.core.watch.StateMachine.Outcome;
import vintrel.core.watch.Transition;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.database.Database;
import vintrel.server.store.LabelText;
import vintrel.server.tell.Outbox;
import vintrel.server.web.Duties;
import vintrel.server.web.Settings;

/**
 * Reads and writes what is known of watched series. State, transitions and messages are written in
 * one transaction, and memory follows only after its commit. The caller holds the rule's lock.
 */
@Component
class WatchRecords {
  private static final TypeReference<List<Limit>> LIMITS = new TypeReference<>() {};
  private static final Set<Change> NOTIFIED =
      EnumSet.of(Change.RAISED, Change.ESCALATED, Change.EASED, Change.CLEARED);

  private final Database database;
  private final Outbox outbox;
  private final Duties duties;
  private final String address;

  WatchRecords(Database database, Outbox outbox, Duties duties, Settings settings) {
    this.database = database;
    this.outbox = outbox;
    this.duties = duties;
    this.address = settings.address().replaceFirst("/+$", "");
  }

  /**
   * What becomes of one series.
   *
   * @param row as it will be once it is written
   * @param closed true if the series is not watched any more
   */
  record Step(Labels labels, WatchedRow row, Outcome outcome, boolean closed) {
    static Step of(Labels labels, WatchedRow before, Outcome outcome) {
      return of(labels, before, outcome, false);
    }

    static Step closing(Labels labels, WatchedRow before, Outcome outcome) {
      return of(labels, before, outcome, true);
    }

    private static Step of(Labels labels, WatchedRow before, Outcome outcome, boolean closed) {
      var row = before.copy();
      row.take(outcome.state());
      return new Step(labels, row, outcome, closed);
    }
  }

  /** How much of a message is written. */
  private enum Message {
    FULL,
    PLAIN,
    NONE
  }

  /**
   * Fills a rule with what is stored of it.
   *
   * @return the limits under which the stored states came about
   */
  List<Limit> load(WatchedRule watched) {
    var found = new HashMap<Labels, WatchedRow>();
    var limits =
        database.with(
            s -> {
              s.createSelectionQuery("from WatchedSeries where rule = :rule", WatchedRow.class)
                  .setParameter("rule", watched.name)
                  .getResultList()
                  .forEach(
                      r -> {
                        // Rows of version 0.1 name limits by their position in the rule, which is
                        // right only until the rule's next edit.
                        if (r.named(watched.rule().limits())) {
                          s.update(r);
                        }
                        found.put(LabelText.read(r.labels), r);
                      });
              var row = s.get(RuleRow.class, watched.name);
              if (row == null) {
                return watched.rule().limits();
              }
              watched.registeredAt = row.registeredAt;
              watched.checkedUntil = row.checkedUntil;
              return limits(row.limits, watched.rule().limits());
            });
    watched.series.keySet().retainAll(found.keySet());
    watched.series.putAll(found);
    return limits;
  }

  private static List<Limit> limits(String text, List<Limit> otherwise) {
    try {
      return text == null ? otherwise : JsonMapper.shared().readValue(text, LIMITS);
    } catch (JacksonException e) {
      return otherwise;
    }
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
        (s, message) -> {
          closing.forEach(step -> transitions(s, watched.rule(), step, message));
          delete(s, watched.name);
        });
    watched.series.clear();
  }

  /**
   * @param registers true if this is the first check that found something
   */
  void save(WatchedRule watched, List<Step> steps, long at, boolean registers) {
    write(
        (s, message) -> {
          for (var step : steps) {
            // An id that a transaction before this one gave and did not keep is none.
            var known = watched.series.get(step.labels());
            step.row().id = known == null ? null : known.id;
            row(s, step);
            transitions(s, watched.rule(), step, message);
          }
          if (registers && message != Message.NONE) {
            register(s, watched.rule(), steps.size(), at, message);
          }
          rule(s, watched, registers ? at : watched.registeredAt, at);
        });
    if (registers) {
      watched.registeredAt = at;
    }
    for (var step : steps) {
      if (step.closed()) {
        watched.series.remove(step.labels());
      } else {
        watched.series.put(step.labels(), step.row());
      }
    }
  }

  private interface Writing {
    void write(StatelessSession session, Message message);
  }

  /**
   * If messages are refused for what they contain, plain ones are written in their place, and if
   * these are refused too, none: no message holds back a change of state.
   */
  private void write(Writing work) {
    RuntimeException first = null;
    for (var message : Message.values()) {
      try {
        database.run(s -> work.write(s, message));
        if (first != null) {
          duties.failed("writing messages", first);
        }
        return;
      } catch (RuntimeException e) {
        boolean unwell = Database.sqlState(e) != null && !Database.refusesData(e);
        if (unwell || message == Message.NONE) {
          // The database is not well: the next check does all of it again, messages too.
          throw e;
        }
        first = first == null ? e : first;
      }
    }
  }

  private static void row(StatelessSession s, Step step) {
    if (step.closed()) {
      if (step.row().id != null) {
        s.delete(step.row());
      }
    } else if (step.row().id == null) {
      s.insert(step.row());
    } else {
      s.update(step.row());
    }
  }

  private void transitions(StatelessSession s, Rule rule, Step step, Message message) {
    for (var t : step.outcome().transitions()) {
      s.insert(row(rule, step.labels(), t));
      if (NOTIFIED.contains(t.change())) {
        notify(s, rule, step.labels(), t, message);
      }
    }
  }

  private static void rule(StatelessSession s, WatchedRule watched, long registeredAt, long at) {
    var row = s.get(RuleRow.class, watched.name);
    boolean isNew = row == null;
    row = isNew ? new RuleRow() : row;
    row.rule = watched.name;
    row.registeredAt = registeredAt;
    row.checkedUntil = at;
    row.limits = JsonMapper.shared().writeValueAsString(watched.rule().limits());
    if (isNew) {
      s.insert(row);
    } else {
      s.update(row);
    }
  }

  private void notify(StatelessSession s, Rule rule, Labels labels, Transition t, Message message) {
    if (message == Message.NONE) {
      return;
    }
    outbox.enqueue(
        s,
        rule.name(),
        routed(rule, labels, t.priority()),
        message == Message.FULL ? labels.toString() : "",
        t.change().text(),
        text(rule, labels, t, message));
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

  private String link(Rule rule) {
    return address + "/watch/rules/" + rule.name();
  }

  private void register(StatelessSession s, Rule rule, int series, long at, Message message) {
    var why =
        "the rule is active: it watches %d series and checks them every %s"
            .formatted(series, Durations.words(rule.every()));
    var t =
        new Transition(
            Change.REGISTERED, WatchState.WAITING, WatchState.NORMAL, at, Double.NaN, null, why);
    outbox.enqueue(
        s,
        rule.name(),
        routed(rule, Labels.NONE, null),
        "",
        Change.REGISTERED.text(),
        text(rule, Labels.NONE, t, message));
  }

  /** Tells whom a rule concerns that it is not checked any more. */
  void paused(WatchedRule watched, long at) {
    var rule = watched.rule();
    var why = "the rule is paused: " + watched.pause;
    var state = WatchState.WAITING;
    var t = new Transition(Change.PAUSED, state, state, at, Double.NaN, null, why);
    write(
        (s, message) -> {
          s.insert(row(rule, Labels.NONE, t));
          if (message != Message.NONE) {
            outbox.enqueue(
                s,
                rule.name(),
                routed(rule, Labels.NONE, null),
                "",
                Change.PAUSED.text(),
                text(rule, Labels.NONE, t, message));
          }
        });
  }

  private MessageText text(Rule rule, Labels labels, Transition t, Message message) {
    var link = link(rule);
    return message == Message.FULL
        ? MessageText.of(MessageText.fields(rule, labels, t, link, ZoneOffset.UTC, false))
        : MessageText.plain(rule, t, link);
  }

  /** The series' labels, the rule's own, and rule and priority themselves. */
  private static Labels routed(Rule rule, Labels labels, Priority priority) {
    Map<String, String> map = new TreeMap<>(labels.asMap());
    map.putAll(rule.labels());
    map.put("rule", rule.name());
    if (priority != null) {
      map.put("priority", priority.text());
    }
    return Labels.of(map);
  }
}
