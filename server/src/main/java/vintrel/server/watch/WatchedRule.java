package vintrel.server.watch;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantLock;
import vintrel.core.query.Parser;
import vintrel.core.query.Query;
import vintrel.core.series.Labels;
import vintrel.core.watch.Rule;
import vintrel.core.watch.StateMachine;

/** A rule at work: its machine, the state of its series, and how its checks go. */
final class WatchedRule {
  final Rule rule;
  final Query query;
  final StateMachine machine;
  final Map<Labels, WatchedRow> series = new ConcurrentHashMap<>();

  /** Held while the rule is checked or one of its alerts is acknowledged. */
  final ReentrantLock lock = new ReentrantLock();

  volatile long registeredAt;
  volatile long checkedUntil;
  volatile long nextAt;
  volatile long millis;
  volatile String fault = "";
  volatile boolean cut;

  WatchedRule(Rule rule) {
    this.rule = rule;
    this.query = Parser.parse(rule.query());
    this.machine = new StateMachine(rule);
  }

  /** The latest of the rule's instants at or before a time, ms. */
  long instant(long now) {
    long share = Math.floorMod(rule.name().hashCode(), rule.every());
    return Math.floorDiv(now - share, rule.every()) * rule.every() + share;
  }
}
