package vintrel.core.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** The models beside the slow, obvious way, on random values with gaps and spikes. */
class ModelTest {
  private static double[] random(long seed, int n) {
    var random = new Random(seed);
    var out = new double[n];
    for (int i = 0; i < n; i++) {
      out[i] = 50 + 20 * Math.sin(i * 0.2618) + random.nextGaussian();
      out[i] = random.nextInt(25) == 0 ? Double.NaN : out[i];
      out[i] = random.nextInt(40) == 0 ? 500 : out[i];
    }
    return out;
  }

  private static double median(List<Double> values) {
    var sorted = values.stream().filter(v -> !v.isNaN()).sorted().toList();
    int n = sorted.size();
    return n == 0
        ? Double.NaN
        : n % 2 == 1 ? sorted.get(n / 2) : (sorted.get(n / 2 - 1) + sorted.get(n / 2)) / 2;
  }

  private static double sigma(List<Double> values) {
    double m = median(values);
    return 1.4826 * median(values.stream().map(v -> Math.abs(v - m)).toList());
  }

  private static void same(double actual, double expected, String what) {
    if (Double.isNaN(expected)) {
      assertThat(actual).as(what).isNaN();
    } else {
      assertThat(actual).as(what).isCloseTo(expected, within(1e-9));
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void aBandIsTheMedianOfWhatWasComparable(long seed) {
    var values = random(seed, 300);
    for (int season : new int[] {0, 24}) {
      var bounds = Band.of(values, season, 3);
      for (int i = 0; i < values.length; i++) {
        var before = new ArrayList<Double>();
        for (int k = 0; k < i; k++) {
          int back = i - k;
          int phase = season == 0 ? 0 : Math.min(back % season, season - back % season);
          boolean comparable =
              season == 0
                  ? back <= 60
                  : phase <= 1 && (back + 1) / season >= 1 && back <= 7 * season + 1;
          if (comparable) {
            before.add(values[k]);
          }
        }
        boolean enough = before.stream().filter(v -> !v.isNaN()).count() >= 5;
        double expected = enough ? median(before) : Double.NaN;
        same(bounds.expected()[i], expected, "season %d, value %d".formatted(season, i));
        same(bounds.upper()[i], expected + 3 * (enough ? sigma(before) : Double.NaN), "upper");
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void aTrendIsTheMedianOfAllSlopes(long seed) {
    var random = new Random(seed);
    var values = new double[60];
    Arrays.setAll(values, i -> 3.5 * i + random.nextGaussian() * 4);
    values[7] = 9000;
    values[20] = Double.NaN;
    var slopes = new ArrayList<Double>();
    for (int a = 0; a < values.length; a++) {
      for (int b = a + 1; b < values.length; b++) {
        slopes.add((values[b] - values[a]) / (b - a));
      }
    }
    var trend = Trend.of(values, 0);
    assertThat(trend.slope()).isCloseTo(median(slopes), within(1e-9));
    assertThat(trend.at(100)).isCloseTo(350, within(25.0));
    assertThat(trend.low(100)).isLessThan(trend.at(100));
    assertThat(trend.high(100)).isGreaterThan(trend.at(100));
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void outliersLieFarFromTheMedianOfTheOthers(long seed) {
    var series = new double[6][];
    for (int s = 0; s < series.length; s++) {
      series[s] = random(seed * 10 + s, 80);
    }
    var kept = Outliers.of(series, 3.5);
    for (int i = 0; i < 80; i++) {
      int at = i;
      var now = Arrays.stream(series).map(s -> s[at]).toList();
      boolean crowd = now.stream().filter(v -> !v.isNaN()).count() >= 4;
      for (int s = 0; s < series.length; s++) {
        boolean out = crowd && Math.abs(series[s][i] - median(now)) > 3.5 * sigma(now);
        same(kept[s][i], out ? series[s][i] : Double.NaN, "series %d, value %d".formatted(s, i));
      }
    }
  }
}
