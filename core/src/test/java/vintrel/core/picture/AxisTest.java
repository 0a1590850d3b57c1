package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;

import java.time.Duration;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;

class AxisTest {
  private static void small(double low, double high, int wanted) {
    var axis =
        assertTimeoutPreemptively(
            Duration.ofSeconds(5), () -> Axis.values(low, high, "t", wanted), low + " " + high);
    assertThat(axis.ticks()).as("%s %s", low, high).hasSizeLessThan(3 * wanted + 4);
    // Ends may lie a billionth of a step within.
    double little = 1e-300 + 1e-8 * Math.max(Math.abs(axis.min()), Math.abs(axis.max()));
    assertThat(axis.min()).isLessThanOrEqualTo(low + little);
    assertThat(axis.max()).isGreaterThanOrEqualTo(high - little);
    assertThat(axis.min()).isLessThan(axis.max());
  }

  /** Means of equal numbers differ in their last digits: steps must not be of that size. */
  @Test
  void valuesThatAreAlmostTheSameHaveFewTicks() {
    small(29.8, Math.nextUp(29.8), 4);
    small(-29.8, Math.nextUp(-29.8), 4);
    var random = new Random(7);
    for (int i = 0; i < 3_000; i++) {
      double low = (random.nextDouble() - 0.5) * Math.pow(10, random.nextInt(600) - 300);
      double apart = Math.abs(low) * Math.pow(10, -random.nextInt(20));
      small(low, low + apart, 2 + random.nextInt(12));
    }
  }

  /** Ticks of durations are round in the unit that is written. */
  @Test
  void durationsHaveRoundSteps() {
    var random = new Random(8);
    for (int i = 0; i < 5_000; i++) {
      double size = Math.pow(10, random.nextDouble() * 9 - 2);
      double low = random.nextBoolean() ? 0 : size * random.nextDouble();
      boolean millis = random.nextBoolean();
      var axis =
          Axis.values(
              millis ? low * 1000 : low, millis ? size * 1000 : size, millis ? "ms" : "s", 5);
      if (size - low < size / 50) {
        continue;
      }
      double written =
          (axis.ticks().get(1).at() - axis.ticks().get(0).at()) / axis.scale().divisor();
      boolean clock = axis.scale().suffix().equals(" min") || axis.scale().suffix().equals(" h");
      double digits = written / Math.pow(10, Math.floor(Math.log10(written) + 1e-9));
      boolean decimal =
          List.of(1.0, 2.0, 2.5, 5.0).stream().anyMatch(d -> Math.abs(d - digits) < 1e-6);
      boolean round =
          decimal
              || clock
                  && List.of(3.0, 4.0, 6.0, 12.0, 15.0, 24.0, 30.0, 48.0, 60.0)
                      .contains((double) Math.round(written));
      assertThat(round).as("%s to %s: %s", low, size, axis.ticks()).isTrue();
      assertThat(axis.ticks()).as("%s to %s", low, size).hasSizeBetween(2, 9);
    }
  }

  @Test
  void theLeastAndTheGreatestNumbersHaveFewTicks() {
    double[] ends = {
      -Double.MAX_VALUE,
      -1e300,
      -1,
      -1e-300,
      -Double.MIN_VALUE,
      0,
      Double.MIN_VALUE,
      1e-310,
      1,
      1e300,
      Double.MAX_VALUE
    };
    for (int i = 0; i < ends.length; i++) {
      for (int k = i; k < ends.length; k++) {
        small(ends[i], ends[k], 5);
      }
    }
    assertThat(Axis.values(7, 7, "", 5).ticks()).hasSizeGreaterThan(2);
    assertThat(Axis.values(0, 0, "", 5).max()).isEqualTo(1);
  }
}
