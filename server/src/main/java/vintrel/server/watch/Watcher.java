package vintrel.server.watch;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.BitSet;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.ReentrantLock;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Service;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.database.Leases;
import vintrel.server.database.Loops;
import vintrel.server.define.Definitions;
import vintrel.server.web.Duties;

/**
 * Checks rules when they are due. One thread looks for rules that are due; each check runs on a
 * virtual thread, never two of one rule at once, so that a slow query delays only its own rule.
 * Each rule has its own fixed instants (multiples of its interval, moved by a share that its name
 * decides), so a restart or a late check looks at the same buckets as an undisturbed one. Checks
 * that were missed are run later, as far as fifteen minutes back.
 *
 * <p>A rule keeps its lock through edits, and through removal and return: an edit waits for the
 * check that runs, and takes over the states that this check wrote.
 */
@Service
public class Watcher {
  private static final Logger log = LoggerFactory.getLogger(Watcher.class);
  private static final long TICK_MS = 250;

  /** Between two looks at what other servers wrote. */
  private static final long FOLLOW_NS = 1_000_000_000;

  /** Checks that lie so far ahead were made before the clock was set back, ms. */
  private static final long SET_BACK_MS = Durations.MINUTE;

  private static final long EDIT_WAIT_MS = 200;
  private static final long MAX_MISSED_MS = 15 * Durations.MINUTE;

  private final Definitions definitions;
  private final Database database;
  private final AlertJournal journal;
  private final RuleChecker checks;
  private final Clock clock;
  private final Map<String, WatchedRule> rules = new ConcurrentSkipListMap<>();

  /** Rules that were removed and whose series are still to be closed. */
  private final Map<String, WatchedRule> removed = new ConcurrentHashMap<>();

  private final Map<String, ReentrantLock> locks = new ConcurrentHashMap<>();
  private final Duties duties;
  private final Loops loops;
  private final Leases leases;
  private final WrittenStates written;
  private final RuleShares shares;
  private long followedAt = System.nanoTime();
  private volatile Loops.Loop loop;
  private volatile boolean started;
  private volatile boolean stopping;

  Watcher(
      Definitions definitions,
      Database database,
      AlertJournal journal,
      RuleChecker checks,
      Duties duties,
      Loops loops,
      Leases leases,
      RuleShares shares,
      WrittenStates written,
      Clock clock) {
    this.shares = shares;
    this.written = written;
    this.duties = duties;
    this.loops = loops;
    this.leases = leases;
    this.definitions = definitions;
    this.database = database;
    this.journal = journal;
    this.checks = checks;
    this.clock = clock;
  }

  @EventListener(ApplicationReadyEvent.class)
  synchronized void start() {
    started = true;
    if (leases.areShared()) {
      written.begin();
    }
    arrange();
    for (var name : journal.stored()) {
      if (!definitions.isDefined("rule", name)) {
        log.warn("the rule {} is not defined any more; its series are no longer watched", name);
        journal.delete(name);
      }
    }
    loop = loops.start("watching rules", TICK_MS, null, this::look);
  }

  @EventListener
  synchronized void changed(Definitions.Changed event) {
    if (started && event.changes().stream().anyMatch(c -> c.kind().equals("rule"))) {
      arrange();
    }
  }

  private void arrange() {
    var known = new HashSet<String>();
    for (var rule : definitions.rules()) {
      known.add(rule.name());
      var watched = rules.get(rule.name());
      if (watched == null) {
        watched =
            new WatchedRule(rule, locks.computeIfAbsent(rule.name(), n -> new ReentrantLock()));
        rules.put(rule.name(), watched);
      }
      watched.wanted = rule;
      if (!watched.loaded || !watched.rule().equals(rule)) {
        // At once, unless a slow check runs; then by the next one.
        attempt(watched, EDIT_WAIT_MS, this::prepare);
      }
    }
    for (var watched : rules.values()) {
      if (!known.contains(watched.name)) {
        rules.remove(watched.name);
        removed.put(watched.name, watched);
        attempt(watched, EDIT_WAIT_MS, this::closeRemoved);
      }
    }
  }

  private interface Work {
    void on(WatchedRule watched);
  }

  /** Does work on a rule unless its lock is taken for longer than {@code waitMs}. */
  private void attempt(WatchedRule watched, long waitMs, Work work) {
    try {
      if (!watched.lock.tryLock(waitMs, TimeUnit.MILLISECONDS)) {
        return;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return;
    }
    try {
      work.on(watched);
    } catch (AlertJournal.WrittenElsewhere e) {
      log.info("the rule {} goes on with what another server wrote", watched.name);
    } catch (RuntimeException | StackOverflowError e) {
      if (!stopping) {
        watched.fault = "the check failed; see the server log";
        duties.failed("checking rule " + watched.name, e);
      }
    } finally {
      watched.lock.unlock();
    }
  }

  private void prepare(WatchedRule watched) {
    closeRemoved(watched);
    checks.prepare(watched);
  }

  /** Only where the rule is checked: elsewhere, series that are there again would be closed too. */
  private void closeRemoved(WatchedRule watched) {
    var gone = removed.get(watched.name);
    if (gone != null && shares.has(watched.name)) {
      checks.remove(gone);
      removed.remove(watched.name, gone);
    }
  }

  private void look() {
    var moved = shares.look();
    if (leases.areShared()) {
      try {
        follow(moved);
      } catch (RuntimeException e) {
        // Checks go on: what others wrote is looked at again.
        duties.failed("reading what other servers wrote", e);
      }
    }
    long now = clock.millis();
    for (var watched : rules.values()) {
      // One that is due later than ever was planned before the clock was set back.
      boolean due = watched.nextAt <= now || watched.nextAt - now > watched.wanted.every();
      if (due && shares.has(watched.name)) {
        watched.nextAt = watched.instant(now) + watched.wanted.every();
        Thread.ofVirtual()
            .name("check " + watched.name)
            .start(() -> attempt(watched, 0, w -> checkDue(w, now)));
      }
    }
    for (var gone : removed.values()) {
      if (shares.has(gone.name)) {
        attempt(gone, 0, this::closeRemoved);
      }
    }
  }

  /**
   * Takes over what other servers wrote: everything of rules whose share came or went; else, of
   * rules of other shares, those whose states changed, and of own ones those that people did
   * something with.
   */
  private void follow(BitSet moved) {
    for (var watched : rules.values()) {
      if (moved.get(RuleShares.of(watched.name))) {
        watched.loaded = false;
      }
    }
    long now = System.nanoTime();
    if (now - followedAt < FOLLOW_NS) {
      return;
    }
    followedAt = now;
    for (var name : written.fresh(shares::has)) {
      var watched = rules.get(name);
      if (watched != null) {
        watched.loaded = false;
      } else if (!shares.has(name)) {
        removed.remove(name);
      }
    }
    for (var watched : rules.values()) {
      if (!watched.loaded) {
        attempt(watched, 0, this::prepare);
      }
    }
  }

  /** Whether this server checks any rule now. */
  boolean checksHere() {
    return shares.any();
  }

  /** The rules that this server checks, as far as it has read their states. */
  List<WatchedRule> checkedHere() {
    return rules.values().stream().filter(w -> w.loaded && shares.has(w.name)).toList();
  }

  private void checkDue(WatchedRule watched, long now) {
    if (rules.get(watched.name) != watched || !shares.has(watched.name)) {
      return;
    }
    prepare(watched);
    if (!watched.pause.isEmpty() || watched.rule().paused()) {
      return;
    }
    long at = watched.instant(now) - watched.rule().behind();
    long every = watched.rule().every();
    if (watched.checkedUntil - at > every + SET_BACK_MS) {
      checks.setBack(watched, at);
    }
    long behind = at - watched.checkedUntil;
    long missed = watched.checkedUntil == 0 || behind > MAX_MISSED_MS ? 0 : (behind - 1) / every;
    if (behind <= 0) {
      return;
    }
    for (long t = at - missed * every; t <= at && watched.pause.isEmpty(); t += every) {
      checks.check(watched, t);
    }
  }

  /**
   * Checks a paused rule again.
   *
   * @throws IllegalArgumentException if there is none of that name
   */
  void resume(String name) {
    var watched = rules.get(name);
    if (watched == null) {
      throw new IllegalArgumentException("no rule named `" + name + "`");
    }
    attempt(watched, EDIT_WAIT_MS, checks::resume);
  }

  /**
   * Acknowledges an alert; it is on the disk when this returns.
   *
   * @param note of whoever does it; may be empty
   * @throws IllegalArgumentException if there is no such alert
   * @throws IllegalStateException if it is not active or acknowledged already
   */
  void acknowledge(long id, String who, String note) {
    onAlert(id, (watched, labels) -> checks.acknowledge(watched, labels, who, note));
  }

  /**
   * Takes an acknowledgement back; it is on the disk when this returns.
   *
   * @throws IllegalArgumentException if there is no such alert
   * @throws IllegalStateException if it is not acknowledged
   */
  void takeBack(long id, String who) {
    onAlert(id, (watched, labels) -> checks.takeBack(watched, labels, who));
  }

  private interface AlertWork {
    void on(WatchedRule watched, Labels labels);
  }

  private void onAlert(long id, AlertWork work) {
    for (var watched : rules.values()) {
      for (var entry : watched.series.entrySet()) {
        if (entry.getValue().id == id) {
          watched.lock.lock();
          try {
            prepare(watched);
            onAlert(watched, entry.getKey(), work);
          } finally {
            watched.lock.unlock();
          }
          database.force();
          return;
        }
      }
    }
    throw new IllegalArgumentException("alert " + id + " not found");
  }

  /** By its labels: a check, or another server, may have gone on since it was found. */
  private void onAlert(WatchedRule watched, Labels labels, AlertWork work) {
    try {
      work.on(watched, labels);
    } catch (AlertJournal.WrittenElsewhere e) {
      prepare(watched);
      work.on(watched, labels);
    }
  }

  /** The rule of a name, or null. */
  WatchedRule rule(String name) {
    return rules.get(name);
  }

  Collection<WatchedRule> rules() {
    return rules.values();
  }

  @PreDestroy
  void stop() {
    stopping = true;
    if (loop != null) {
      loop.close();
    }
  }
}
