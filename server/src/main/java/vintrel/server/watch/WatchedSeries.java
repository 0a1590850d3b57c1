package vintrel.server.watch;

import vintrel.core.series.Labels;
import vintrel.core.watch.CheckResult;
import vintrel.core.watch.SeriesState;

/**
 * One series under one rule, as it is watched now. The state is replaced only after it is written;
 * the latest value is not kept anywhere else. Written under the rule's lock, read by any thread.
 */
final class WatchedSeries {
  final long id;
  final Labels labels;
  private volatile Now now;

  /**
   * @param value the latest; NaN if there is none
   * @param valueAt when it was seen, ms; {@link SeriesState#NEVER} if there is none
   * @param version of its row
   */
  record Now(SeriesState state, double value, long valueAt, int version) {}

  WatchedSeries(long id, Labels labels, Now now) {
    this.id = id;
    this.labels = labels;
    this.now = now;
  }

  Now now() {
    return now;
  }

  SeriesState state() {
    return now.state();
  }

  void become(Now other) {
    now = other;
  }

  /** What a check found, with what it left unsaid. */
  CheckResult known(CheckResult result) {
    return result instanceof CheckResult.Missing ? new CheckResult.Missing(now.valueAt()) : result;
  }

  /** Another value, and nothing else happened. */
  void seen(CheckResult result, long at) {
    if (result instanceof CheckResult.Value v) {
      now = new Now(now.state(), v.value(), at, now.version());
    }
  }
}
