package vintrel.server.watch;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.server.web.OwnMetrics;

/** How the checks of rules go, as metrics. Any thread. */
@Component
class WatchMetrics implements OwnMetrics {
  private final Watcher watcher;
  private final RuleChecker checks;
  private final RecordSweep sweep;
  private final Heartbeat heartbeat;
  private final Clock clock;

  WatchMetrics(
      Watcher watcher, RuleChecker checks, RecordSweep sweep, Heartbeat heartbeat, Clock clock) {
    this.heartbeat = heartbeat;
    this.watcher = watcher;
    this.checks = checks;
    this.sweep = sweep;
    this.clock = clock;
  }

  @Override
  public List<Value> own() {
    var removed = new Value("vintrel.records.removed", "", true, sweep.removed());
    if (!watcher.checksHere()) {
      return List.of(removed);
    }
    long now = clock.millis();
    double slowest = 0;
    int faulty = 0;
    var rules = watcher.checkedHere();
    for (var w : rules) {
      if (w.wanted.paused() || !w.pause.isEmpty()) {
        continue;
      }
      slowest = Math.max(slowest, w.millis / 1000.0);
      faulty += w.fault.isEmpty() ? 0 : 1;
    }
    var out = new ArrayList<>(beats());
    out.addAll(
        List.of(
            new Value("vintrel.watch.checks", "", true, checks.checked()),
            new Value("vintrel.watch.faults", "", true, checks.faults()),
            new Value("vintrel.watch.faulty", "", false, faulty),
            new Value("vintrel.watch.duration", "s", false, slowest),
            new Value("vintrel.watch.lag", "s", false, lag(rules, now)),
            removed));
    return out;
  }

  private List<Value> beats() {
    return heartbeat.isWanted()
        ? List.of(
            new Value("vintrel.heartbeat.sent", "", true, heartbeat.sent()),
            new Value("vintrel.heartbeat.failed", "", true, heartbeat.failed()))
        : List.of();
  }

  /** How late the latest check of all rules is, s; 0 if none is. */
  static double lag(Collection<WatchedRule> rules, long now) {
    double lag = 0;
    for (var w : rules) {
      if (!w.wanted.paused() && w.pause.isEmpty() && w.checkedUntil > 0) {
        long due = w.checkedUntil + w.wanted.behind() + w.wanted.every();
        lag = Math.max(lag, (now - due) / 1000.0);
      }
    }
    return lag;
  }
}
