package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.watch.Limit;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.LimitTest.Direction;
import vintrel.core.watch.Priority;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.SeriesState.LimitState;
import vintrel.core.watch.SeriesState.Phase;
import vintrel.core.watch.WatchState;

class StateTextTest {
  private static final List<Limit> LIMITS =
      List.of(
          Limit.of(Direction.AT_LEAST, 90.5, Priority.HIGH, 2, 60_000, 0),
          new Limit(new LimitTest.Outside(-3, 4, 0.5), Priority.LOW, 0, 5_000, 3, 5),
          new Limit(new LimitTest.Stale(300_000), Priority.CRITICAL, 0, 0));

  @Test
  void limitsAreTheSameAfterTheyWereWritten() {
    var others = List.of(new Limit(new LimitTest.Absent(), Priority.MEDIUM, 60_000, 0));
    assertThat(StateText.limits(StateText.limits(LIMITS), List.of())).isEqualTo(LIMITS);
    assertThat(StateText.limits(StateText.limits(others), List.of())).isEqualTo(others);
    // As version 0.2 wrote them.
    var earlier =
        "[{\"direction\":\"AT_LEAST\",\"value\":90.5,\"priority\":\"HIGH\",\"deadband\":2.0,"
            + "\"onDelay\":60000,\"offDelay\":0}]";
    assertThat(StateText.limits(earlier, List.of())).isEqualTo(LIMITS.subList(0, 1));
    for (var broken : new String[] {null, "", "[{}]", "[{\"above\": \"x\"}]", "{}"}) {
      assertThat(StateText.limits(broken, LIMITS)).as(broken).isEqualTo(LIMITS);
    }
  }

  @Test
  void statesAreTheSameAfterTheyWereWritten() {
    var random = new Random(29);
    for (int i = 0; i < 2_000; i++) {
      var states = new ArrayList<LimitState>();
      for (int k = 0; k < LIMITS.size(); k++) {
        var phase = Phase.values()[random.nextInt(4)];
        boolean timed = phase == Phase.BUILDING || phase == Phase.CLEARING;
        states.add(
            new LimitState(
                phase,
                timed ? 1 + random.nextInt(1_000) : SeriesState.NEVER,
                random.nextInt(32),
                random.nextInt(32)));
      }
      var state =
          new SeriesState(
              WatchState.values()[random.nextInt(WatchState.values().length)],
              random.nextInt(1_000),
              random.nextBoolean() ? SeriesState.NEVER : 7,
              random.nextBoolean(),
              states,
              SeriesState.deciding(LIMITS, states),
              random.nextBoolean() ? SeriesState.NEVER : 8,
              random.nextBoolean() ? SeriesState.NEVER : 9,
              random.nextBoolean());
      var now = new WatchedSeries.Now(state, random.nextDouble(), SeriesState.NEVER, 3);
      var row = WatchedRow.of("r", "");
      row.version = 3;
      StateText.write(now, LIMITS, row);
      assertThat(StateText.read(row, LIMITS)).isEqualTo(now);
      // Limits are found by their priority, wherever they are.
      var turned = StateText.read(row, LIMITS.reversed()).state();
      assertThat(turned.limits()).isEqualTo(states.reversed());
    }
  }
}
