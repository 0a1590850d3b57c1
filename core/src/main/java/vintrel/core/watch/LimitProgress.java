package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.watch.LimitTest.Verdict;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;

/**
 * The way of each limit: QUIET → BUILDING (passed, on-delay running) → ACTIVE → CLEARING (back by
 * the deadband, off-delay running) → QUIET. Pure; any thread.
 */
final class LimitProgress {
  private LimitProgress() {}

  /** The states of all limits after a result; the same list if none changed. */
  static List<LimitState> advance(
      List<Limit> limits, List<LimitState> before, CheckResult result, long missingFor, long at) {
    List<LimitState> out = null;
    for (int i = 0; i < limits.size(); i++) {
      var old = before.get(i);
      var now = one(limits.get(i), old, result, missingFor, at);
      if (now != old) {
        out = out == null ? new ArrayList<>(before) : out;
        out.set(i, now);
      }
    }
    return out == null ? before : out;
  }

  private static LimitState one(
      Limit limit, LimitState old, CheckResult result, long missingFor, long at) {
    var verdict = limit.test().of(result, missingFor);
    if (verdict == Verdict.UNKNOWN) {
      return old;
    }
    boolean passed = verdict == Verdict.PASSED;
    boolean away = verdict != Verdict.BACK;
    if (limit.outOf() == 1) {
      return step(limit, old, passed, !away, at);
    }
    int mask = (1 << limit.outOf()) - 1;
    int passes = (old.passed() << 1 | (passed ? 1 : 0)) & mask;
    int aways = (old.away() << 1 | (away ? 1 : 0)) & mask;
    var counted =
        passes == old.passed() && aways == old.away()
            ? old
            : new LimitState(old.phase(), old.since(), passes, aways);
    var next =
        step(
            limit,
            counted,
            Integer.bitCount(passes) >= limit.times(),
            Integer.bitCount(aways) < limit.times(),
            at);
    return next == LimitState.QUIET && (passes != 0 || aways != 0)
        ? new LimitState(Phase.QUIET, SeriesState.NEVER, passes, aways)
        : next;
  }

  private static LimitState step(
      Limit limit, LimitState old, boolean passed, boolean back, long at) {
    return switch (old.phase()) {
      case QUIET -> !passed ? old : build(limit, old, at, at);
      case BUILDING -> !passed ? quiet(old) : build(limit, old, old.since(), at);
      case ACTIVE -> !back ? old : clear(limit, old, at, at);
      case CLEARING -> !back ? active(old) : clear(limit, old, old.since(), at);
    };
  }

  private static LimitState build(Limit limit, LimitState old, long since, long at) {
    return at - since >= limit.onDelay() ? active(old) : old.in(Phase.BUILDING, since);
  }

  private static LimitState clear(Limit limit, LimitState old, long since, long at) {
    return at - since >= limit.offDelay() ? quiet(old) : old.in(Phase.CLEARING, since);
  }

  static LimitState active(LimitState old) {
    return old.in(Phase.ACTIVE, SeriesState.NEVER);
  }

  /** The shared one where nothing is remembered. */
  private static LimitState quiet(LimitState old) {
    return old.passed() == 0 && old.away() == 0
        ? LimitState.QUIET
        : old.in(Phase.QUIET, SeriesState.NEVER);
  }

  /** The highest priority whose limit holds an alert, or null. */
  static Priority holding(List<Limit> limits, List<LimitState> states) {
    return highest(limits, states, true);
  }

  /** That of the limit that decides the state: it holds an alert or, if none does, builds one. */
  static Priority deciding(List<Limit> limits, List<LimitState> states) {
    var holding = holding(limits, states);
    return holding != null ? holding : highest(limits, states, false);
  }

  private static Priority highest(List<Limit> limits, List<LimitState> states, boolean holding) {
    Priority out = null;
    for (int i = 0; i < states.size(); i++) {
      var s = states.get(i);
      boolean counts = holding ? s.holds() : s.phase() != Phase.QUIET;
      var p = limits.get(i).priority();
      out = counts && (out == null || p.compareTo(out) < 0) ? p : out;
    }
    return out;
  }

  static boolean any(List<LimitState> states, Phase phase) {
    for (int i = 0; i < states.size(); i++) {
      if (states.get(i).phase() == phase) {
        return true;
      }
    }
    return false;
  }

  /** Whether a limit is in another phase. */
  static boolean moved(List<LimitState> before, List<LimitState> after) {
    for (int i = 0; before != after && i < before.size(); i++) {
      if (before.get(i).phase() != after.get(i).phase()) {
        return true;
      }
    }
    return false;
  }

  /** Whether a limit on the lack of values holds an alert, or builds one. */
  static boolean anyOfAbsence(List<Limit> limits, List<LimitState> states) {
    for (int i = 0; i < states.size(); i++) {
      if (states.get(i).phase() != Phase.QUIET && limits.get(i).test().isOfAbsence()) {
        return true;
      }
    }
    return false;
  }

  /** What the limits make of a series that has values. */
  static WatchState state(List<LimitState> states, Priority holding, boolean acknowledged) {
    if (holding != null) {
      return !any(states, Phase.ACTIVE)
          ? WatchState.CLEARING
          : acknowledged ? WatchState.ACKNOWLEDGED : WatchState.RAISED;
    }
    return any(states, Phase.BUILDING) ? WatchState.BUILDING : WatchState.NORMAL;
  }
}
