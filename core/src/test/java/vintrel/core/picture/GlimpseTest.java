package vintrel.core.picture;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;

class GlimpseTest {
  private static Samples samples(long first, long step, double... values) {
    var times = new long[values.length];
    for (int i = 0; i < times.length; i++) {
      times[i] = first + i * step;
    }
    return Samples.of(times, values);
  }

  @Test
  void aSpikeOfOneSampleIsSeenHoweverManySharesItsColumn() {
    var values = new double[10_000];
    values[7_777] = 50;
    var g = Glimpse.of(List.of(samples(0, 10, values)), 0, 100_000, 20);
    assertThat(g.series()).hasSize(1);
    assertThat(g.series().getFirst().high()[15]).isEqualTo(Glimpse.TALL);
    assertThat(g.series().getFirst().low()).containsOnly(0);
    assertThat(g.series().getFirst().high()).satisfies(h -> assertThat(h[14]).isZero());
  }

  @Test
  void allSeriesShareOneScaleAndGapsStayGaps() {
    var g =
        Glimpse.of(
            List.of(
                samples(0, 100, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0),
                samples(500, 100, 10, 5),
                samples(5000, 1, 99)),
            0,
            1000,
            5);
    assertThat(g.series()).as("what has no sample in the range is left out").hasSize(2);
    assertThat(g.series().get(1).low()).containsExactly(-1, -1, 100, 50, -1);
    assertThat(g.series().getFirst().low()).containsOnly(0);
  }

  @Test
  void noColumnOfAnUnbrokenSeriesIsEmpty() {
    for (int n = 2; n < 300; n++) {
      var g = Glimpse.of(List.of(samples(13, 1000, new double[n])), 0, n * 1000L, 96);
      assertThat(g.series().getFirst().low()).as("%d samples", n).doesNotContain(Glimpse.NONE);
    }
  }

  @Test
  void whatDoesNotMoveLiesInTheMiddle() {
    var g = Glimpse.of(List.of(samples(0, 1, 7, 7, 7)), 0, 3, 3);
    assertThat(g.series().getFirst().high()).containsOnly(Glimpse.TALL / 2);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void everyColumnHoldsTheExtremesOfItsOwnSamples(long seed) {
    var random = new Random(seed);
    int columns = 1 + random.nextInt(60);
    var values = random.doubles(random.nextInt(1, 400), -1e300, 1e300).toArray();
    if (values.length > 3) {
      values[1] = Double.NaN;
      values[2] = Double.POSITIVE_INFINITY;
    }
    var s = samples(1_000, 7, values);
    long to = 1_000 + 7L * values.length;
    var g = Glimpse.of(List.of(s), 1_000, to, columns);
    columns = g.columns();
    var strand = g.series().getFirst();
    for (int c = 0; c < columns; c++) {
      int low = Glimpse.NONE;
      int high = Glimpse.NONE;
      double min = Double.POSITIVE_INFINITY;
      double greatest = Double.NEGATIVE_INFINITY;
      for (int i = 0; i < values.length; i++) {
        if (Double.isFinite(values[i]) && (long) i * 7 * columns / (to - 1_000) == c) {
          min = Math.min(min, values[i]);
          greatest = Math.max(greatest, values[i]);
        }
      }
      if (min <= greatest) {
        double bottom = finite(values, true);
        double top = finite(values, false);
        low = part(min, bottom, top);
        high = part(greatest, bottom, top);
      }
      assertThat(strand.low()[c]).as("low of %d, seed %d", c, seed).isEqualTo(low);
      assertThat(strand.high()[c]).as("high of %d, seed %d", c, seed).isEqualTo(high);
    }
  }

  private static double finite(double[] values, boolean min) {
    var finite = java.util.Arrays.stream(values).filter(Double::isFinite);
    return min ? finite.min().orElseThrow() : finite.max().orElseThrow();
  }

  private static int part(double v, double bottom, double top) {
    return top > bottom
        ? (int) Math.round((v / 2 - bottom / 2) / (top / 2 - bottom / 2) * 100)
        : 50;
  }
}
