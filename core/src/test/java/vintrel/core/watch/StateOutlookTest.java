package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import vintrel.core.watch.LimitTest.Direction;

class StateOutlookTest {
  private final Rule rule =
      Rules.of(
          Rule.Missing.SHOW,
          Rule.Missing.SHOW,
          60_000,
          600_000,
          "%",
          Limit.of(Direction.ABOVE, 98, Priority.CRITICAL, 3, 60_000, 0),
          Limit.of(Direction.ABOVE, 90, Priority.HIGH, 5, 20_000, 30_000));
  private final StateMachine machine = new StateMachine(rule);
  private SeriesState state = SeriesState.initial(0, 2);

  private String after(double value, long at) {
    var result = Double.isNaN(value) ? new CheckResult.Missing(0) : new CheckResult.Value(value);
    state = machine.check(state, result, at).state();
    return StateOutlook.of(rule, state, t -> "T" + t / 1000);
  }

  @Test
  void everyStateSaysWhatComesNextAndWhen() {
    assertThat(StateOutlook.of(rule, state, t -> "")).contains("first value");
    assertThat(after(50, 0))
        .isEqualTo(
            "Raised (critical) when above 98 % for 1 min. Raised (high) when above 90 % for 20 s.");
    assertThat(after(91, 10_000))
        .isEqualTo(
            "Past its limit (above 90 %); raised (high) at T30 unless it comes back before.");
    assertThat(after(91, 30_000))
        .isEqualTo(
            "Clears at or below 85 % for 30 s. Escalates (critical) when above 98 % for 1 min.");
    assertThat(state.state()).isEqualTo(WatchState.RAISED);
    assertThat(after(80, 40_000)).isEqualTo("Cleared at T70 unless it passes the limit again.");
    after(80, 70_000);
    assertThat(state.state()).isEqualTo(WatchState.NORMAL);
    after(Double.NaN, 80_000);
    assertThat(after(Double.NaN, 140_000))
        .startsWith("Continues with the next value; closed at T680");
  }
}
