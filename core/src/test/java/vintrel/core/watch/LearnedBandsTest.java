package vintrel.core.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.model.Baseline;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;

/** A rehearsal knows of each moment what a check of that moment knew, and no more. */
class LearnedBandsTest {
  private static final long DAY = Durations.DAY;
  private static final long STEP = Baseline.STEP;
  private static final long END = 20_800 * DAY;
  private static final Labels ONE = Labels.of("site", "north-quay");

  private static Rule rule(Rule.Learning learning, long onDelay) {
    var limit = new Limit(new LimitTest.OutsideBand(4, 0), Priority.HIGH, onDelay, 0);
    return Rules.of(Rule.Missing.HOLD, Rule.Missing.HOLD, 0, DAY, "", limit).with(learning);
  }

  private static double value(long at, long seed) {
    double noise = new Random(at * 31 + seed).nextGaussian();
    boolean spike = new Random(at / 600_000 + seed).nextInt(90) == 0;
    return 60 + 30 * Math.sin(2 * Math.PI * at / DAY) + noise + (spike ? 40 : 0);
  }

  private static LearnedBands learned(Rule rule, long from, long to, long seed) {
    long first = LearnedBands.first(rule.name(), from, STEP);
    var values = new double[LearnedBands.values(rule.name(), from, to, STEP)];
    for (int i = 0; i < values.length; i++) {
      values[i] = value(first + i * STEP, seed);
    }
    return LearnedBands.of(rule, from, to, first, STEP, Map.of(ONE, values), () -> {});
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void rehearsedAtOnceIsAsLearnedDayByDay(long seed) {
    var rule = rule(Rule.Learning.USUAL, seed * 20_000);
    long from = END - 3 * DAY;
    long step = 60_000;
    int count = (int) ((END - from) / step);
    var found = new double[count];
    for (int i = 0; i < count; i++) {
      found[i] = value(from + i * step, seed);
    }
    var rehearsal = new Rehearsal(rule, from, END, learned(rule, from, END - 1, seed));
    rehearsal.feed(from, step, count, new TreeMap<>(Map.of(ONE, found)));

    var machine = new StateMachine(rule);
    var told = new ArrayList<Transition>();
    var state = SeriesState.initial(from, 1);
    LearnedBands live = null;
    for (int i = 0; i < count; i++) {
      long at = from + i * step;
      if (live == null || !live.reaches(at)) {
        live = learned(rule, at, at, seed);
      }
      state = machine.check(state, live.with(ONE, at, found[i]), at, told);
    }
    var result = rehearsal.result().series().getFirst();
    assertThat(result.transitions()).isEqualTo(told);
    assertThat(result.raised()).isPositive();
    assertThat(result.now()).isEqualTo(state);
  }

  @Test
  void whatComesAfterTheLearningIsNotKnown() {
    var rule = rule(Rule.Learning.USUAL, 0);
    long day = LearnedBands.day(rule.name(), END);
    assertThat(day).isBetween(END - DAY + 1, END);
    assertThat(LearnedBands.day(rule.name(), day)).isEqualTo(day);
    assertThat(LearnedBands.day(rule.name(), day - 1)).isEqualTo(day - DAY);
    var before = learned(rule, END, END, 1);
    // Other values after the day begins: nothing of them is known.
    long first = LearnedBands.first(rule.name(), END, STEP);
    var values = new double[LearnedBands.values(rule.name(), END, END, STEP) + 50];
    for (int i = 0; i < values.length; i++) {
      long at = first + i * STEP;
      values[i] = at < day ? value(at, 1) : 1e9;
    }
    var other = LearnedBands.of(rule, END, END, first, STEP, Map.of(ONE, values), () -> {});
    assertThat(other.of(ONE, END).expected(END)).isEqualTo(before.of(ONE, END).expected(END));
    assertThat(other.of(ONE, END).sigma(END)).isEqualTo(before.of(ONE, END).sigma(END));
    assertThat(other.of(ONE, END + 2 * DAY)).isNull();
    assertThat(other.of(Labels.NONE, END)).isNull();
  }

  @Test
  void whatIsLeftOutTeachesNothing() {
    long from = END - 20 * DAY;
    var all = rule(Rule.Learning.USUAL, 0);
    long first = LearnedBands.first(all.name(), END, STEP);
    var values = new double[LearnedBands.values(all.name(), END, END, STEP)];
    for (int i = 0; i < values.length; i++) {
      long at = first + i * STEP;
      values[i] = at >= from ? value(at, 2) : 5_000;
    }
    var span = new Rule.Learning.Span(0, from);
    var some = rule(new Rule.Learning(ZoneOffset.UTC, List.of(span)), 0);
    var without = LearnedBands.of(some, END, END, first, STEP, Map.of(ONE, values), () -> {});
    assertThat(without.of(ONE, END).days()).isBetween(19, 21);
    assertThat(without.of(ONE, END).expected(END)).isBetween(55.0, 65.0);
    var none = rule(new Rule.Learning(ZoneOffset.UTC, List.of(new Rule.Learning.Span(0, END))), 0);
    var nothing = LearnedBands.of(none, END, END, first, STEP, Map.of(ONE, values), () -> {});
    assertThat(nothing.of(ONE, END)).isNull();
    assertThat(nothing.with(ONE, END, 3)).isEqualTo(new CheckResult.Value(3));
    assertThat(nothing.known()).isZero();
  }
}
