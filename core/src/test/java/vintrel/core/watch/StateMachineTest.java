package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.watch.Transition.Change;

class StateMachineTest {
  private final List<Change> changes = new ArrayList<>();
  private StateMachine machine;
  private SeriesState state;
  private long now;

  private static Rule rule(Rule.Missing missing, Limit... limits) {
    return new Rule(
        "r",
        "R",
        "",
        "",
        "m",
        "",
        List.of(limits),
        "%",
        5_000,
        0,
        missing,
        60_000,
        Map.of(),
        "",
        "",
        "");
  }

  private static Limit above(double value, Priority priority, double deadband, long on, long off) {
    return new Limit(Limit.Direction.ABOVE, value, priority, deadband, on, off);
  }

  private void use(Rule rule) {
    machine = new StateMachine(rule);
    state = SeriesState.initial(rule.limits().size(), 0);
    now = 0;
    changes.clear();
  }

  @BeforeEach
  void usual() {
    use(rule(Rule.Missing.SHOW, above(90, Priority.HIGH, 5, 20_000, 10_000)));
  }

  private WatchState at(long seconds, double value) {
    now = seconds * 1000;
    var outcome = machine.check(state, value, now);
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
    state = machine.acknowledge(state, "kim", 6_000).state();
    assertThat(at(10, 94)).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(at(15, 99)).isEqualTo(WatchState.RAISED);
    assertThat(at(20, 10)).isEqualTo(WatchState.NORMAL);
    assertThat(state.acknowledged()).isFalse();
    assertThatThrownBy(() -> machine.acknowledge(state, "kim", 21_000))
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
    var t = machine.check(state, 95.5, 20_000).transitions().getFirst();
    assertThat(t.why()).isEqualTo("95.5 % has been above 90 % for 20 s");
  }
}
