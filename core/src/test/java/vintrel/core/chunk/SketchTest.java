package vintrel.core.chunk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.Arrays;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class SketchTest {
  private static double exact(double[] sorted, double q) {
    double rank = q * (sorted.length - 1);
    int low = (int) Math.floor(rank);
    int high = Math.min(low + 1, sorted.length - 1);
    return sorted[low] + (sorted[high] - sorted[low]) * (rank - low);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void aQuantileIsWithinItsErrorAlsoWhenMergedAndReadBack(long seed) {
    var random = new Random(seed);
    var values = new double[1 + random.nextInt(3000)];
    var parts = new Sketch[] {new Sketch(), new Sketch(), new Sketch()};
    for (int i = 0; i < values.length; i++) {
      values[i] = Math.exp(random.nextGaussian() * seed) * (seed % 2 == 0 ? 1 : -1);
      parts[i % 3].add(values[i]);
    }
    Arrays.sort(values);
    var all = new Sketch();
    for (var p : parts) {
      var bits = new Bits(100);
      p.write(bits);
      all.add(Sketch.read(Bits.reading(bits.bytes, 0, bits.at)));
    }
    assertThat(all.count()).isEqualTo(values.length);
    for (double q : new double[] {0, 0.01, 0.25, 0.5, 0.9, 0.95, 0.99, 1}) {
      double right = exact(values, q);
      assertThat(all.quantile(q)).isCloseTo(right, within(Math.abs(right) * Sketch.ERROR * 1.0001));
    }
  }

  @Test
  void zerosAndBothSignsAreInOrder() {
    var s = new Sketch();
    for (double v : new double[] {5, -5, 0, 0, 0, -1, 1}) {
      s.add(v);
    }
    assertThat(s.quantile(0)).isCloseTo(-5, within(0.05));
    assertThat(s.quantile(0.5)).isZero();
    assertThat(s.quantile(1)).isCloseTo(5, within(0.05));
    assertThat(new Sketch().quantile(0.5)).isNaN();
  }
}
