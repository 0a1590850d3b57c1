package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.unit.Spans;
import vintrel.core.unit.Units;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;
import vintrel.core.watch.Transition.Change;

/**
 * State + check result + time → new state + transitions. Pure; one for each rule, for any thread.
 *
 * <p>Each limit goes its own way: QUIET → BUILDING (passed, on-delay running) → ACTIVE → CLEARING
 * (back by the deadband, off-delay running) → QUIET. The state of the series is read off them: the
 * highest priority that is ACTIVE or CLEARING holds the alert; else any BUILDING; else NORMAL. So a
 * change of priority while an alert stands is an escalation or an easing, not a new alert.
 */
public final class StateMachine {
  private final Rule rule;

  public StateMachine(Rule rule) {
    this.rule = rule;
  }

  /** The new state, and the transitions that led to it, oldest first; mostly none. */
  public record Outcome(SeriesState state, List<Transition> transitions) {}

  /**
   * A check's result for one series.
   *
   * @param value the reading, NaN where the series has no fresh value
   * @param at the instant that was checked, ms; must not be before the state's last
   */
  public Outcome check(SeriesState before, double value, long at) {
    return Double.isNaN(value) ? missing(before, at) : reading(before, value, at);
  }

  private Outcome reading(SeriesState before, double value, long at) {
    var limits = new ArrayList<LimitState>(rule.limits().size());
    for (int i = 0; i < rule.limits().size(); i++) {
      var old = i < before.limits().size() ? before.limits().get(i) : LimitState.QUIET;
      limits.add(advance(rule.limits().get(i), old, value, at));
    }
    int holding = holding(limits, true);
    int building = holding >= 0 ? -1 : holding(limits, false);
    boolean stood = before.state().standing() || before.raisedAt() > 0;
    boolean acknowledged = before.acknowledged() && holding >= 0;
    if (acknowledged && before.limit() >= 0 && higher(holding, before.limit())) {
      acknowledged = false;
    }
    var state = state(limits, holding, building, acknowledged);
    var transitions = new ArrayList<Transition>();
    var change = change(before, state, holding, stood);
    if (change != null) {
      int named = holding >= 0 ? holding : building >= 0 ? building : before.limit();
      transitions.add(
          new Transition(
              change,
              before.state(),
              state,
              at,
              value,
              named,
              why(change, value, named, before, at)));
    }
    long raisedAt = holding < 0 ? 0 : stood && before.raisedAt() > 0 ? before.raisedAt() : at;
    long since = state == before.state() ? before.since() : at;
    return new Outcome(
        new SeriesState(
            state,
            since,
            raisedAt,
            acknowledged,
            List.copyOf(limits),
            holding >= 0 ? holding : building,
            value,
            at,
            0),
        transitions);
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

  /** The limit of highest priority that holds an alert, or that builds one; -1 for none. */
  private int holding(List<LimitState> limits, boolean alert) {
    int best = -1;
    for (int i = 0; i < limits.size(); i++) {
      var phase = limits.get(i).phase();
      boolean counts =
          alert ? phase == Phase.ACTIVE || phase == Phase.CLEARING : phase == Phase.BUILDING;
      if (counts && (best < 0 || higher(i, best))) {
        best = i;
      }
    }
    return best;
  }

  private boolean higher(int a, int b) {
    return a >= 0
        && b >= 0
        && rule.limits().get(a).priority().compareTo(rule.limits().get(b).priority()) < 0;
  }

  private static WatchState state(
      List<LimitState> limits, int holding, int building, boolean acknowledged) {
    if (holding >= 0) {
      boolean active = limits.stream().anyMatch(l -> l.phase() == Phase.ACTIVE);
      return !active
          ? WatchState.CLEARING
          : acknowledged ? WatchState.ACKNOWLEDGED : WatchState.RAISED;
    }
    return building >= 0 ? WatchState.BUILDING : WatchState.NORMAL;
  }

  private Change change(SeriesState before, WatchState now, int holding, boolean stood) {
    var was = before.state();
    if (holding >= 0 && stood && before.limit() >= 0 && holding != before.limit()) {
      return higher(holding, before.limit()) ? Change.ESCALATED : Change.EASED;
    }
    if (was == now) {
      return null;
    }
    if (holding >= 0 && !stood) {
      return Change.RAISED;
    }
    if (holding < 0 && stood) {
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

  private String why(Change change, double value, int limit, SeriesState before, long at) {
    var reading = Units.format(value, rule.unit());
    var words = limit < 0 ? "" : rule.limits().get(limit).words(rule.unit());
    return switch (change) {
      case REGISTERED -> "the first check found " + reading;
      case BUILDING -> reading + " passes the limit: " + words;
      case RAISED -> reading + " has been " + words;
      case ESCALATED -> reading + " passes a limit of higher priority: " + words;
      case EASED -> reading + " is back within the higher limit; still " + words;
      case CLEARING -> reading + " is back inside the limit; waiting for the off-delay";
      case RETURNED -> reading + " passed the limit again before the off-delay ended";
      case CLEARED ->
          reading
              + " is back inside the limit"
              + (before.raisedAt() > 0
                  ? " after " + Spans.words(Math.max(0, at - before.raisedAt()))
                  : "");
      case SETTLED -> reading + " came back before the on-delay ended";
      default -> reading + " was read again";
    };
  }

  private Outcome missing(SeriesState before, long at) {
    long since = before.missingSince() > 0 ? before.missingSince() : at;
    boolean due = at - since >= rule.missingAfter();
    boolean settled = before.state() == WatchState.NO_DATA || rule.missing() == Rule.Missing.HOLD;
    if (!due || settled || before.state() == WatchState.WAITING) {
      return new Outcome(waiting(before, since), List.of());
    }
    boolean raise = rule.missing() == Rule.Missing.RAISE;
    boolean stood = before.raisedAt() > 0;
    if (raise && stood) {
      return new Outcome(waiting(before, since), List.of());
    }
    int limit = raise ? highest() : before.limit();
    var to = raise ? WatchState.RAISED : WatchState.NO_DATA;
    var limits = new ArrayList<>(before.limits());
    if (raise) {
      limits.set(limit, LimitState.ACTIVE);
    }
    var why = "no value for " + Spans.words(at - Math.max(before.lastValueAt(), 0));
    var state =
        new SeriesState(
            to,
            at,
            raise ? at : before.raisedAt(),
            before.acknowledged(),
            List.copyOf(limits),
            limit,
            Double.NaN,
            before.lastValueAt(),
            since);
    var change = raise ? Change.RAISED : Change.NO_DATA;
    return new Outcome(
        state, List.of(new Transition(change, before.state(), to, at, Double.NaN, limit, why)));
  }

  private int highest() {
    int best = 0;
    for (int i = 1; i < rule.limits().size(); i++) {
      best = higher(i, best) ? i : best;
    }
    return best;
  }

  private static SeriesState waiting(SeriesState s, long missingSince) {
    return new SeriesState(
        s.state(),
        s.since(),
        s.raisedAt(),
        s.acknowledged(),
        s.limits(),
        s.limit(),
        s.value(),
        s.lastValueAt(),
        missingSince);
  }

  /**
   * Somebody takes note of an alert that stands.
   *
   * @throws IllegalStateException where no alert stands, or it is acknowledged already
   */
  public Outcome acknowledge(SeriesState before, String who, long at) {
    if (!before.state().standing() || before.acknowledged()) {
      throw new IllegalStateException(
          before.acknowledged() ? "this alert is acknowledged already" : "no alert stands here");
    }
    var to = before.state() == WatchState.CLEARING ? WatchState.CLEARING : WatchState.ACKNOWLEDGED;
    var state =
        new SeriesState(
            to,
            to == before.state() ? before.since() : at,
            before.raisedAt(),
            true,
            before.limits(),
            before.limit(),
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
                before.limit(),
                "acknowledged by " + who)));
  }

  /** The series is gone: an alert that stood is cleared, saying so. */
  public Outcome close(SeriesState before, long at) {
    boolean stood = before.raisedAt() > 0;
    var state = SeriesState.initial(rule.limits().size(), at);
    return new Outcome(
        state,
        List.of(
            new Transition(
                stood ? Change.CLEARED : Change.CLOSED,
                before.state(),
                WatchState.WAITING,
                at,
                Double.NaN,
                before.limit(),
                "the series sends nothing any more and is closed")));
  }
}
