package vintrel.core.watch;

import java.util.EnumMap;
import java.util.Map;

/**
 * The state of one series under one rule. Times are ms since the epoch.
 *
 * @param since when this state was entered
 * @param raisedAt when the active alert was raised; 0 if none is active
 * @param limits the limits that are not quiet, by priority: the place of a limit in its rule may
 *     change with an edit, its priority is unique there
 * @param value the latest value; NaN if there is none
 * @param lastValueAt when the latest value was seen; 0 for never
 * @param missingSince when values went missing; 0 while they arrive
 */
public record SeriesState(
    WatchState state,
    long since,
    long raisedAt,
    boolean acknowledged,
    Map<Priority, LimitState> limits,
    double value,
    long lastValueAt,
    long missingSince) {

  public SeriesState {
    var copy = new EnumMap<Priority, LimitState>(Priority.class);
    limits.forEach(
        (priority, limit) -> {
          if (limit.phase() != Phase.QUIET) {
            copy.put(priority, limit);
          }
        });
    limits = java.util.Collections.unmodifiableMap(copy);
  }

  /** Where a single limit is on its way. */
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

    boolean holds() {
      return phase == Phase.ACTIVE || phase == Phase.CLEARING;
    }
  }

  public static SeriesState initial(long at) {
    return new SeriesState(WatchState.WAITING, at, 0, false, Map.of(), Double.NaN, 0, 0);
  }

  LimitState limit(Priority priority) {
    return limits.getOrDefault(priority, LimitState.QUIET);
  }

  /** The highest priority whose limit holds an alert, or null. */
  static Priority holding(Map<Priority, LimitState> limits) {
    return limits.entrySet().stream()
        .filter(e -> e.getValue().holds())
        .map(Map.Entry::getKey)
        .min(Priority::compareTo)
        .orElse(null);
  }

  /**
   * The priority of the limit that decides the state: it holds an alert, or builds one; or null.
   */
  public Priority priority() {
    var holding = holding(limits);
    return holding != null || limits.isEmpty()
        ? holding
        : limits.keySet().stream().min(Priority::compareTo).get();
  }
}
