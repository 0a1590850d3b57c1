package vintrel.core.watch;

import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;
import vintrel.core.watch.Transition.Change;

/**
 * State + check result + time → new state + transitions. Pure; one per rule, for any thread.
 *
 * <p>Each limit goes its own way: QUIET → BUILDING (passed, on-delay running) → ACTIVE → CLEARING
 * (back by the deadband, off-delay running) → QUIET. The state of the series follows from them: the
 * highest priority that is ACTIVE or CLEARING holds the alert; else any BUILDING; else NORMAL. So a
 * change of priority while an alert is active is an escalation or an easing, not a new alert.
 */
public final class StateMachine {
  private final Rule rule;

  public StateMachine(Rule rule) {
    this.rule = rule;
  }

  /** The new state, and the transitions that led to it, oldest first; usually none. */
  public record Outcome(SeriesState state, List<Transition> transitions) {}

  /**
   * A check's result for one series.
   *
   * @param value the result, NaN if the series has no fresh value
   * @param at the instant that was checked, ms; must not be before the state's last
   */
  public Outcome check(SeriesState before, double value, long at) {
    return Double.isNaN(value) ? missing(before, at) : present(before, value, at);
  }

  private Outcome present(SeriesState before, double value, long at) {
    var limits = new EnumMap<Priority, LimitState>(Priority.class);
    for (var limit : rule.limits()) {
      limits.put(limit.priority(), advance(limit, before.limit(limit.priority()), value, at));
    }
    var holding = SeriesState.holding(limits);
    boolean wasActive = before.state().isActive() || before.raisedAt() > 0;
    boolean acknowledged =
        before.acknowledged() && holding != null && !higher(holding, before.priority());
    var state =
        new SeriesState(
            state(limits, holding, acknowledged), at, 0, acknowledged, limits, value, at, 0);
    var transitions = new ArrayList<Transition>();
    var change = change(before, state, wasActive);
    if (change != null) {
      var named = state.priority() != null ? state.priority() : before.priority();
      var why = why(change, value, named, before, at);
      transitions.add(new Transition(change, before.state(), state.state(), at, value, named, why));
    }
    long raisedAt = holding == null ? 0 : before.raisedAt() > 0 ? before.raisedAt() : at;
    return new Outcome(timed(state, before, raisedAt, at), transitions);
  }

  private static SeriesState timed(SeriesState s, SeriesState before, long raisedAt, long at) {
    return new SeriesState(
        s.state(),
        s.state() == before.state() ? before.since() : at,
        raisedAt,
        s.acknowledged(),
        s.limits(),
        s.value(),
        s.lastValueAt(),
        s.missingSince());
  }

  private static LimitState advance(Limit limit, LimitState old, double value, long at) {
    boolean passed = limit.passed(value);
    boolean back = limit.back(value);
    return switch (old.phase()) {
      case QUIET -> !passed ? old : build(limit, at, at);
      case BUILDING -> !passed ? LimitState.QUIET : build(limit, old.since(), at);
      case ACTIVE -> !back ? old : clear(limit, at, at);
      case CLEARING -> !back ? LimitState.ACTIVE : clear(limit, old.since(), at);
    };
  }

  private static LimitState build(Limit limit, long since, long at) {
    return at - since >= limit.onDelay()
        ? LimitState.ACTIVE
        : new LimitState(Phase.BUILDING, since);
  }

  private static LimitState clear(Limit limit, long since, long at) {
    return at - since >= limit.offDelay()
        ? LimitState.QUIET
        : new LimitState(Phase.CLEARING, since);
  }

  private static boolean higher(Priority a, Priority b) {
    return a != null && b != null && a.compareTo(b) < 0;
  }

  private static WatchState state(
      Map<Priority, LimitState> limits, Priority holding, boolean acknowledged) {
    if (holding != null) {
      boolean active = limits.values().stream().anyMatch(l -> l.phase() == Phase.ACTIVE);
      return !active
          ? WatchState.CLEARING
          : acknowledged ? WatchState.ACKNOWLEDGED : WatchState.RAISED;
    }
    boolean building = limits.values().stream().anyMatch(l -> l.phase() == Phase.BUILDING);
    return building ? WatchState.BUILDING : WatchState.NORMAL;
  }

  private static Change change(SeriesState before, SeriesState after, boolean wasActive) {
    var was = before.state();
    var now = after.state();
    var holding = SeriesState.holding(after.limits());
    if (holding != null && wasActive && before.priority() != null && holding != before.priority()) {
      return higher(holding, before.priority()) ? Change.ESCALATED : Change.EASED;
    }
    if (was == now) {
      return null;
    }
    if (holding != null && !wasActive) {
      return Change.RAISED;
    }
    if (holding == null && wasActive) {
      return Change.CLEARED;
    }
    return switch (now) {
      case BUILDING -> Change.BUILDING;
      case CLEARING -> Change.CLEARING;
      case RAISED, ACKNOWLEDGED -> was == WatchState.CLEARING ? Change.RETURNED : Change.BACK;
      default ->
          switch (was) {
            case WAITING -> Change.REGISTERED;
            case BUILDING -> Change.SETTLED;
            default -> Change.BACK;
          };
    };
  }

  private String why(Change change, double value, Priority priority, SeriesState before, long at) {
    var text = Units.format(value, rule.unit());
    var words = words(priority);
    return switch (change) {
      case REGISTERED -> "first check: " + text;
      case BUILDING -> text + " is past the limit (" + words + "); waiting for the on-delay";
      case RAISED -> text + "; limit: " + words;
      case ESCALATED -> text + " is past a higher-priority limit (" + words + ")";
      case EASED -> text + " is back inside the higher-priority limit, but still " + words;
      case CLEARING -> text + " is back inside the limit; waiting for the off-delay";
      case RETURNED -> text + " passed the limit again before the off-delay ended";
      case CLEARED -> text + " is back inside the limit" + after(before, at);
      case SETTLED -> text + " was back inside the limit before the on-delay ended";
      default -> "data is back: " + text;
    };
  }

  private static String after(SeriesState before, long at) {
    return before.raisedAt() > 0
        ? " after " + Durations.words(Math.max(0, at - before.raisedAt()))
        : "";
  }

  private String words(Priority priority) {
    var limit = rule.limit(priority);
    return limit == null ? "" : limit.words(rule.unit());
  }

  private static Limit find(List<Limit> limits, Priority priority) {
    return limits.stream().filter(l -> l.priority() == priority).findFirst().orElse(null);
  }

  private Outcome missing(SeriesState before, long at) {
    long since = before.missingSince() > 0 ? before.missingSince() : at;
    boolean due = at - since >= rule.missingAfter();
    boolean raise = rule.missing() == Rule.Missing.RAISE;
    boolean noData = before.state() == WatchState.NO_DATA;
    // No data that an earlier form of the rule only showed is raised by a form that raises.
    boolean settled =
        raise ? before.raisedAt() > 0 && !noData : noData || rule.missing() == Rule.Missing.HOLD;
    if (!due || settled || before.state() == WatchState.WAITING) {
      return new Outcome(missingSince(before, since), List.of());
    }
    boolean active = before.raisedAt() > 0;
    var limits = new EnumMap<Priority, LimitState>(Priority.class);
    limits.putAll(before.limits());
    if (raise && !active) {
      limits.put(highest(), LimitState.ACTIVE);
    }
    var to =
        raise
            ? state(limits, SeriesState.holding(limits), before.acknowledged())
            : WatchState.NO_DATA;
    var state =
        new SeriesState(
            to,
            at,
            raise && !active ? at : before.raisedAt(),
            before.acknowledged(),
            limits,
            Double.NaN,
            before.lastValueAt(),
            since);
    var change = !raise ? Change.NO_DATA : active ? Change.BACK : Change.RAISED;
    var why = "no data for " + Durations.words(at - Math.max(before.lastValueAt(), 0));
    return new Outcome(
        state,
        List.of(new Transition(change, before.state(), to, at, Double.NaN, state.priority(), why)));
  }

  private Priority highest() {
    return rule.limits().stream().map(Limit::priority).min(Priority::compareTo).get();
  }

  private static SeriesState missingSince(SeriesState s, long missingSince) {
    return new SeriesState(
        s.state(),
        s.since(),
        s.raisedAt(),
        s.acknowledged(),
        s.limits(),
        s.value(),
        s.lastValueAt(),
        missingSince);
  }

  /**
   * Acknowledges an active alert.
   *
   * @throws IllegalStateException if no alert is active, or it is acknowledged already
   */
  public Outcome acknowledge(SeriesState before, String who, long at) {
    if (!before.state().isActive() || before.acknowledged()) {
      throw new IllegalStateException(
          before.acknowledged()
              ? "this alert is already acknowledged"
              : "this series has no active alert");
    }
    var to = before.state() == WatchState.CLEARING ? WatchState.CLEARING : WatchState.ACKNOWLEDGED;
    var state =
        new SeriesState(
            to,
            to == before.state() ? before.since() : at,
            before.raisedAt(),
            true,
            before.limits(),
            before.value(),
            before.lastValueAt(),
            before.missingSince());
    return new Outcome(
        state,
        List.of(
            new Transition(
                Change.ACKNOWLEDGED,
                before.state(),
                to,
                at,
                before.value(),
                before.priority(),
                "acknowledged by " + who)));
  }

  /** True if a series has been without a value for so long that it is to be closed. */
  public boolean isStale(SeriesState state, long at) {
    return state.missingSince() > 0 && at - state.missingSince() >= rule.closeAfter();
  }

  /** Closes a series that sends nothing any more; an active alert is cleared. */
  public Outcome close(SeriesState before, long at) {
    var last = before.lastValueAt() > 0 ? before.lastValueAt() : before.missingSince();
    return close(
        before,
        at,
        "no data for "
            + Durations.words(Math.max(0, at - last))
            + "; the series stopped sending data and is closed");
  }

  /** Closes a series for a reason in words; an active alert is cleared. */
  public Outcome close(SeriesState before, long at, String why) {
    return new Outcome(
        SeriesState.initial(at),
        List.of(
            new Transition(
                before.raisedAt() > 0 ? Change.CLEARED : Change.CLOSED,
                before.state(),
                WatchState.WAITING,
                at,
                Double.NaN,
                before.priority(),
                why)));
  }

  /**
   * Takes over a series that was watched under earlier limits of the same rule. A limit that was
   * removed no longer holds or builds an alert; delays that run against a limit that changed start
   * again; an alert stays active until a check finds its value back inside the limit as it is now.
   *
   * @param earlier the limits under which the state came about
   */
  public Outcome adopt(SeriesState before, List<Limit> earlier, long at) {
    var limits = new EnumMap<Priority, LimitState>(Priority.class);
    var reasons = new ArrayList<String>();
    before
        .limits()
        .forEach(
            (priority, state) -> {
              var was = find(earlier, priority);
              var is = rule.limit(priority);
              if (is == null) {
                reasons.add("its limit of priority %s was removed".formatted(priority.text()));
              } else if (is.equals(was)) {
                limits.put(priority, state);
              } else {
                limits.put(
                    priority,
                    state.since() > 0 ? new LimitState(state.phase(), at) : LimitState.ACTIVE);
                reasons.add(
                    "its limit of priority %s is now %s"
                        .formatted(priority.text(), is.words(rule.unit())));
              }
            });
    boolean raisedByAbsence =
        before.raisedAt() > 0
            && before.missingSince() > 0
            && Double.isNaN(before.value())
            && rule.missing() == Rule.Missing.RAISE;
    if (raisedByAbsence) {
      limits.put(highest(), LimitState.ACTIVE);
    }
    if (reasons.isEmpty()) {
      return new Outcome(before, List.of());
    }
    return adopted(before, limits, "the rule was edited: " + String.join(", ", reasons), at);
  }

  private Outcome adopted(
      SeriesState before, Map<Priority, LimitState> limits, String why, long at) {
    var holding = SeriesState.holding(limits);
    boolean wasActive = before.raisedAt() > 0;
    boolean acknowledged =
        before.acknowledged() && holding != null && !higher(holding, before.priority());
    boolean stays = before.state() == WatchState.NO_DATA || before.state() == WatchState.WAITING;
    var to = stays ? before.state() : state(limits, holding, acknowledged);
    var state =
        new SeriesState(
            to,
            at,
            0,
            acknowledged,
            limits,
            before.value(),
            before.lastValueAt(),
            before.missingSince());
    Change change;
    if (wasActive && holding == null) {
      change = Change.CLEARED;
    } else if (wasActive && holding != before.priority()) {
      change = higher(holding, before.priority()) ? Change.ESCALATED : Change.EASED;
    } else {
      change = !wasActive && limits.isEmpty() ? Change.SETTLED : Change.EDITED;
    }
    var named = state.priority() != null ? state.priority() : before.priority();
    return new Outcome(
        timed(state, before, holding == null ? 0 : before.raisedAt(), at),
        List.of(new Transition(change, before.state(), to, at, before.value(), named, why)));
  }
}
