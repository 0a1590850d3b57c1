package vintrel.server.watch;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Collection;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentSkipListMap;
import org.hibernate.StatelessSession;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.query.QueryException;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.tell.MessageText;
import vintrel.core.unit.Spans;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.StateMachine;
import vintrel.core.watch.Transition;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.ask.Queries;
import vintrel.server.keep.Database;
import vintrel.server.keep.Definitions;
import vintrel.server.store.LabelText;
import vintrel.server.tell.Outbox;
import vintrel.server.web.Duties;
import vintrel.server.web.Pools;
import vintrel.server.web.Settings;
import vintrel.server.web.Turns;

/**
 * Checks rules. One thread looks for rules that are due; each check runs on a virtual thread, never
 * two of one rule at once, so that a slow query delays only its own rule. Each rule has its own
 * fixed instants (multiples of its interval, moved by a share that its name decides), so a restart
 * or a late check looks at the same buckets as an undisturbed one. Checks that were missed are made
 * up, as far as fifteen minutes back.
 */
@Service
public class Watcher {
  private static final long TICK = 250;
  private static final long TIMEOUT = 20_000;

  /** Not heard of for so long, ms, the watcher is behind. */
  private static final long LATE = 30_000;

  private static final long MOST_MISSED = 15 * Spans.MINUTE;
  private static final Set<Change> TOLD =
      EnumSet.of(Change.RAISED, Change.ESCALATED, Change.EASED, Change.CLEARED);

  private final Definitions definitions;
  private final Queries queries;
  private final Database database;
  private final Outbox outbox;
  private final Clock clock;
  private final int mostSeries;
  private final String address;
  private final Map<String, WatchedRule> rules = new ConcurrentSkipListMap<>();
  private final Turns turns;
  private final Duties duties;
  private volatile Duties.Duty duty;
  private Thread thread;
  private volatile boolean stopping;

  Watcher(
      Definitions definitions,
      Queries queries,
      Database database,
      Outbox outbox,
      Pools pools,
      Duties duties,
      Settings settings,
      Clock clock) {
    this.turns = pools.rules();
    this.duties = duties;
    this.definitions = definitions;
    this.queries = queries;
    this.database = database;
    this.outbox = outbox;
    this.clock = clock;
    this.mostSeries = settings.watch().mostSeries();
    this.address = settings.address().replaceFirst("/+$", "");
  }

  @EventListener(ApplicationReadyEvent.class)
  synchronized void start() {
    arrange();
    duty = duties.add("watching rules", LATE);
    thread = Thread.ofPlatform().daemon().name("watcher").start(this::run);
  }

  @EventListener
  synchronized void changed(Definitions.Changed event) {
    if (event.changes().stream().anyMatch(c -> c.kind().equals("rule"))) {
      arrange();
    }
  }

  private void arrange() {
    var known = new HashSet<String>();
    for (var rule : definitions.rules()) {
      known.add(rule.name());
      var old = rules.get(rule.name());
      if (old == null || !old.rule.equals(rule)) {
        rules.put(rule.name(), load(rule));
      }
    }
    rules.keySet().retainAll(known);
  }

  private WatchedRule load(Rule rule) {
    var watched = new WatchedRule(rule);
    watched.nextAt = clock.millis();
    database.run(
        s -> {
          var row = s.get(RuleRow.class, rule.name());
          if (row != null) {
            watched.registeredAt = row.registeredAt;
            watched.checkedUntil = row.checkedUntil;
          }
          s.createSelectionQuery("from WatchedSeries where rule = :rule", WatchedRow.class)
              .setParameter("rule", rule.name())
              .getResultList()
              .forEach(r -> watched.series.put(LabelText.read(r.labels), r));
        });
    return watched;
  }

  private void run() {
    while (!stopping) {
      try {
        duty.alive();
        look();
        Thread.sleep(TICK);
      } catch (InterruptedException e) {
        break;
      } catch (RuntimeException | StackOverflowError e) {
        duty.failed(e);
      }
    }
    duty.over();
  }

  private void look() {
    long now = clock.millis();
    for (var watched : rules.values()) {
      if (watched.nextAt <= now) {
        watched.nextAt = watched.instant(now) + watched.rule.every();
        Thread.ofVirtual().name("check " + watched.rule.name()).start(() -> checkDue(watched, now));
      }
    }
  }

  private void checkDue(WatchedRule watched, long now) {
    if (!watched.lock.tryLock()) {
      return;
    }
    try {
      long at = watched.instant(now) - watched.rule.behind();
      long every = watched.rule.every();
      long behind = at - watched.checkedUntil;
      long missed = watched.checkedUntil == 0 || behind > MOST_MISSED ? 0 : (behind - 1) / every;
      if (behind <= 0) {
        return;
      }
      for (long t = at - missed * every; t <= at; t += every) {
        check(watched, t);
      }
    } catch (RuntimeException | StackOverflowError e) {
      if (!stopping) {
        watched.fault = "it could not be checked; the server's log says why";
        duty.failed(e);
      }
    } finally {
      watched.lock.unlock();
    }
  }

  /** Checks one rule at an instant; never two of the same rule at once. */
  private void check(WatchedRule watched, long at) {
    long started = System.nanoTime();
    var rule = watched.rule;
    var readings = new TreeMap<Labels, Double>();
    try {
      var found =
          turns.run(
              rule.name(),
              () ->
                  queries
                      .watching()
                      .readings(watched.query, rule.line(), at, rule.every(), TIMEOUT));
      watched.fault = "";
      for (var r : found) {
        var labels = r.row().labels();
        var unfit = Admission.fault(rule.name(), labels, "");
        if (unfit == null) {
          readings.put(labels, r.value());
        } else {
          watched.fault = "a series is left out: " + unfit;
        }
      }
    } catch (QueryException e) {
      watched.fault = e.getMessage();
      watched.checkedUntil = at;
      return;
    }
    watched.cut = readings.size() > mostSeries;
    watched.series.keySet().forEach(known -> readings.putIfAbsent(known, Double.NaN));
    var steps = new ArrayList<Stepped>();
    readings.entrySet().stream()
        .limit(mostSeries)
        .forEach(e -> step(watched, e.getKey(), e.getValue(), at, steps));
    boolean registers = watched.registeredAt == 0 && !steps.isEmpty();
    save(watched, steps, at, registers);
    watched.checkedUntil = at;
    watched.millis = (System.nanoTime() - started) / 1_000_000;
  }

  /**
   * @param row as it will be, once it is written
   */
  private record Stepped(Labels labels, WatchedRow row, StateMachine.Outcome outcome) {
    static Stepped of(Labels labels, WatchedRow before, StateMachine.Outcome outcome) {
      var row = before.copy();
      row.take(outcome.state());
      return new Stepped(labels, row, outcome);
    }
  }

  private void step(
      WatchedRule watched, Labels labels, double value, long at, List<Stepped> steps) {
    var row = watched.series.get(labels);
    if (row == null && Double.isNaN(value)) {
      return;
    }
    var before =
        row == null ? SeriesState.initial(watched.rule.limits().size(), at) : row.toState();
    var outcome = watched.machine.check(before, value, at);
    if (row == null) {
      row = new WatchedRow();
      row.rule = watched.rule.name();
      row.labels = LabelText.write(labels);
    }
    boolean same =
        row.id != null
            && outcome.transitions().isEmpty()
            && outcome.state().limits().equals(before.limits())
            && outcome.state().missingSince() == before.missingSince();
    if (same) {
      row.take(outcome.state());
    } else {
      steps.add(Stepped.of(labels, row, outcome));
    }
  }

  /**
   * State, transitions and messages in one transaction; memory follows once it stands. Where
   * messages are refused for what they hold, it is written without: none holds back a change of
   * state.
   */
  private void save(WatchedRule watched, List<Stepped> steps, long at, boolean registers) {
    boolean note = registers || at - watched.checkedUntil > 0;
    if (steps.isEmpty() && !(note && at / Spans.MINUTE != watched.checkedUntil / Spans.MINUTE)) {
      return;
    }
    try {
      database.run(s -> write(s, watched, steps, at, registers, true));
    } catch (RuntimeException e) {
      if (Database.sqlState(e) != null && !Database.refusesData(e)) {
        // The database is not well: the next check does all of it again, messages too.
        throw e;
      }
      steps.forEach(step -> step.row().id = known(watched, step.labels()));
      database.run(s -> write(s, watched, steps, at, registers, false));
      // Written without: so it was for a message.
      duty.failed(e);
    }
    if (registers) {
      watched.registeredAt = at;
    }
    steps.forEach(step -> watched.series.put(step.labels(), step.row()));
  }

  /** The id of a row that stands; one that a failed transaction has given is none. */
  private static Long known(WatchedRule watched, Labels labels) {
    var row = watched.series.get(labels);
    return row == null ? null : row.id;
  }

  private void write(
      StatelessSession s,
      WatchedRule watched,
      List<Stepped> steps,
      long at,
      boolean registers,
      boolean tells) {
    for (var step : steps) {
      if (step.row().id == null) {
        s.insert(step.row());
      } else {
        s.update(step.row());
      }
      for (var t : step.outcome().transitions()) {
        s.insert(row(watched.rule, step.labels(), t));
        if (tells && TOLD.contains(t.change())) {
          tell(s, watched.rule, step.labels(), t);
        }
      }
    }
    if (registers && tells) {
      register(s, watched, steps.size(), at);
    }
    var row = s.get(RuleRow.class, watched.rule.name());
    boolean isNew = row == null;
    row = isNew ? new RuleRow() : row;
    row.rule = watched.rule.name();
    row.registeredAt = registers ? at : watched.registeredAt;
    row.checkedUntil = at;
    if (isNew) {
      s.insert(row);
    } else {
      s.update(row);
    }
  }

  private void tell(StatelessSession s, Rule rule, Labels labels, Transition t) {
    var fields = MessageText.fields(rule, labels, t, link(rule), ZoneOffset.UTC, false);
    outbox.enqueue(
        s,
        rule.name(),
        routed(rule, labels, t.limit()),
        labels.toString(),
        t.change().text(),
        MessageText.of(fields));
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
    row.priority = t.limit() < 0 ? "" : rule.limits().get(t.limit()).priority().name();
    row.why = t.why().length() > 1000 ? t.why().substring(0, 1000) : t.why();
    return row;
  }

  private String link(Rule rule) {
    return address + "/watch/rules/" + rule.name();
  }

  private void register(StatelessSession s, WatchedRule watched, int series, long at) {
    var rule = watched.rule;
    var why =
        "the rule is at work and watches "
            + series
            + " series"
            + ", checked every "
            + Spans.words(rule.every());
    var t =
        new Transition(
            Change.REGISTERED, WatchState.WAITING, WatchState.NORMAL, at, Double.NaN, -1, why);
    var fields = MessageText.fields(rule, Labels.NONE, t, link(rule), ZoneOffset.UTC, false);
    outbox.enqueue(
        s,
        rule.name(),
        routed(rule, Labels.NONE, -1),
        "",
        Change.REGISTERED.text(),
        MessageText.of(fields));
  }

  /** The series' labels, the rule's own, and rule and priority themselves. */
  private static Labels routed(Rule rule, Labels labels, int limit) {
    var map = new TreeMap<>(labels.asMap());
    map.putAll(rule.labels());
    map.put("rule", rule.name());
    if (limit >= 0) {
      map.put("priority", rule.limits().get(limit).priority().text());
    }
    return Labels.of(map);
  }

  /**
   * Acknowledges an alert.
   *
   * @throws IllegalArgumentException where there is no such alert
   * @throws IllegalStateException where it does not stand or is acknowledged
   */
  void acknowledge(long id, String who) {
    for (var watched : rules.values()) {
      for (var entry : watched.series.entrySet()) {
        if (entry.getValue().id == id) {
          acknowledge(watched, entry.getKey(), entry.getValue(), who);
          return;
        }
      }
    }
    throw new IllegalArgumentException("there is no alert " + id);
  }

  private void acknowledge(WatchedRule watched, Labels labels, WatchedRow row, String who) {
    watched.lock.lock();
    try {
      // As it is now: a check may have gone on since it was found.
      var now = watched.series.getOrDefault(labels, row);
      var outcome = watched.machine.acknowledge(now.toState(), who, clock.millis());
      save(watched, List.of(Stepped.of(labels, now, outcome)), watched.checkedUntil, false);
    } finally {
      watched.lock.unlock();
    }
    // On the disk before anybody is told that it is done.
    database.force();
  }

  Collection<WatchedRule> rules() {
    return rules.values();
  }

  @PreDestroy
  void stop() {
    stopping = true;
    if (thread != null) {
      thread.interrupt();
    }
  }
}
