package vintrel.server.watch;

import java.time.Clock;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.server.web.OwnMetrics;

/** How the checks of rules go, as metrics. Any thread. */
@Component
class WatchMetrics implements OwnMetrics {
  private final Watcher watcher;
  private final RuleChecker checks;
  private final RecordSweep sweep;
  private final Clock clock;

  WatchMetrics(Watcher watcher, RuleChecker checks, RecordSweep sweep, Clock clock) {
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
    double lag = 0;
    int faulty = 0;
    for (var w : watcher.rules()) {
      if (w.wanted.paused() || !w.pause.isEmpty()) {
        continue;
      }
      slowest = Math.max(slowest, w.millis / 1000.0);
      faulty += w.fault.isEmpty() ? 0 : 1;
      if (w.checkedUntil > 0) {
        long due = w.checkedUntil + w.wanted.behind() + w.wanted.every();
        lag = Math.max(lag, (now - due) / 1000.0);
      }
    }
    return List.of(
        new Value("vintrel.watch.checks", "", true, checks.checked()),
        new Value("vintrel.watch.faults", "", true, checks.faults()),
        new Value("vintrel.watch.faulty", "", false, faulty),
        new Value("vintrel.watch.duration", "s", false, slowest),
        new Value("vintrel.watch.lag", "s", false, lag),
        removed);
  }
}
