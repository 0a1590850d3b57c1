package vintrel.core.watch;

import java.util.List;

/**
 * All that is remembered of one series under one rule. Times are ms since the epoch.
 *
 * @param since when this state was entered
 * @param raisedAt when the alert that stands was raised; 0 where none stands
 * @param limits one for each limit of the rule, in its order
 * @param limit index of the limit that holds the state, or -1
 * @param value the latest value; NaN where there is none
 * @param lastValueAt when a value was last seen; 0 for never
 * @param missingSince when values went missing; 0 while they come
 */
public record SeriesState(
    WatchState state,
    long since,
    long raisedAt,
    boolean acknowledged,
    List<LimitState> limits,
    int limit,
    double value,
    long lastValueAt,
    long missingSince) {

  /** How a single limit stands. */
  public enum Phase {
    QUIET,
    BUILDING,
    ACTIVE,
    CLEARING
  }

  /**
   * @param since when building or clearing began; 0 in other phases
   */
  public record LimitState(Phase phase, long since) {
    static final LimitState QUIET = new LimitState(Phase.QUIET, 0);
    static final LimitState ACTIVE = new LimitState(Phase.ACTIVE, 0);
  }

  public static SeriesState initial(int limits, long at) {
    return new SeriesState(
        WatchState.WAITING,
        at,
        0,
        false,
        java.util.Collections.nCopies(limits, LimitState.QUIET),
        -1,
        Double.NaN,
        0,
        0);
  }
}
