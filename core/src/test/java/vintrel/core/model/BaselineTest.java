package vintrel.core.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.Random;
import java.util.function.LongToDoubleFunction;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.unit.Quantiles;

/** Baselines beside the rhythms that made the values. */
class BaselineTest {
  private static final long STEP = Baseline.STEP;
  private static final long HOUR = 3_600_000;
  private static final long DAY = 24 * HOUR;

  /** A Monday, 04:17 UTC. */
  private static final long FIRST = Instant.parse("2026-10-05T04:17:00Z").toEpochMilli();

  private static final int COUNT = (int) (Baseline.DAYS * DAY / STEP);

  private static double[] values(int count, LongToDoubleFunction of) {
    return IntStream.range(0, count).mapToDouble(i -> of.applyAsDouble(FIRST + i * STEP)).toArray();
  }

  private static Baseline learned(double[] values) {
    return Baseline.learn(FIRST, STEP, values, ZoneOffset.UTC);
  }

  private static double daily(long at) {
    return 100 + 40 * Math.sin(2 * Math.PI * (at % DAY) / DAY);
  }

  /** 1970-01-01 was a Thursday. */
  private static boolean weekend(long at) {
    long day = Math.floorMod(at / DAY + 3, 7);
    return day >= 5;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void aRhythmOfTheDayIsFound(long seed) {
    var random = new Random(seed);
    var b = learned(values(COUNT, t -> daily(t) + 3 * random.nextGaussian()));
    assertThat(b.isDaily()).isTrue();
    assertThat(b.isWeekly()).isFalse();
    assertThat(b.days()).isBetween(27, 29);
    for (long t = FIRST + 30 * DAY; t < FIRST + 31 * DAY; t += HOUR / 7) {
      assertThat(b.expected(t)).isCloseTo(daily(t), within(2.5));
      assertThat(b.sigma(t)).isBetween(2.0, 5.0);
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void aRhythmOfTheWeekIsFound(long seed) {
    var random = new Random(seed);
    LongToDoubleFunction truth = t -> weekend(t) ? 2 * daily(t) : daily(t);
    var b =
        learned(values(COUNT, t -> truth.applyAsDouble(t) * (1 + 0.03 * random.nextGaussian())));
    assertThat(b.isWeekly()).isTrue();
    for (long t = FIRST + 30 * DAY; t < FIRST + 37 * DAY; t += HOUR / 3) {
      // Where a day of one kind borders one of the other, hours run into each other.
      if (weekend(t - HOUR) == weekend(t + HOUR)) {
        assertThat(b.expected(t)).isCloseTo(truth.applyAsDouble(t), within(22.0));
        assertThat(Math.abs(b.expected(t) - truth.applyAsDouble(t))).isLessThan(4 * b.sigma(t));
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void noiseHasNoRhythm(long seed) {
    var random = new Random(seed);
    var b = learned(values(COUNT, t -> 50 + random.nextGaussian()));
    assertThat(b.isDaily()).isFalse();
    assertThat(b.isWeekly()).isFalse();
    assertThat(b.expected(FIRST + 30 * DAY)).isCloseTo(50, within(0.3));
    assertThat(b.sigma(FIRST + 30 * DAY)).isCloseTo(1, within(0.2));
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void incidentsOfThePastHardlyMoveIt(long seed) {
    var random = new Random(seed);
    var noise = values(COUNT, t -> 3 * random.nextGaussian());
    var clean = values(COUNT, t -> daily(t) + noise[(int) ((t - FIRST) / STEP)]);
    var spoilt = clean.clone();
    for (int incident = 0; incident < 6; incident++) {
      int at = random.nextInt(COUNT - 40);
      Arrays.fill(spoilt, at, at + 8 + random.nextInt(30), random.nextBoolean() ? 5_000 : 0);
    }
    var a = learned(clean);
    var b = learned(spoilt);
    for (long t = FIRST + 28 * DAY; t < FIRST + 29 * DAY; t += HOUR) {
      assertThat(b.expected(t)).isCloseTo(a.expected(t), within(3.0));
      assertThat(b.sigma(t)).isLessThan(2 * a.sigma(t) + 1);
    }
  }

  @Test
  void aBurstThatComesEachNightIsExpected() {
    var random = new Random(9);
    LongToDoubleFunction truth = t -> t % DAY >= 2 * HOUR && t % DAY < 3 * HOUR ? 90 : 10;
    var b = learned(values(COUNT, t -> truth.applyAsDouble(t) + random.nextGaussian()));
    long night = FIRST - FIRST % DAY + 30 * DAY + 2 * HOUR + HOUR / 2;
    assertThat(b.expected(night)).isCloseTo(90, within(5.0));
    assertThat(b.expected(night + 6 * HOUR)).isCloseTo(10, within(1.0));
    assertThat(b.sigma(night + 6 * HOUR)).isLessThan(3);
  }

  @Test
  void aNewLevelIsExpectedAfterHalfAWeek() {
    var random = new Random(3);
    long moved = FIRST + 23 * DAY;
    var b = learned(values(COUNT, t -> (t < moved ? 10 : 30) + random.nextGaussian()));
    assertThat(b.expected(FIRST + 28 * DAY)).isCloseTo(30, within(1.0));
  }

  @Test
  void theDayIsThatOfTheZoneAlsoWhenItsClockIsSet() {
    var oslo = ZoneId.of("Europe/Oslo");
    LongToDoubleFunction morning =
        t -> Instant.ofEpochMilli(t).atZone(oslo).getHour() == 8 ? 100 : 0;
    // Summer time ends on 25 October 2026, within the values.
    var b = Baseline.learn(FIRST, STEP, values(COUNT, morning), oslo);
    long winter = Instant.parse("2026-11-03T07:30:00Z").toEpochMilli();
    assertThat(b.expected(winter)).isEqualTo(100);
    assertThat(b.expected(winter - HOUR)).isZero();
    assertThat(b.expected(winter + HOUR)).isZero();
  }

  @Test
  void tooFewDaysTeachNothing() {
    var two = values(2 * 96, BaselineTest::daily);
    assertThat(learned(two)).isNull();
    assertThat(learned(new double[0])).isNull();
    var none = new double[COUNT];
    Arrays.fill(none, Double.NaN);
    assertThat(learned(none)).isNull();
    none[5] = Double.POSITIVE_INFINITY;
    assertThat(learned(none)).isNull();
    assertThat(learned(values(4 * 96, BaselineTest::daily))).isNotNull();
  }

  @Test
  void aConstantHasAWidthAndCountsHaveOneOfHalf() {
    var constant = learned(values(COUNT, t -> 512));
    assertThat(constant.expected(FIRST)).isEqualTo(512);
    assertThat(constant.sigma(FIRST)).isEqualTo(2.56);
    var counts = learned(values(COUNT, t -> t == FIRST + 40 * STEP ? 1 : 0));
    assertThat(counts.expected(FIRST)).isZero();
    assertThat(counts.sigma(FIRST)).isEqualTo(0.5);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void aSelectedQuantileIsThatOfTheSorted(long seed) {
    var random = new Random(seed);
    for (int n = 1; n < 60; n++) {
      var values = random.doubles(n).map(v -> Math.floor(v * 12)).toArray();
      var sorted = values.clone();
      Arrays.sort(sorted);
      for (double q : new double[] {0, 0.1, 0.5, 0.9, 1}) {
        assertThat(Select.quantile(values.clone(), n, q)).isEqualTo(Quantiles.of(sorted, q));
      }
    }
  }
}
