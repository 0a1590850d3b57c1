package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.watch.LimitTest.Direction;
import vintrel.core.watch.Transition.Change;

/** Limits of each kind, what a failing query does, and that nothing is made while all is well. */
class LimitsTest {
  private final List<Transition> told = new ArrayList<>();
  private StateMachine machine;
  private SeriesState state;

  private static Rule rule(Rule.Missing missing, Rule.Missing fault, Limit... limits) {
    return Rules.of(missing, fault, 30_000, 86_400_000, "", limits);
  }

  private void use(Rule.Missing missing, Rule.Missing fault, Limit... limits) {
    machine = new StateMachine(rule(missing, fault, limits));
    state = SeriesState.initial(0, limits.length);
    told.clear();
  }

  private void use(Limit... limits) {
    use(Rule.Missing.SHOW, Rule.Missing.SHOW, limits);
  }

  private WatchState at(long seconds, CheckResult result) {
    state = machine.check(state, result, seconds * 1_000, told);
    return state.state();
  }

  private WatchState at(long seconds, double value) {
    return at(seconds, CheckResult.of(value));
  }

  private List<Change> changes() {
    return told.stream().map(Transition::change).toList();
  }

  @Test
  void outsideHasTwoSidesAndADeadbandAtEach() {
    use(new Limit(new LimitTest.Outside(10, 20, 2), Priority.HIGH, 0, 0));
    assertThat(at(0, 10)).isEqualTo(WatchState.NORMAL);
    assertThat(at(5, 9.9)).isEqualTo(WatchState.RAISED);
    assertThat(at(10, 11.9)).isEqualTo(WatchState.RAISED);
    assertThat(at(15, 12)).isEqualTo(WatchState.NORMAL);
    assertThat(at(20, 20.1)).isEqualTo(WatchState.RAISED);
    assertThat(at(25, 18.1)).isEqualTo(WatchState.RAISED);
    assertThat(at(30, 18)).isEqualTo(WatchState.NORMAL);
    assertThat(told.get(1).why()).isEqualTo("9.90; limit: outside 10 to 20");
    assertThatThrownBy(() -> new LimitTest.Outside(20, 10, 0))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void aBandIsThatOfTheCheck() {
    use(new Limit(new LimitTest.OutsideBand(2.5, 0), Priority.HIGH, 0, 0));
    assertThat(at(0, new CheckResult.Value(100))).isEqualTo(WatchState.NORMAL);
    assertThat(at(5, new CheckResult.Value(100, 15, 2))).isEqualTo(WatchState.RAISED);
    assertThat(told.getLast().why()).isEqualTo("100; limit: outside the expected band, 10 to 20");
    // A moment without a band neither raises nor clears.
    assertThat(at(10, new CheckResult.Value(15))).isEqualTo(WatchState.RAISED);
    assertThat(at(15, new CheckResult.Value(100, 105, 6))).isEqualTo(WatchState.NORMAL);
  }

  @Test
  void aStaleSeriesRaisesAndItsReturnClears() {
    use(new Limit(new LimitTest.Stale(30_000), Priority.HIGH, 0, 0));
    at(0, 1);
    assertThat(at(5, CheckResult.MISSING)).isEqualTo(WatchState.NORMAL);
    assertThat(at(30, CheckResult.MISSING)).isEqualTo(WatchState.NORMAL);
    assertThat(at(35, new CheckResult.Missing(0))).isEqualTo(WatchState.RAISED);
    assertThat(told.getLast().why()).isEqualTo("no data for 35 s");
    // What the rule does with missing data says nothing beside it.
    assertThat(at(500, CheckResult.MISSING)).isEqualTo(WatchState.RAISED);
    assertThat(at(505, 1)).isEqualTo(WatchState.NORMAL);
    assertThat(changes()).containsExactly(Change.REGISTERED, Change.RAISED, Change.CLEARED);
    // A series that was never seen is not stale.
    use(new Limit(new LimitTest.Stale(30_000), Priority.HIGH, 0, 0));
    at(5, CheckResult.MISSING);
    assertThat(at(5, CheckResult.MISSING)).isEqualTo(WatchState.WAITING);
  }

  @Test
  void whatIsAbsentRaisesThoughItNeverWasThere() {
    use(new Limit(new LimitTest.Absent(), Priority.CRITICAL, 60_000, 0));
    assertThat(at(5, CheckResult.MISSING)).isEqualTo(WatchState.BUILDING);
    assertThat(told.getLast().why()).startsWith("no data").contains("waiting for the on-delay");
    assertThat(at(60, CheckResult.MISSING)).isEqualTo(WatchState.BUILDING);
    assertThat(at(65, CheckResult.MISSING)).isEqualTo(WatchState.RAISED);
    assertThat(at(70, 0)).isEqualTo(WatchState.NORMAL);
    assertThat(changes()).containsExactly(Change.BUILDING, Change.RAISED, Change.CLEARED);
  }

  @Test
  void someOfTheLastChecksCount() {
    var test = new LimitTest.Threshold(Direction.ABOVE, 10, 0);
    use(new Limit(test, Priority.HIGH, 0, 0, 3, 5));
    double[] values = {0, 11, 0, 11, 0, 0, 11, 11, 11, 0, 0, 11, 0, 0, 0};
    var raised = new ArrayList<Integer>();
    for (int i = 0; i < values.length; i++) {
      if (at(5L * i, values[i]) == WatchState.RAISED) {
        raised.add(i);
      }
    }
    // Three of five from the eighth on: 11 of 3, 6, 7; until fewer than three of five are left.
    assertThat(raised).containsExactly(7, 8, 9, 10, 11);
    assertThat(changes()).containsExactly(Change.REGISTERED, Change.RAISED, Change.CLEARED);
  }

  @Test
  void aFailingQueryIsAStateOfItsOwnAfterItsDelay() {
    var fault = new CheckResult.Fault("the store lab does not answer; look at Stores");
    use(Limit.of(Direction.ABOVE, 10, Priority.HIGH, 0, 0, 0));
    at(0, 1);
    assertThat(at(5, fault)).isEqualTo(WatchState.NORMAL);
    assertThat(at(35, fault)).isEqualTo(WatchState.FAULT);
    assertThat(told.getLast().change()).isEqualTo(Change.FAULT);
    assertThat(told.getLast().why())
        .isEqualTo("the query failed: the store lab does not answer; look at Stores");
    assertThat(at(40, 2)).isEqualTo(WatchState.NORMAL);
    assertThat(told.getLast().why()).isEqualTo("the query works again: 2");
    // An alert is not forgotten by it.
    at(45, 11);
    at(50, fault);
    assertThat(at(80, fault)).isEqualTo(WatchState.FAULT);
    assertThat(state.isRaised()).isTrue();
    assertThat(at(85, CheckResult.MISSING)).isEqualTo(WatchState.RAISED);
    assertThat(at(90, 1)).isEqualTo(WatchState.NORMAL);
    use(
        Rule.Missing.SHOW,
        Rule.Missing.RAISE,
        Limit.of(Direction.ABOVE, 10, Priority.HIGH, 0, 0, 0));
    at(0, 1);
    at(5, fault);
    assertThat(at(35, fault)).isEqualTo(WatchState.RAISED);
    assertThat(at(40, 1)).isEqualTo(WatchState.NORMAL);
    use(
        Rule.Missing.SHOW,
        Rule.Missing.HOLD,
        Limit.of(Direction.ABOVE, 10, Priority.HIGH, 0, 0, 0));
    at(0, 1);
    at(5, fault);
    assertThat(at(900, fault)).isEqualTo(WatchState.NORMAL);
    assertThat(changes()).containsExactly(Change.REGISTERED);
  }

  @Test
  void whileNothingHappensTheStateIsTheSame() {
    use(
        new Limit(new LimitTest.Outside(10, 90, 1), Priority.LOW, 0, 0),
        Limit.of(Direction.ABOVE, 95, Priority.HIGH, 5, 10_000, 0),
        new Limit(new LimitTest.Threshold(Direction.ABOVE, 97, 0), Priority.CRITICAL, 0, 0, 2, 3));
    at(0, 50);
    var quiet = state;
    for (int i = 1; i < 100; i++) {
      at(5L * i, 40 + i % 20);
      assertThat(state).isSameAs(quiet);
    }
    at(600, 96);
    at(620, 96);
    var raised = state;
    at(625, 96.5);
    assertThat(state).isSameAs(raised);
  }

  /**
   * The same by its words: for each limit the past is looked through again at each check.
   *
   * @param seed of values, delays and counts
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void aLimitIsRaisedAsASearchThroughThePastSays(long seed) {
    var random = new Random(seed);
    for (int round = 0; round < 40; round++) {
      int times = 1 + random.nextInt(3);
      int outOf = times + random.nextInt(4);
      long on = random.nextInt(4) * 5_000L;
      long off = random.nextInt(4) * 5_000L;
      double deadband = random.nextInt(3);
      var test = new LimitTest.Threshold(Direction.ABOVE, 10, deadband);
      use(new Limit(test, Priority.HIGH, on, off, times, outOf));
      var past = new ArrayList<Double>();
      boolean active = false;
      int since = -1;
      for (int i = 0; i < 120; i++) {
        past.add((double) (5 + random.nextInt(8)));
        int first = Math.max(0, past.size() - outOf);
        var last = past.subList(first, past.size());
        double line = active ? 10 - deadband : 10;
        boolean over = last.stream().filter(v -> v > line).count() >= times;
        boolean turns = over != active;
        since = !turns ? -1 : since < 0 ? i : since;
        if (turns && (i - since) * 5_000L >= (active ? off : on)) {
          active = !active;
          since = -1;
        }
        at(5L * i, past.getLast());
        assertThat(state.isRaised())
            .as("round %d, check %d of %s", round, i, past)
            .isEqualTo(active);
      }
    }
  }
}
