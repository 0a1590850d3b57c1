package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.unit.Durations;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.Transition.Change;

/**
 * State + check result + time → new state + transitions. Pure; one per rule, for any thread.
 *
 * <p>Each limit goes its own way, as {@link LimitProgress} says. The state of the series follows
 * from them: the highest priority that is active or clearing holds the alert; else any that builds;
 * else the series is normal. So a change of priority while an alert is active is an escalation or
 * an easing, not a new alert. No data and a failing query leave limits of values as they are, until
 * a value comes.
 */
public final class StateMachine {
  private final Rule rule;
  private final TransitionText text;

  public StateMachine(Rule rule) {
    this(rule, new TransitionText(rule));
  }

  private StateMachine(Rule rule, TransitionText text) {
    this.rule = rule;
    this.text = text;
  }

  /** One whose transitions say nothing, for those who only count them. */
  static StateMachine wordless(Rule rule) {
    return new StateMachine(rule, TransitionText.none(rule));
  }

  /** Whether a quiet series stays as it is through values that lie between two, both included. */
  boolean staysQuiet(SeriesState state, double least, double greatest) {
    if (!isQuiet(state)) {
      return false;
    }
    for (var limit : rule.limits()) {
      if (!limit.isCalm(least, greatest)) {
        return false;
      }
    }
    return true;
  }

  /** Whether nothing is under way in a series. */
  static boolean isQuiet(SeriesState state) {
    if (state.state() != WatchState.NORMAL
        || state.isMissing()
        || state.faultSince() != SeriesState.NEVER
        || state.byAbsence()) {
      return false;
    }
    for (var limit : state.limits()) {
      if (limit != LimitState.QUIET) {
        return false;
      }
    }
    return true;
  }

  /** The new state, and the transitions that led to it, oldest first; usually none. */
  public record Outcome(SeriesState state, List<Transition> transitions) {}

  /** The same as below, with the transitions beside the state. */
  public Outcome check(SeriesState before, CheckResult result, long at) {
    var transitions = new ArrayList<Transition>(1);
    return new Outcome(check(before, result, at, transitions), transitions);
  }

  /**
   * The state after a check. While nothing happens it is the state before, and nothing is made.
   *
   * @param at the instant that was checked, ms; must not be before the state's last
   * @param into gets the transitions, oldest first
   */
  public SeriesState check(SeriesState before, CheckResult result, long at, List<Transition> into) {
    return switch (result) {
      case CheckResult.Value v -> present(before, v, at, into);
      case CheckResult.Missing m -> missing(before, m, at, into);
      case CheckResult.Fault f -> failing(before, f, at, into);
    };
  }

  private SeriesState present(
      SeriesState before, CheckResult.Value value, long at, List<Transition> into) {
    var limits = LimitProgress.advance(rule.limits(), before.limits(), value, 0, at);
    boolean asBefore =
        limits == before.limits()
            && !before.isMissing()
            && before.faultSince() == SeriesState.NEVER
            && before.state() != WatchState.WAITING
            && !before.byAbsence();
    return asBefore ? before : decided(before, limits, value, at, into);
  }

  /** The state that the limits make, with the transition that leads there. */
  private SeriesState decided(
      SeriesState before,
      List<LimitState> limits,
      CheckResult result,
      long at,
      List<Transition> into) {
    boolean value = result instanceof CheckResult.Value;
    var holding = LimitProgress.holding(rule.limits(), limits);
    boolean acknowledged =
        before.acknowledged() && holding != null && !higher(holding, before.priority());
    var to = LimitProgress.state(limits, holding, acknowledged);
    var deciding = LimitProgress.deciding(rule.limits(), limits);
    long raisedAt =
        holding == null ? SeriesState.NEVER : before.isRaised() ? before.raisedAt() : at;
    var after =
        new SeriesState(
            to,
            to == before.state() ? before.since() : at,
            raisedAt,
            acknowledged,
            limits,
            deciding,
            value ? SeriesState.NEVER : before.missingSince(),
            value ? SeriesState.NEVER : before.faultSince(),
            !value && before.byAbsence());
    var change = change(before, after, holding);
    if (change != null) {
      var named = deciding != null ? deciding : before.priority();
      var why = text.why(change, result, named, before, at);
      into.add(new Transition(change, before.state(), to, at, number(result), named, why));
    }
    return after;
  }

  private static double number(CheckResult result) {
    return result instanceof CheckResult.Value v ? v.value() : Double.NaN;
  }

  static boolean higher(Priority a, Priority b) {
    return a != null && b != null && a.compareTo(b) < 0;
  }

  private static Change change(SeriesState before, SeriesState after, Priority holding) {
    var was = before.state();
    var now = after.state();
    boolean wasRaised = before.isRaised();
    if (holding != null && wasRaised && before.priority() != null && holding != before.priority()) {
      return higher(holding, before.priority()) ? Change.ESCALATED : Change.EASED;
    }
    if (was == now) {
      return null;
    }
    if (holding != null && !wasRaised) {
      return Change.RAISED;
    }
    if (holding == null && wasRaised) {
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

  private SeriesState missing(
      SeriesState before, CheckResult.Missing result, long at, List<Transition> into) {
    long since = before.isMissing() ? before.missingSince() : at;
    var limits = LimitProgress.advance(rule.limits(), before.limits(), result, at - since, at);
    var state = before.failing(SeriesState.NEVER).missing(since, before.limits());
    // What it was before the query failed is said by the limits.
    if (before.state() == WatchState.FAULT || LimitProgress.moved(before.limits(), limits)) {
      return decided(state, limits, result, at, into);
    }
    if (LimitProgress.anyOfAbsence(rule.limits(), limits)) {
      return state.missing(since, limits);
    }
    return lacking(
        state.missing(since, limits),
        WatchState.NO_DATA,
        rule.missing(),
        at - since >= rule.missingAfter(),
        result,
        at,
        into);
  }

  private SeriesState failing(
      SeriesState before, CheckResult.Fault result, long at, List<Transition> into) {
    long since = before.faultSince() == SeriesState.NEVER ? at : before.faultSince();
    return lacking(
        before.failing(since),
        WatchState.FAULT,
        rule.fault(),
        at - since >= rule.faultAfter(),
        result,
        at,
        into);
  }

  /** What a rule does where there is no value. */
  private SeriesState lacking(
      SeriesState before,
      WatchState shown,
      Rule.Missing what,
      boolean due,
      CheckResult result,
      long at,
      List<Transition> into) {
    boolean raise = what == Rule.Missing.RAISE;
    boolean isShown = before.state() == shown;
    // What an earlier form of the rule only showed is raised by a form that raises.
    boolean settled = raise ? before.isRaised() && !isShown : isShown || what == Rule.Missing.HOLD;
    if (!due || settled || before.state() == WatchState.WAITING) {
      return before;
    }
    boolean active = before.isRaised();
    var limits = raise && !active ? withHighest(before.limits()) : before.limits();
    var holding = LimitProgress.holding(rule.limits(), limits);
    var to = raise ? LimitProgress.state(limits, holding, before.acknowledged()) : shown;
    var after =
        new SeriesState(
            to,
            at,
            raise && !active ? at : before.raisedAt(),
            before.acknowledged(),
            limits,
            LimitProgress.deciding(rule.limits(), limits),
            before.missingSince(),
            before.faultSince(),
            before.byAbsence() || raise && !active);
    var change =
        raise
            ? active ? Change.BACK : Change.RAISED
            : shown == WatchState.FAULT ? Change.FAULT : Change.NO_DATA;
    var why = text.why(change, result, after.priority(), before, at);
    into.add(new Transition(change, before.state(), to, at, Double.NaN, after.priority(), why));
    return after;
  }

  /** The limit of the highest priority is active. */
  private List<LimitState> withHighest(List<LimitState> limits) {
    var out = new ArrayList<>(limits);
    int highest = rule.highest();
    out.set(highest, LimitProgress.active(out.get(highest)));
    return out;
  }

  /**
   * Acknowledges an active alert.
   *
   * @param note of whoever does it; may be empty
   * @throws IllegalStateException if no alert is active, or it is acknowledged already
   */
  public Outcome acknowledge(SeriesState before, double value, String who, String note, long at) {
    if (!before.state().isActive() || before.acknowledged()) {
      throw new IllegalStateException(
          before.acknowledged()
              ? "this alert is already acknowledged"
              : "this series has no active alert");
    }
    var to = before.state() == WatchState.CLEARING ? WatchState.CLEARING : WatchState.ACKNOWLEDGED;
    var why = "acknowledged by " + who + (note.isEmpty() ? "" : ": " + note);
    return acknowledged(before, true, to, Change.ACKNOWLEDGED, value, why, at);
  }

  /**
   * Takes an acknowledgement back.
   *
   * @throws IllegalStateException if the alert is not active and acknowledged
   */
  public Outcome takeBack(SeriesState before, double value, String who, long at) {
    if (!before.state().isActive() || !before.acknowledged()) {
      throw new IllegalStateException("this alert is not acknowledged");
    }
    var to = before.state() == WatchState.CLEARING ? WatchState.CLEARING : WatchState.RAISED;
    var why = who + " took the acknowledgement back";
    return acknowledged(before, false, to, Change.TAKEN_BACK, value, why, at);
  }

  private static Outcome acknowledged(
      SeriesState before,
      boolean acknowledged,
      WatchState to,
      Change change,
      double value,
      String why,
      long at) {
    var after =
        new SeriesState(
            to,
            to == before.state() ? before.since() : at,
            before.raisedAt(),
            acknowledged,
            before.limits(),
            before.priority(),
            before.missingSince(),
            before.faultSince(),
            before.byAbsence());
    var step = new Transition(change, before.state(), to, at, value, before.priority(), why);
    return new Outcome(after, List.of(step));
  }

  /** True if a series has been without a value for so long that it is to be closed. */
  public boolean isStale(SeriesState state, long at) {
    return state.isMissing() && at - state.missingSince() >= rule.closeAfter();
  }

  /**
   * Closes a series that sends nothing any more; an active alert is cleared.
   *
   * @param lastValueAt when the latest value was seen, or {@link SeriesState#NEVER}
   */
  public Outcome close(SeriesState before, long lastValueAt, long at) {
    long last = lastValueAt != SeriesState.NEVER ? lastValueAt : before.missingSince();
    return close(
        before,
        at,
        "no data for "
            + Durations.words(Math.max(0, at - last))
            + "; the series stopped sending data and is closed");
  }

  /** Ends the watch on a line that returned nothing, once it returns something. */
  public Outcome arrived(SeriesState before, long at) {
    return close(before, at, "data has come; its series are watched now");
  }

  /** Closes a series for a reason in words; an active alert is cleared. */
  public Outcome close(SeriesState before, long at, String why) {
    return new Outcome(
        SeriesState.initial(at, rule.limits().size()),
        List.of(
            new Transition(
                before.isRaised() ? Change.CLEARED : Change.CLOSED,
                before.state(),
                WatchState.WAITING,
                at,
                Double.NaN,
                before.priority(),
                why)));
  }
}
