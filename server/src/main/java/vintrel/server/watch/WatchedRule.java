package vintrel.server.watch;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantLock;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.series.Labels;
import vintrel.core.watch.Expectations;
import vintrel.core.watch.Rule;
import vintrel.core.watch.StateMachine;

/** A rule at work: its machine, the state of its series, and how its checks go. */
final class WatchedRule {
  /** The rule as it is checked; it follows {@link #wanted} under the lock. */
  record Form(Rule rule, Query query, StateMachine machine) {
    static Form of(Rule rule) {
      return new Form(rule, Parser.parse(rule.query()), new StateMachine(rule));
    }
  }

  final String name;
  final Map<Labels, WatchedSeries> series = new ConcurrentHashMap<>();

  /** Held while the rule is checked, edited or removed, or one of its alerts is acknowledged. */
  final ReentrantLock lock;

  /** The rule as it is defined now. */
  volatile Rule wanted;

  volatile Form form;

  /** True once the states of its series are here. */
  volatile boolean loaded;

  volatile long registeredAt;
  volatile long checkedUntil;
  volatile long nextAt;
  volatile long millis;
  volatile String fault = "";
  volatile boolean cut;

  /** Why it is not checked any more, though it is defined; empty if it is checked. */
  volatile String pause = "";

  /** What is expected of its series; nothing if it does not ask. */
  volatile Expectations bands = Expectations.NONE;

  /** From what {@link #bands} was learned. */
  BandLearning.Key learnedBy;

  /** When it may be learned again after it failed, ms. */
  long learnsAgain;

  /** Why nothing is expected, or empty. */
  String bandFault = "";

  /** Checks in a row that needed too much. */
  int tooExpensive;

  WatchedRule(Rule rule, ReentrantLock lock) {
    this.name = rule.name();
    this.lock = lock;
    this.wanted = rule;
    this.form = Form.of(rule);
  }

  Rule rule() {
    return form.rule();
  }

  /** The latest of the rule's instants at or before a time, ms. */
  long instant(long now) {
    var every = wanted.every();
    long share = Math.floorMod(name.hashCode(), every);
    return Math.floorDiv(now - share, every) * every + share;
  }
}
