package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.watch.Transition.Change;

class StateMachineTest {
  private final List<Change> changes = new ArrayList<>();
  private StateMachine machine;
  private Rule current;
  private SeriesState state;
  private long now;
  private double value;

  private static Rule rule(Rule.Missing missing, Limit... limits) {
    return Rules.of(missing, missing, 30_000, 600_000, "%", limits);
  }

  private static Limit above(double value, Priority priority, double deadband, long on, long off) {
    return Limit.of(LimitTest.Direction.ABOVE, value, priority, deadband, on, off);
  }

  private void use(Rule rule) {
    current = rule;
    machine = new StateMachine(rule);
    state = SeriesState.initial(0, rule.limits().size());
    value = Double.NaN;
    now = 0;
    changes.clear();
  }

  @BeforeEach
  void usual() {
    use(rule(Rule.Missing.SHOW, above(90, Priority.HIGH, 5, 20_000, 10_000)));
  }

  private WatchState at(long seconds, double v) {
    value = Double.isNaN(v) ? value : v;
    return at(seconds, CheckResult.of(v));
  }

  private WatchState at(long seconds, CheckResult result) {
    now = seconds * 1000;
    var outcome = machine.check(state, result, now);
    state = outcome.state();
    outcome.transitions().forEach(t -> changes.add(t.change()));
    return state.state();
  }

  @Test
  void anAlertBuildsRaisesClearsAndIsNormalAgain() {
    assertThat(at(0, 50)).isEqualTo(WatchState.NORMAL);
    assertThat(at(5, 95)).isEqualTo(WatchState.BUILDING);
    assertThat(at(20, 95)).isEqualTo(WatchState.BUILDING);
    assertThat(at(25, 95)).isEqualTo(WatchState.RAISED);
    assertThat(at(30, 60)).isEqualTo(WatchState.CLEARING);
    assertThat(at(40, 60)).isEqualTo(WatchState.NORMAL);
    assertThat(changes)
        .containsExactly(
            Change.REGISTERED, Change.BUILDING, Change.RAISED, Change.CLEARING, Change.CLEARED);
  }

  @Test
  void aShortPeakIsNeverRaised() {
    at(0, 50);
    at(5, 95);
    assertThat(at(10, 50)).isEqualTo(WatchState.NORMAL);
    assertThat(changes).containsExactly(Change.REGISTERED, Change.BUILDING, Change.SETTLED);
  }

  @Test
  void withinTheDeadbandAnAlertStands() {
    at(0, 95);
    at(20, 95);
    assertThat(at(25, 88)).isEqualTo(WatchState.RAISED);
    assertThat(at(30, 84.9)).isEqualTo(WatchState.CLEARING);
    assertThat(at(35, 88)).isEqualTo(WatchState.RAISED);
    assertThat(changes).endsWith(Change.CLEARING, Change.RETURNED);
  }

  @Test
  void aHigherLimitEscalatesAndItsReturnEasesTheSameAlert() {
    use(
        rule(
            Rule.Missing.SHOW,
            above(97, Priority.CRITICAL, 0, 0, 0),
            above(90, Priority.HIGH, 0, 0, 0)));
    at(0, 95);
    long raised = state.raisedAt();
    at(5, 98);
    at(10, 95);
    at(15, 50);
    assertThat(changes)
        .containsExactly(Change.RAISED, Change.ESCALATED, Change.EASED, Change.CLEARED);
    assertThat(raised).isZero();
  }

  @Test
  void anAcknowledgedAlertStaysSoUntilItEscalatesOrClears() {
    use(
        rule(
            Rule.Missing.SHOW,
            above(97, Priority.CRITICAL, 0, 0, 0),
            above(90, Priority.HIGH, 0, 0, 0)));
    at(5, 95);
    state = machine.acknowledge(state, value, "kim", "", 6_000).state();
    assertThat(at(10, 94)).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(at(15, 99)).isEqualTo(WatchState.RAISED);
    assertThat(at(20, 10)).isEqualTo(WatchState.NORMAL);
    assertThat(state.acknowledged()).isFalse();
    assertThatThrownBy(() -> machine.acknowledge(state, value, "kim", "", 21_000))
        .isInstanceOf(IllegalStateException.class);
  }

  @Test
  void missingDataIsShownAfterItsDelayAndTheAlertIsNotForgotten() {
    at(5, 95);
    at(25, 95);
    at(30, Double.NaN);
    assertThat(state.state()).isEqualTo(WatchState.RAISED);
    assertThat(at(90, Double.NaN)).isEqualTo(WatchState.NO_DATA);
    assertThat(at(95, 95)).isEqualTo(WatchState.RAISED);
    assertThat(changes).endsWith(Change.NO_DATA, Change.BACK);
  }

  @Test
  void missingDataRaisesOrHoldsWhereTheRuleSaysSo() {
    use(rule(Rule.Missing.RAISE, above(90, Priority.HIGH, 0, 0, 0)));
    at(0, 50);
    at(5, Double.NaN);
    assertThat(at(65, Double.NaN)).isEqualTo(WatchState.RAISED);
    assertThat(at(70, 50)).isEqualTo(WatchState.NORMAL);
    use(rule(Rule.Missing.HOLD, above(90, Priority.HIGH, 0, 0, 0)));
    at(0, 95);
    assertThat(at(500, Double.NaN)).isEqualTo(WatchState.RAISED);
  }

  @Test
  void noDataThatWasOnlyShownIsRaisedOnceTheRuleRaisesIt() {
    var limit = above(90, Priority.HIGH, 0, 0, 0);
    for (double value : new double[] {50, 95}) {
      use(rule(Rule.Missing.SHOW, limit));
      at(0, value);
      at(5, Double.NaN);
      assertThat(at(65, Double.NaN)).isEqualTo(WatchState.NO_DATA);
      boolean active = state.isRaised();
      changes.clear();
      edit(rule(Rule.Missing.RAISE, limit));
      assertThat(at(70, Double.NaN)).isEqualTo(WatchState.RAISED);
      assertThat(at(75, Double.NaN)).isEqualTo(WatchState.RAISED);
      assertThat(changes)
          .as("an alert that was active is not raised again")
          .containsExactly(active ? Change.BACK : Change.RAISED);
      assertThat(at(80, 20)).isEqualTo(WatchState.NORMAL);
      assertThat(state.isRaised()).isFalse();
    }
  }

  /** Whatever comes: never raised before the on-delay, at most one change a check, and in order. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
  void theMachineKeepsItsPromisesOnRandomSeries(long seed) {
    var random = new Random(seed);
    long overSince = -1;
    boolean stands = false;
    for (int i = 1; i < 3000; i++) {
      double value = random.nextInt(10) == 0 ? Double.NaN : 70 + random.nextInt(35);
      long time = i * 5L;
      var before = changes.size();
      at(time, value);
      assertThat(changes.size() - before).isLessThanOrEqualTo(1);
      if (!Double.isNaN(value)) {
        overSince = value > 90 ? (overSince < 0 ? time : overSince) : -1;
      }
      if (changes.size() > before) {
        var change = changes.getLast();
        if (change == Change.RAISED) {
          assertThat(stands).isFalse();
          assertThat(time - overSince).isGreaterThanOrEqualTo(20);
          stands = true;
        }
        if (change == Change.CLEARED) {
          assertThat(stands).isTrue();
          stands = false;
        }
      }
    }
    assertThat(changes).contains(Change.RAISED, Change.CLEARED);
  }

  @Test
  void everyTransitionSaysWhyInWords() {
    at(0, 95);
    var t = machine.check(state, CheckResult.of(95.5), 20_000).transitions().getFirst();
    assertThat(t.why()).isEqualTo("95.5 %; limit: above 90 % for 20 s");
  }

  private List<Transition> edit(Rule to) {
    var earlier = current.limits();
    current = to;
    machine = new StateMachine(to);
    var outcome = RuleEdit.migrate(earlier, to, state, value, now);
    state = outcome.state();
    outcome.transitions().forEach(t -> changes.add(t.change()));
    return outcome.transitions();
  }

  @Test
  void withoutItsLimitAnAlertIsClearedOrHeldByAnother() {
    var critical = above(97, Priority.CRITICAL, 0, 0, 0);
    var high = above(90, Priority.HIGH, 0, 0, 0);
    use(rule(Rule.Missing.SHOW, critical, high));
    at(5, 99);
    var eased = edit(rule(Rule.Missing.SHOW, high)).getFirst();
    assertThat(eased.change()).isEqualTo(Change.EASED);
    assertThat(eased.priority()).isEqualTo(Priority.HIGH);
    assertThat(eased.why())
        .isEqualTo("the rule was edited: its limit of priority critical was removed");
    assertThat(state.raisedAt()).isEqualTo(5_000);
    assertThat(at(10, 99)).isEqualTo(WatchState.RAISED);
    edit(rule(Rule.Missing.SHOW, above(200, Priority.LOW, 0, 0, 0)));
    assertThat(changes).endsWith(Change.CLEARED);
    assertThat(at(15, 99)).isEqualTo(WatchState.NORMAL);
    assertThat(at(20, 201)).isEqualTo(WatchState.RAISED);
  }

  @Test
  void anotherOrderOfLimitsChangesNothing() {
    var low = above(70, Priority.LOW, 0, 20_000, 0);
    var high = above(90, Priority.HIGH, 0, 0, 0);
    use(rule(Rule.Missing.SHOW, low, high));
    at(5, 95);
    var before = state;
    assertThat(edit(rule(Rule.Missing.SHOW, high, low))).isEmpty();
    assertThat(state.limits()).isEqualTo(before.limits().reversed());
    assertThat(state.priority()).isEqualTo(before.priority());
    assertThat(state.state()).isEqualTo(before.state());
    assertThat(at(10, 80)).isEqualTo(WatchState.BUILDING);
    assertThat(at(25, 80)).isEqualTo(WatchState.RAISED);
  }

  @Test
  void delaysStartAgainAgainstALimitThatChanged() {
    at(0, 50);
    at(5, 95);
    now = 24_000;
    assertThat(edit(rule(Rule.Missing.SHOW, above(92, Priority.HIGH, 5, 20_000, 10_000))))
        .extracting(Transition::change)
        .containsExactly(Change.EDITED);
    assertThat(at(25, 95)).as("25 s, 1 s of it above the new limit").isEqualTo(WatchState.BUILDING);
    assertThat(at(44, 95)).isEqualTo(WatchState.RAISED);
    assertThat(edit(rule(Rule.Missing.SHOW, above(99, Priority.HIGH, 0, 0, 0))).getFirst().why())
        .isEqualTo("the rule was edited: its limit of priority high is now above 99 %");
    assertThat(state.state()).as("until a check").isEqualTo(WatchState.RAISED);
    assertThat(at(50, 95)).isEqualTo(WatchState.NORMAL);
  }

  @Test
  void anAlertOfMissingDataMovesToTheHighestLimitOfTheEditedRule() {
    use(rule(Rule.Missing.RAISE, above(90, Priority.HIGH, 0, 0, 0)));
    at(0, 50);
    at(5, Double.NaN);
    at(65, Double.NaN);
    edit(
        rule(
            Rule.Missing.RAISE,
            above(97, Priority.CRITICAL, 0, 0, 0),
            above(90, Priority.LOW, 0, 0, 0)));
    assertThat(state.priority()).isEqualTo(Priority.CRITICAL);
    assertThat(at(70, Double.NaN)).isEqualTo(WatchState.RAISED);
    assertThat(changes).endsWith(Change.RAISED, Change.ESCALATED);
  }

  @Test
  void aSeriesThatVanishedIsClosedAfterItsTime() {
    use(rule(Rule.Missing.HOLD, above(90, Priority.HIGH, 0, 0, 0)));
    at(1, 95);
    at(5, Double.NaN);
    at(604, Double.NaN);
    assertThat(machine.isStale(state, now)).isFalse();
    at(605, Double.NaN);
    assertThat(machine.isStale(state, now)).isTrue();
    var closed = machine.close(state, 5_000, now).transitions().getFirst();
    assertThat(closed.change()).isEqualTo(Change.CLEARED);
    assertThat(closed.why())
        .isEqualTo("no data for 10 min; the series stopped sending data and is closed");
    at(610, 20);
    assertThat(machine.isStale(state, now)).isFalse();
  }

  /**
   * Whatever is edited and whatever arrives: nothing throws, no state refers to a limit that is not
   * there, and raised and cleared alternate.
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
  void anyEditAtAnyTimeLeavesAStateThatFitsTheRule(long seed) {
    var random = new Random(seed);
    boolean active = false;
    use(random(random));
    for (int i = 1; i < 3000; i++) {
      int before = changes.size();
      if (random.nextInt(20) == 0) {
        edit(random(random));
      } else {
        at(i * 5L, random(random.nextInt(10), random));
      }
      if (state.isRaised() && random.nextInt(10) == 0 && !state.acknowledged()) {
        if (state.state().isActive()) {
          state = machine.acknowledge(state, value, "kim", "", now).state();
        }
      }
      assertThat(state.limits()).hasSameSizeAs(current.limits());
      for (var change : changes.subList(before, changes.size())) {
        if (change == Change.RAISED || change == Change.CLEARED) {
          assertThat(active).isEqualTo(change == Change.CLEARED);
          active = !active;
        } else if (change == Change.ESCALATED || change == Change.EASED) {
          assertThat(active).isTrue();
        }
      }
      assertThat(state.isRaised()).isEqualTo(active);
      assertThat(LimitProgress.holding(current.limits(), state.limits()) != null)
          .as("%s after %s", state, changes)
          .isEqualTo(active);
    }
    assertThat(changes)
        .contains(Change.RAISED, Change.CLEARED, Change.EDITED, Change.ESCALATED, Change.EASED);
  }

  private static CheckResult random(int kind, Random random) {
    return switch (kind) {
      case 0, 1 -> CheckResult.MISSING;
      case 2 -> new CheckResult.Fault("the store does not answer");
      default -> CheckResult.of(random.nextInt(100));
    };
  }

  private static LimitTest test(Random random) {
    return switch (random.nextInt(7)) {
      case 0 -> new LimitTest.Outside(random.nextInt(50), 60 + random.nextInt(30), 5);
      case 1 -> new LimitTest.Stale(1_000 * (1 + random.nextInt(30)));
      case 2 -> new LimitTest.Absent();
      default ->
          new LimitTest.Threshold(
              LimitTest.Direction.values()[random.nextInt(4)],
              random.nextInt(100),
              random.nextInt(3) * 5);
    };
  }

  private static Rule random(Random random) {
    var priorities = new ArrayList<>(List.of(Priority.values()));
    java.util.Collections.shuffle(priorities, random);
    var limits = new Limit[1 + random.nextInt(3)];
    for (int i = 0; i < limits.length; i++) {
      limits[i] =
          new Limit(
              test(random),
              priorities.get(i),
              random.nextInt(3) * 10_000,
              random.nextInt(3) * 10_000,
              1 + random.nextInt(2),
              2 + random.nextInt(3));
    }
    return rule(Rule.Missing.values()[random.nextInt(3)], limits);
  }
}
