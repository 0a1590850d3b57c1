package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.series.Labels;
import vintrel.core.watch.LimitTest.Direction;
import vintrel.core.watch.Transition.Change;

class RehearsalTest {
  private static final long STEP = 10_000;
  private static final Labels A = Labels.of("host", "a");

  private static Rule rule(Rule.Missing missing, Limit... limits) {
    return Rules.of(missing, Rule.Missing.SHOW, 60_000, 600_000, "", limits);
  }

  private static Rule simple() {
    return rule(Rule.Missing.SHOW, Limit.of(Direction.ABOVE, 10, Priority.HIGH, 0, 20_000, 0));
  }

  private static double[] values(int count, double otherwise, int... over) {
    var out = new double[count];
    Arrays.fill(out, otherwise);
    for (int i : over) {
      out[i] = 11;
    }
    return out;
  }

  @Test
  void alertsTheirLengthsAndFlapsAreCounted() {
    var rehearsal = new Rehearsal(simple(), 0, 1_000_000);
    // Over from the third to the seventh check, on-delay 20 s; again soon; and at the end.
    rehearsal.feed(
        0, STEP, 100, Map.of(A, values(100, 1, 3, 4, 5, 6, 7, 20, 21, 22, 23, 95, 96, 97, 98, 99)));
    var result = rehearsal.result();
    var one = result.series().getFirst();
    assertThat(one.raised()).isEqualTo(3);
    // Raised at the 5th until the 8th, the 22nd until the 24th, from the 97th to the end.
    assertThat(one.millis()).isEqualTo((3 + 2 + 3) * STEP);
    assertThat(one.longest()).isEqualTo(3 * STEP);
    assertThat(one.flaps()).as("the second, 140 s after the first was cleared").isEqualTo(1);
    assertThat(one.transitions())
        .extracting(Transition::change)
        .containsExactly(
            Change.REGISTERED,
            Change.BUILDING,
            Change.RAISED,
            Change.CLEARED,
            Change.BUILDING,
            Change.RAISED,
            Change.CLEARED,
            Change.BUILDING,
            Change.RAISED);
    assertThat(one.spans().getFirst())
        .isEqualTo(new Rehearsal.Span(0, 30_000, WatchState.NORMAL, null));
    assertThat(one.spans().getLast())
        .isEqualTo(new Rehearsal.Span(970_000, 1_000_000, WatchState.RAISED, Priority.HIGH));
    assertThat(one.now().state()).isEqualTo(WatchState.RAISED);
    assertThat(result.to()).isEqualTo(1_000_000);
  }

  /** Whatever the pieces: the same as the live machine, check by check. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void aRehearsalIsWhatTheMachineDoesLive(long seed) {
    var random = new Random(seed);
    for (int round = 0; round < 30; round++) {
      var rule =
          rule(
              Rule.Missing.values()[random.nextInt(3)],
              new Limit(
                  new LimitTest.Threshold(Direction.ABOVE, 60, random.nextInt(10)),
                  Priority.HIGH,
                  random.nextInt(4) * 10_000L,
                  random.nextInt(4) * 10_000L,
                  2,
                  2 + random.nextInt(3)),
              random.nextBoolean()
                  ? new Limit(new LimitTest.Stale(30_000), Priority.LOW, 0, 0)
                  : Limit.of(Direction.BELOW, 10, Priority.CRITICAL, 5, 0, 20_000));
      int count = 500;
      var all = new HashMap<Labels, double[]>();
      for (int k = 0; k < 3; k++) {
        var values = new double[count];
        for (int i = 0; i < count; i++) {
          boolean gap = i > 300 && i < 380 && k == 1 || random.nextInt(8) == 0;
          values[i] = gap ? Double.NaN : random.nextInt(100);
        }
        all.put(Labels.of("host", "h" + k), values);
      }
      var rehearsal = new Rehearsal(rule, 0, count * STEP);
      for (int at = 0; at < count; ) {
        int n = Math.min(count - at, 1 + random.nextInt(120));
        var piece = new HashMap<Labels, double[]>();
        for (var e : all.entrySet()) {
          var part = Arrays.copyOfRange(e.getValue(), at, at + n);
          // A series without a value in a piece is not in it.
          if (Arrays.stream(part).anyMatch(v -> !Double.isNaN(v))) {
            piece.put(e.getKey(), part);
          }
        }
        rehearsal.feed(at * STEP, STEP, n, piece);
        at += n;
      }
      for (var series : rehearsal.result().series()) {
        var live = live(rule, all.get(series.labels()));
        assertThat(series.transitions()).isEqualTo(live);
        long raised = live.stream().filter(t -> t.change() == Change.RAISED).count();
        assertThat(series.raised()).isEqualTo((int) raised);
        assertThat(series.millis()).isEqualTo(raisedMillis(live, count * STEP));
        spansFollowEachOther(series, count * STEP);
      }
    }
  }

  private static List<Transition> live(Rule rule, double[] values) {
    var machine = new StateMachine(rule);
    var out = new ArrayList<Transition>();
    SeriesState state = null;
    long valueAt = SeriesState.NEVER;
    for (int i = 0; i < values.length; i++) {
      long at = i * STEP;
      boolean missing = Double.isNaN(values[i]);
      if (state == null && missing) {
        continue;
      }
      state = state == null ? SeriesState.initial(at, rule.limits().size()) : state;
      var result = missing ? new CheckResult.Missing(valueAt) : new CheckResult.Value(values[i]);
      var outcome = machine.check(state, result, at);
      valueAt = missing ? valueAt : at;
      if (machine.isStale(outcome.state(), at)) {
        out.addAll(machine.close(state, valueAt, at).transitions());
        state = null;
      } else {
        out.addAll(outcome.transitions());
        state = outcome.state();
      }
    }
    return out;
  }

  private static long raisedMillis(List<Transition> transitions, long end) {
    long total = 0;
    long from = -1;
    for (var t : transitions) {
      if (t.change() == Change.RAISED) {
        from = t.at();
      } else if (t.change() == Change.CLEARED) {
        total += t.at() - from;
        from = -1;
      }
    }
    return total + (from < 0 ? 0 : end - from);
  }

  private static void spansFollowEachOther(Rehearsal.OfSeries series, long end) {
    var spans = series.spans();
    for (int i = 1; i < spans.size(); i++) {
      assertThat(spans.get(i).from()).isEqualTo(spans.get(i - 1).to());
    }
    assertThat(spans.getLast().to()).isEqualTo(end);
  }

  @Test
  void ofVeryManyTransitionsTheFirstAreKeptAndAllAreCounted() {
    var chatters = Limit.of(Direction.ABOVE, 10, Priority.HIGH, 0, 0, 0);
    int count = Rehearsal.MOST_KEPT;
    var values = new double[count];
    for (int i = 0; i < count; i++) {
      values[i] = i % 2 == 0 ? 1 : 11;
    }
    var rehearsal = new Rehearsal(rule(Rule.Missing.HOLD, chatters), 0, count * STEP);
    rehearsal.feed(0, STEP, count, Map.of(A, values));
    var one = rehearsal.result().series().getFirst();
    assertThat(one.raised()).isEqualTo(count / 2);
    assertThat(one.flaps()).isEqualTo(count / 2 - 1);
    assertThat(one.transitions().size() + one.spans().size()).isEqualTo(Rehearsal.MOST_KEPT);
    assertThat(one.counts())
        .contains(
            new Rehearsal.Count(Change.RAISED, Priority.HIGH, count / 2),
            new Rehearsal.Count(Change.CLEARED, Priority.HIGH, count / 2 - 1));
    assertThat(one.strip().boxes())
        .containsExactly(
            new StateStrip.Box(0, StateStrip.PLACES, WatchState.RAISED, Priority.HIGH));
  }

  @Test
  void aRuleOnAbsenceIsRehearsedWithoutAnySeries() {
    var absent = new Limit(new LimitTest.Absent(), Priority.HIGH, 60_000, 0);
    var rehearsal = new Rehearsal(rule(Rule.Missing.HOLD, absent), 0, 430_000);
    rehearsal.feed(0, STEP, 20, Map.of());
    // Its series come in the middle of the next piece, at different times: none was absent before.
    var a = values(20, Double.NaN, 5, 6, 7);
    var b = values(20, Double.NaN, 10, 11);
    rehearsal.feed(200_000, STEP, 20, Map.of(A, a, Labels.of("host", "b"), b));
    // It is not absent again while one of them is watched.
    rehearsal.feed(400_000, STEP, 3, Map.of(A, values(3, 1)));
    var result = rehearsal.result();
    assertThat(result.series().getFirst().labels()).isEqualTo(Labels.NONE);
    assertThat(result.series().getFirst().transitions())
        .extracting(t -> t.change() + " " + t.at())
        .containsExactly("BUILDING 0", "RAISED 60000", "CLEARED 250000");
    assertThat(result.series().get(1).transitions())
        .extracting(t -> t.change() + " " + t.at())
        .containsExactly("REGISTERED 250000", "BUILDING 280000", "RAISED 340000", "CLEARED 400000");
    assertThat(result.series().get(2).transitions().getFirst().at()).isEqualTo(300_000);
    // A line without labels is absent itself, and goes on when it comes.
    var whole = new Rehearsal(rule(Rule.Missing.HOLD, absent), 0, 400_000);
    whole.feed(0, STEP, 20, Map.of());
    whole.feed(200_000, STEP, 20, Map.of(Labels.NONE, values(20, Double.NaN, 5, 6, 7)));
    assertThat(whole.result().series().getFirst().transitions())
        .extracting(t -> t.change() + " " + t.at())
        .containsExactly(
            "BUILDING 0", "RAISED 60000", "CLEARED 250000", "BUILDING 280000", "RAISED 340000");
    assertThat(new Rehearsal(simple(), 0, 1_000_000).result().series()).isEmpty();
  }
}
