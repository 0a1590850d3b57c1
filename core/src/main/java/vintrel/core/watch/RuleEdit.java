package vintrel.core.watch;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;
import vintrel.core.watch.StateMachine.Outcome;
import vintrel.core.watch.Transition.Change;

/** What an edited rule does with the series that it watches. Pure; any thread. */
public final class RuleEdit {
  private RuleEdit() {}

  /**
   * Takes over a series that was watched under earlier limits of the same rule. Limits are known by
   * their priority. One that was removed no longer holds or builds an alert; delays that run
   * against a limit that changed start again; an alert stays active until a check finds its value
   * back inside the limit as it is now.
   *
   * @param earlier the limits under which the state came about
   * @param value the latest, NaN if there is none
   */
  public static Outcome migrate(
      List<Limit> earlier, Rule rule, SeriesState before, double value, long at) {
    var reasons = new ArrayList<String>();
    var limits = new ArrayList<>(Collections.nCopies(rule.limits().size(), LimitState.QUIET));
    // A stored state may have more limits than are known of it: what they were is not said.
    for (int i = 0; i < Math.min(before.limits().size(), earlier.size()); i++) {
      var state = before.limits().get(i);
      var was = earlier.get(i);
      int to = rule.indexOf(was.priority());
      boolean loud = state.phase() != Phase.QUIET;
      if (to < 0) {
        if (loud) {
          reasons.add("its limit of priority %s was removed".formatted(was.priority().text()));
        }
      } else if (rule.limits().get(to).equals(was)) {
        limits.set(to, state);
      } else if (loud) {
        limits.set(to, restarted(state, at));
        reasons.add(
            "its limit of priority %s is now %s"
                .formatted(was.priority().text(), rule.limits().get(to).words(rule.unit())));
      }
    }
    boolean stillRaises =
        rule.missing() == Rule.Missing.RAISE || rule.fault() == Rule.Missing.RAISE;
    if (before.isRaised() && before.byAbsence() && stillRaises) {
      int highest = rule.highest();
      limits.set(highest, LimitProgress.active(limits.get(highest)));
    }
    if (reasons.isEmpty()) {
      return new Outcome(moved(before, rule, limits), List.of());
    }
    return edited(
        before, rule, limits, value, "the rule was edited: " + String.join(", ", reasons), at);
  }

  private static LimitState restarted(LimitState state, long at) {
    return state.since() == SeriesState.NEVER
        ? new LimitState(Phase.ACTIVE, SeriesState.NEVER, 0, 0)
        : new LimitState(state.phase(), at, 0, 0);
  }

  /** The same state under limits that have other places. */
  private static SeriesState moved(SeriesState s, Rule rule, List<LimitState> limits) {
    return limits.equals(s.limits())
        ? s
        : new SeriesState(
            s.state(),
            s.since(),
            s.raisedAt(),
            s.acknowledged(),
            limits,
            LimitProgress.deciding(rule.limits(), limits),
            s.missingSince(),
            s.faultSince(),
            s.byAbsence());
  }

  private static Outcome edited(
      SeriesState before, Rule rule, List<LimitState> limits, double value, String why, long at) {
    var holding = LimitProgress.holding(rule.limits(), limits);
    boolean wasActive = before.isRaised();
    boolean acknowledged =
        before.acknowledged()
            && holding != null
            && !StateMachine.higher(holding, before.priority());
    boolean stays =
        before.state() == WatchState.NO_DATA
            || before.state() == WatchState.FAULT
            || before.state() == WatchState.WAITING;
    var to = stays ? before.state() : LimitProgress.state(limits, holding, acknowledged);
    var deciding = LimitProgress.deciding(rule.limits(), limits);
    var after =
        new SeriesState(
            to,
            to == before.state() ? before.since() : at,
            holding == null ? SeriesState.NEVER : before.raisedAt(),
            acknowledged,
            limits,
            deciding,
            before.missingSince(),
            before.faultSince(),
            before.byAbsence() && holding != null);
    var change = change(before, holding, wasActive, deciding == null);
    var named = deciding != null ? deciding : before.priority();
    return new Outcome(
        after, List.of(new Transition(change, before.state(), to, at, value, named, why)));
  }

  private static Change change(
      SeriesState before, Priority holding, boolean wasActive, boolean quiet) {
    if (wasActive && holding == null) {
      return Change.CLEARED;
    }
    if (wasActive && holding != before.priority()) {
      return StateMachine.higher(holding, before.priority()) ? Change.ESCALATED : Change.EASED;
    }
    return !wasActive && quiet ? Change.SETTLED : Change.EDITED;
  }
}
