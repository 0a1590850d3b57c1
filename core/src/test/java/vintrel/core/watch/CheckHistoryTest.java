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

class CheckHistoryTest {
  private static final long STEP = 10_000;

  private record Fed(long first, int count, Map<Labels, double[]> values) {}

  /** Pieces of a few series: mostly calm, with excursions, gaps, and one that comes late. */
  private static List<Fed> pieces(Random random) {
    var out = new ArrayList<Fed>();
    double[] level = {40, 40, 40, 40};
    long at = 0;
    for (int p = 0; p < 4; p++) {
      int count = 300 + random.nextInt(2_000);
      var values = new HashMap<Labels, double[]>();
      for (int k = 0; k < level.length; k++) {
        boolean out1 = k == 1 && p == 2 || k == 3 && p < 2;
        if (out1) {
          continue;
        }
        var found = new double[count];
        boolean wild = random.nextInt(3) == 0;
        for (int i = 0; i < count; i++) {
          level[k] += wild ? random.nextGaussian() * 8 : random.nextGaussian() * 0.2;
          level[k] = Math.clamp(level[k], 5, 95);
          found[i] = random.nextInt(wild ? 40 : 4_000) == 0 ? Double.NaN : level[k];
        }
        if (k == 2 && p == 1) {
          Arrays.fill(found, 50, Math.min(count, 900), Double.NaN);
        }
        values.put(Labels.of("host", "h" + k), found);
      }
      out.add(new Fed(at, count, values));
      at += count * STEP;
    }
    return out;
  }

  private static Limit[] limits(Random random) {
    var checks = random.nextBoolean() ? new int[] {1, 1} : new int[] {2, 4};
    var up =
        new Limit(
            new LimitTest.Threshold(Direction.ABOVE, 60 + random.nextInt(30), random.nextInt(10)),
            Priority.HIGH,
            random.nextInt(5) * STEP,
            random.nextInt(5) * STEP,
            checks[0],
            checks[1]);
    var other =
        switch (random.nextInt(4)) {
          case 0 -> new LimitTest.Outside(10 + random.nextInt(10), 90, random.nextInt(5));
          case 1 -> new LimitTest.Stale(60_000);
          case 2 -> new LimitTest.Absent();
          default -> new LimitTest.Threshold(Direction.AT_MOST, random.nextInt(30), 1);
        };
    return new Limit[] {up, new Limit(other, Priority.LOW, 0, random.nextInt(3) * STEP)};
  }

  /** Replayed from blocks, with room for all values, for some, and for none: as fed. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void aReplayIsTheRehearsalOfWhatWasFed(long seed) {
    var random = new Random(seed);
    for (int round = 0; round < 12; round++) {
      var fed = pieces(random);
      var rule =
          Rules.of(
              Rule.Missing.values()[random.nextInt(3)],
              Rule.Missing.SHOW,
              60_000,
              600_000,
              "",
              limits(random));
      long end = fed.getLast().first() + fed.getLast().count() * STEP;
      var direct = new Rehearsal(rule, 0, end);
      fed.forEach(f -> direct.feed(f.first(), STEP, f.count(), f.values()));
      for (long room : List.of(1L << 30, 6_000L, 0L)) {
        var history = new CheckHistory(room);
        fed.forEach(f -> history.add(f.first(), STEP, f.count(), f.values()));
        var replayed = new Rehearsal(rule, 0, end);
        history.replay(
            List.of(replayed),
            piece ->
                fed.stream().filter(f -> f.first() == piece.first()).findFirst().get().values(),
            () -> false);
        same(replayed.result(), direct.result());
      }
    }
  }

  /** Where even the ends take too much, nothing is kept, whatever comes after. */
  @Test
  void tooManySeriesAreNotKept() {
    var history = new CheckHistory(100_000);
    var values = new HashMap<Labels, double[]>();
    for (int i = 0; i < 1_000; i++) {
      values.put(Labels.of("host", "h" + i), new double[] {1, 2});
    }
    long at = 0;
    for (int piece = 0; piece < 200; piece++) {
      history.add(at, STEP, 2, values);
      at += 2 * STEP;
    }
    assertThat(history.isKept()).isFalse();
    assertThat(history.bytes()).isZero();
    var rehearsal =
        new Rehearsal(
            Rules.of(
                Rule.Missing.SHOW,
                Rule.Missing.SHOW,
                60_000,
                600_000,
                "",
                Limit.of(Direction.ABOVE, 90, Priority.HIGH, 0, 0, 0)),
            0,
            at);
    history.replay(List.of(rehearsal), p -> Map.of(), () -> false);
    assertThat(rehearsal.result().series()).isEmpty();
  }

  private static Rule above90() {
    var limit = Limit.of(Direction.ABOVE, 90, Priority.HIGH, 0, 0, 0);
    return Rules.of(Rule.Missing.SHOW, Rule.Missing.SHOW, 60_000, 600_000, "", limit);
  }

  private static void same(Rehearsal.Result a, Rehearsal.Result b) {
    assertThat(a.from()).isEqualTo(b.from());
    assertThat(a.to()).isEqualTo(b.to());
    assertThat(a.series()).hasSameSizeAs(b.series());
    for (int i = 0; i < a.series().size(); i++) {
      var x = a.series().get(i);
      var y = b.series().get(i);
      assertThat(x.labels()).isEqualTo(y.labels());
      assertThat(x.transitions()).isEqualTo(y.transitions());
      assertThat(x.spans()).isEqualTo(y.spans());
      assertThat(x.strip().boxes()).isEqualTo(y.strip().boxes());
      assertThat(x.delays()).isEqualTo(y.delays());
      assertThat(x.unraised()).isEqualTo(y.unraised());
      assertThat(x.now()).isEqualTo(y.now());
      assertThat(x.value()).isEqualTo(y.value());
      assertThat(x.millis()).isEqualTo(y.millis());
    }
  }

  @Test
  void aGridCountsWhatEachSettingWouldHaveRaised() {
    var values = new double[6_000];
    Arrays.fill(values, 50);
    // Twenty spikes of 20 s, two stretches of 10 min.
    for (int k = 0; k < 20; k++) {
      values[100 + k * 100] = 95;
      values[101 + k * 100] = 95;
    }
    Arrays.fill(values, 3_000, 3_060, 95);
    Arrays.fill(values, 5_000, 5_060, 95);
    var history = new CheckHistory(1 << 20);
    history.add(0, STEP, values.length, Map.of(Labels.of("host", "a"), values));
    var rule = above90();
    var grid = TradeOff.of(rule, 0, 45, history, p -> Map.of(), Expectations.NONE, () -> false);
    var none = grid.of(0);
    assertThat(none.getFirst().alerts()).isEqualTo(22);
    assertThat(none.getFirst().lost()).isZero();
    var halfMinute = none.get(1);
    assertThat(halfMinute.onDelay()).isEqualTo(30_000);
    assertThat(halfMinute.alerts()).isEqualTo(2);
    assertThat(halfMinute.median()).isEqualTo(30_000);
    assertThat(halfMinute.lost()).as("two checks, and back at the third").isEqualTo(20_000);
    assertThat(none.getLast().onDelay()).isEqualTo(1_200_000);
    assertThat(none.getLast().alerts()).isZero();
    assertThat(none.getLast().median()).isEqualTo(-1);
    assertThat(none.getLast().lost()).isEqualTo(600_000);
    assertThat(grid.suggested().onDelay()).isEqualTo(30_000);
    assertThat(grid.suggested().deadband()).as("a deadband spares nothing here").isZero();
  }

  @Test
  void aDeadbandIsProposedWhereValuesFlutterAtTheLimit() {
    var values = new double[6_000];
    var random = new Random(7);
    for (int i = 0; i < values.length; i++) {
      double slow = 80 + 12 * Math.sin(i / 300.0);
      values[i] = slow + random.nextGaussian() * 0.8;
    }
    var history = new CheckHistory(1 << 20);
    history.add(0, STEP, values.length, Map.of(Labels.of("host", "a"), values));
    var rule = above90();
    var grid = TradeOff.of(rule, 0, 28, history, p -> Map.of(), Expectations.NONE, () -> false);
    assertThat(grid.suggested().deadband()).isBetween(1.0, 6.0);
    assertThat(grid.suggested().alerts()).isLessThan(grid.of(0).getFirst().alerts() / 3);
  }
}
