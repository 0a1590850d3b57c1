package vintrel.core.chunk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Random;
import java.util.function.IntToDoubleFunction;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ChunkCodecTest {
  private static final long T0 = 1_795_000_000_000L;

  private static void assertRoundTrip(Samples s) {
    var back = ChunkCodec.decode(ChunkCodec.encode(s));
    assertThat(back.count()).isEqualTo(s.count());
    for (int i = 0; i < s.count(); i++) {
      assertThat(back.times()[i]).isEqualTo(s.times()[i]);
      assertThat(Double.doubleToRawLongBits(back.values()[i]))
          .as("value %d of %d", i, s.count())
          .isEqualTo(Double.doubleToRawLongBits(s.values()[i]));
    }
  }

  private static Samples samples(int n, Random random, boolean jitter, IntToDoubleFunction value) {
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = T0 + i * 10_000L + (jitter ? random.nextInt(101) - 50 : 0);
      values[i] = value.applyAsDouble(i);
    }
    return Samples.of(times, values);
  }

  @ParameterizedTest
  @ValueSource(ints = {1, 2, 3, 127, 128, 129, 512, 1000})
  void everyLengthComesBackWhole(int n) {
    var random = new Random(n);
    assertRoundTrip(samples(n, random, true, i -> random.nextInt(1000) / 10.0));
    assertRoundTrip(samples(n, random, false, i -> random.nextGaussian()));
    assertRoundTrip(samples(n, random, false, i -> 42));
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20})
  void hostileBitsAndTimesComeBackWhole(long seed) {
    var random = new Random(seed);
    int n = 1 + random.nextInt(700);
    var times = new long[n];
    var values = new double[n];
    long t = random.nextLong() / 4;
    for (int i = 0; i < n; i++) {
      t += 1 + (random.nextInt(20) == 0 ? random.nextLong(1L << 40) : random.nextInt(5000));
      times[i] = t;
      values[i] =
          switch (random.nextInt(8)) {
            case 0 -> Double.longBitsToDouble(random.nextLong());
            case 1 -> -0.0;
            case 2 -> Double.NaN;
            case 3 -> Double.POSITIVE_INFINITY;
            case 4 -> Double.MIN_VALUE * random.nextInt(9);
            case 5 -> 1e300 * random.nextDouble();
            case 6 -> random.nextInt();
            default -> random.nextInt(1_000_000) / 1000.0;
          };
    }
    assertRoundTrip(Samples.of(times, values));
  }

  @Test
  void extremesOfTimeAndIntegersComeBackWhole() {
    assertRoundTrip(
        Samples.of(
            new long[] {Long.MIN_VALUE, -1, 0, Long.MAX_VALUE},
            new double[] {9007199254740992.0, -9007199254740992.0, 0, 9007199254740991.0}));
  }

  @Test
  void decimalsOfASensorTakeLessThanTwoAndAHalfBytesASample() {
    var random = new Random(7);
    double[] level = {50};
    var s =
        samples(
            512,
            random,
            true,
            i -> (level[0] = Math.round((level[0] + random.nextGaussian()) * 10) / 10.0));
    assertThat(ChunkCodec.encode(s).length / 512.0).isLessThan(2.5);
  }

  @Test
  void anEvenConstantTakesNextToNothing() {
    assertThat(ChunkCodec.encode(samples(512, new Random(1), false, i -> 3.25)))
        .hasSizeLessThan(60);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void anyDamagedByteIsNoticed(long seed) {
    var random = new Random(seed);
    var bytes = ChunkCodec.encode(samples(200, random, true, i -> random.nextDouble()));
    for (int i = 0; i < bytes.length; i++) {
      var damaged = bytes.clone();
      damaged[i] ^= (byte) (1 << random.nextInt(8));
      assertThatThrownBy(() -> ChunkCodec.decode(damaged))
          .isInstanceOf(DamagedChunkException.class);
    }
    for (int length = 0; length < bytes.length; length += 7) {
      var cut = java.util.Arrays.copyOf(bytes, length);
      assertThatThrownBy(() -> ChunkCodec.decode(cut)).isInstanceOf(DamagedChunkException.class);
    }
  }

  @Test
  void timesThatDoNotRiseAreRefused() {
    assertThatThrownBy(() -> ChunkCodec.encode(Samples.of(new long[] {5, 5}, new double[] {1, 2})))
        .hasMessageContaining("strictly increasing");
  }

  @Test
  void overlappingRunsMergeAndTheLaterRunWins() {
    var older = Samples.of(new long[] {10, 20, 30}, new double[] {1, 2, 3});
    var newer = Samples.of(new long[] {15, 20, 40}, new double[] {9, 8, 7});
    var merged = Merge.of(java.util.List.of(older, newer));
    assertThat(java.util.Arrays.copyOf(merged.times(), merged.count()))
        .containsExactly(10, 15, 20, 30, 40);
    assertThat(java.util.Arrays.copyOf(merged.values(), merged.count()))
        .containsExactly(1, 9, 8, 3, 7);
  }

  @org.junit.jupiter.params.ParameterizedTest
  @org.junit.jupiter.params.provider.ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void ticksThatAreMissingHereAndThereCostLittle(long seed) {
    var random = new Random(seed);
    int n = 512;
    var times = new long[n];
    var values = new double[n];
    long slot = 1_795_000_000L;
    for (int i = 0; i < n; i++) {
      slot += random.nextInt(100) == 0 ? 1 + random.nextInt(5) : 1;
      times[i] = slot * 10_000 + random.nextInt(101) - 50;
    }
    var bytes = ChunkCodec.encode(Samples.of(times, values));
    assertThat(ChunkCodec.decode(bytes).times()).containsExactly(times);
    assertThat(bytes.length / (double) n).as("bytes a time").isLessThan(1.2);
  }
}
