package vintrel.core.collect;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.re2j.Pattern;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;

class CollectingTest {
  @Test
  void aSourceIsLateAfterThreeOfItsOwnIntervals() {
    var pace = new Pace();
    assertThat(pace.state(1_000_000)).isEqualTo(Pace.State.WAITING);
    for (int i = 0; i < 20; i++) {
      pace.arrived(1_000_000 + i * 15_000L);
      // A second request of the same round changes nothing.
      pace.arrived(1_000_000 + i * 15_000L + 300);
    }
    long last = pace.last();
    assertThat(last).isEqualTo(1_000_000 + 19 * 15_000L);
    assertThat(pace.interval()).isEqualTo(15_000);
    assertThat(pace.state(last + 45_000)).isEqualTo(Pace.State.OK);
    assertThat(pace.state(last + 45_001)).isEqualTo(Pace.State.LATE);
    // One long pause does not make it slow.
    pace.arrived(last + 720_000);
    assertThat(pace.interval()).isEqualTo(15_000);
  }

  @Test
  void aNightlyJobIsNotLateAtNoon() {
    long day = 86_400_000;
    var pace = new Pace();
    long at = 1_000_000;
    pace.arrived(at);
    assertThat(pace.state(at + day)).as("after its first run").isEqualTo(Pace.State.OK);
    assertThat(pace.state(at + 26 * 3_600_000)).isEqualTo(Pace.State.LATE);
    // A few requests each night, seconds apart.
    for (int night = 1; night <= 5; night++) {
      for (int i = 0; i < 4; i++) {
        at = 1_000_000 + night * day + i * 2_000L;
        pace.arrived(at);
      }
      if (night >= 2) {
        assertThat(pace.interval()).isCloseTo(day, org.assertj.core.data.Offset.offset(60_000L));
        assertThat(pace.state(at + day / 2)).as("at noon").isEqualTo(Pace.State.OK);
        assertThat(pace.state(at + 4 * day)).isEqualTo(Pace.State.LATE);
      }
    }
    assertThat(new Pace(at, day).state(at + day / 2)).as("restored").isEqualTo(Pace.State.OK);
  }

  @Test
  void anHourlySourceIsNotLateAfterMinutes() {
    var pace = new Pace(1_000_000, 0);
    assertThat(pace.state(1_000_000 + Pace.UNKNOWN_LATE_MS)).isEqualTo(Pace.State.OK);
    assertThat(pace.state(1_000_000 + Pace.UNKNOWN_LATE_MS + 1)).isEqualTo(Pace.State.LATE);
    pace.arrived(1_000_000 + 3_600_000);
    assertThat(pace.state(1_000_000 + 2 * 3_600_000)).isEqualTo(Pace.State.OK);
    assertThat(pace.lateAfter()).isEqualTo(3 * 3_600_000);
    // A clock that goes back does not make it wait for years.
    pace.arrived(500_000);
    assertThat(pace.last()).isEqualTo(500_000);
  }

  @Test
  void theRateIsKeptOverTimeWhateverTheSizesOfRequests() {
    var random = new Random(3);
    for (int round = 0; round < 20; round++) {
      double rate = 10 + random.nextInt(1000);
      var limit = new RateLimit(rate, 0);
      long now = 0;
      long accepted = 0;
      for (int i = 0; i < 5_000; i++) {
        int amount = 1 + random.nextInt((int) (3 * rate));
        int wait = limit.take(amount, now);
        if (wait == 0) {
          accepted += amount;
        } else if (random.nextBoolean()) {
          now += wait * 1000L;
          assertThat(limit.take(1, now)).as("after the time that it said").isZero();
          accepted++;
        }
        now += random.nextInt(200);
      }
      assertThat(accepted).isLessThanOrEqualTo((long) (rate * (now / 1000.0 + 10) + 3 * rate + 1));
      assertThat(accepted).isGreaterThan((long) (0.5 * rate * now / 1000.0));
    }
  }

  @Test
  void runsKeepTheirPhaseAndAreSpread() {
    long every = 15_000;
    for (int i = 0; i < 12; i++) {
      long phase = JobTiming.phase("gates", i, 12, every);
      assertThat(phase).isBetween(0L, every - 1);
      long t = 1_700_000_000_123L;
      for (int k = 0; k < 50; k++) {
        long next = JobTiming.next(t, every, phase);
        assertThat(next).isGreaterThan(t).isLessThanOrEqualTo(t + every);
        assertThat(Math.floorMod(next, every)).isEqualTo(phase);
        t = next;
      }
    }
    var phases =
        java.util.stream.IntStream.range(0, 10)
            .mapToLong(i -> JobTiming.phase("gates", i, 10, 10_000))
            .sorted()
            .toArray();
    for (int i = 1; i < 10; i++) {
      assertThat(phases[i] - phases[i - 1]).isEqualTo(1_000);
    }
  }

  private static LabelRewrite rewrite(LabelRewrite.Step... steps) {
    return new LabelRewrite(List.of(steps));
  }

  @Test
  void labelsAreKeptDroppedRenamedRemovedAndSetInOrder() {
    var labels = Labels.of("instance", "nq-gate-1:9100", "berth", "north-2", "debug", "x");
    var all =
        rewrite(
            new LabelRewrite.Drop(Parser.parseCondition("metric like 'debug.%'")),
            new LabelRewrite.Rename(Map.of("instance", "gate")),
            new LabelRewrite.Remove(List.of("debug")),
            new LabelRewrite.Set(
                Map.of("site", "{1}", "number", "{2}"), "berth", Pattern.compile("(\\w+)-(\\d+)")),
            new LabelRewrite.Set(Map.of("team", "quays"), null, null),
            new LabelRewrite.Set(
                Map.of("metric", "gate.{1}"), "metric", Pattern.compile("scanner[._](.*)")));
    assertThat(all.apply("debug.x", labels)).isNull();
    var out = all.apply("scanner_reads", labels);
    assertThat(out.metric()).isEqualTo("gate.reads");
    assertThat(out.labels())
        .isEqualTo(
            Labels.of(
                "gate",
                "nq-gate-1:9100",
                "berth",
                "north-2",
                "site",
                "north",
                "number",
                "2",
                "team",
                "quays"));
    assertThat(all.apply("other", Labels.of("berth", "quay")).labels())
        .as("a pattern that does not match sets nothing")
        .isEqualTo(Labels.of("berth", "quay", "team", "quays"));
  }

  @Test
  void namesCanBeExchangedAndTextsOfGroupsAreNotReadAgain() {
    var swap = rewrite(new LabelRewrite.Rename(Map.of("a", "b", "b", "a")));
    assertThat(swap.apply("m", Labels.of("a", "1", "b", "2")).labels())
        .isEqualTo(Labels.of("a", "2", "b", "1"));
    var set =
        rewrite(new LabelRewrite.Set(Map.of("c", "{1}{9}"), "a", Pattern.compile("(.*)(.*)")));
    assertThat(set.apply("m", Labels.of("a", "{2}$1")).labels())
        .isEqualTo(Labels.of("a", "{2}$1", "c", "{2}$1"));
    var keep = rewrite(new LabelRewrite.Keep(Parser.parseCondition("metric = 'm'")));
    assertThat(keep.apply("m", Labels.of("metric", "own")).labels())
        .as("a label named metric stays")
        .isEqualTo(Labels.of("metric", "own"));
    assertThat(keep.apply("n", Labels.of("metric", "m"))).isNull();
  }

  @Test
  void aGapAndItsCatchingUpAreSeen() {
    var amounts = new double[] {0, 10, 10, 0, 0, 30, 10, 10, Double.NaN, 0};
    var strip = ArrivalStrip.of(amounts, 9, 60_000, 10_000);
    assertThat(strip.gaps())
        .containsExactly(false, false, false, true, true, false, false, false, true, false);
    assertThat(strip.caughtUp())
        .containsExactly(false, false, false, false, false, true, false, false, false, false);
    assertThat(strip.heights()[0]).isZero();
    var slow = ArrivalStrip.of(amounts, 9, 60_000, 50_000);
    assertThat(slow.gaps()).as("an interval that does not fit").containsOnly(false);
    assertThat(ArrivalStrip.of(new double[5], 5, 60_000, 1).heights()).containsOnly(0);
  }
}
