package vintrel.core.watch;

import java.util.Collections;
import java.util.List;

/**
 * The state of one series under one rule. Times are ms since the epoch, or {@link #NEVER}. It
 * changes only when something happens; the latest value is not in it.
 *
 * @param since when this state was entered
 * @param raisedAt when the active alert was raised; NEVER if none is active
 * @param limits one for each limit of the rule, in its order
 * @param priority of the limit that decides the state: that holds an alert, or builds one; or null
 * @param missingSince the first check that found no value; NEVER while they arrive
 * @param faultSince the first check that failed; NEVER while they don't
 * @param byAbsence whether the active alert was raised since there was no value
 */
public record SeriesState(
    WatchState state,
    long since,
    long raisedAt,
    boolean acknowledged,
    List<LimitState> limits,
    Priority priority,
    long missingSince,
    long faultSince,
    boolean byAbsence) {
  /** A time that is none. */
  public static final long NEVER = Long.MIN_VALUE;

  public SeriesState {
    limits = List.copyOf(limits);
  }

  /** Where a single limit is on its way. */
  public enum Phase {
    QUIET,
    BUILDING,
    ACTIVE,
    CLEARING
  }

  /**
   * @param since when building or clearing began; NEVER in other phases
   * @param passed the last checks, the latest in the lowest bit: those beyond the limit
   * @param away the same: those that were not back by the deadband
   */
  public record LimitState(Phase phase, long since, int passed, int away) {
    public static final LimitState QUIET = new LimitState(Phase.QUIET, NEVER, 0, 0);

    boolean holds() {
      return phase == Phase.ACTIVE || phase == Phase.CLEARING;
    }

    LimitState in(Phase other, long at) {
      return other == phase && at == since ? this : new LimitState(other, at, passed, away);
    }
  }

  /** Of a series of which nothing is known yet. */
  public static SeriesState initial(long at, int limits) {
    return new SeriesState(
        WatchState.WAITING,
        at,
        NEVER,
        false,
        Collections.nCopies(limits, LimitState.QUIET),
        null,
        NEVER,
        NEVER,
        false);
  }

  /** The priority of the limit that holds an alert or, if none does, builds one; or null. */
  public static Priority deciding(List<Limit> limits, List<LimitState> states) {
    return LimitProgress.deciding(limits, states);
  }

  public boolean isRaised() {
    return raisedAt != NEVER;
  }

  public boolean isMissing() {
    return missingSince != NEVER;
  }

  /** How long there has been no value, ms; 0 while they arrive. */
  public long missingFor(long at) {
    return isMissing() ? Math.max(0, at - missingSince) : 0;
  }

  /** The same with no time after a given one: for a clock that was set back. */
  public SeriesState notAfter(long at) {
    return new SeriesState(
        state,
        Math.min(since, at),
        Math.min(raisedAt, at),
        acknowledged,
        limits.stream().map(l -> l.in(l.phase, Math.min(l.since, at))).toList(),
        priority,
        Math.min(missingSince, at),
        Math.min(faultSince, at),
        byAbsence);
  }

  SeriesState missing(long from, List<LimitState> other) {
    return from == missingSince && other.equals(limits)
        ? this
        : new SeriesState(
            state, since, raisedAt, acknowledged, other, priority, from, faultSince, byAbsence);
  }

  SeriesState failing(long from) {
    return from == faultSince
        ? this
        : new SeriesState(
            state, since, raisedAt, acknowledged, limits, priority, missingSince, from, byAbsence);
  }
}
