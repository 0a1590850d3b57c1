package vintrel.core.chunk;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.util.Arrays;
import java.util.EnumSet;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Summaries.Need;

class SummariesTest {
  private static final long MINUTE = 60_000;

  private static Samples random(long seed, boolean counter) {
    var random = new Random(seed);
    int n = 1 + random.nextInt(2000);
    var times = new long[n];
    var values = new double[n];
    long time = random.nextInt();
    double total = 0;
    for (int i = 0; i < n; i++) {
      time += 1 + random.nextInt(random.nextInt(50) == 0 ? 2_000_000 : 20_000);
      times[i] = time;
      total = random.nextInt(100) == 0 ? 0 : total + random.nextInt(1000);
      values[i] = counter ? total : random.nextGaussian();
    }
    return Samples.of(times, values);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void encodedAndDecodedAllColumnsAreTheSame(long seed) {
    for (boolean counter : new boolean[] {false, true}) {
      var s = Summaries.of(random(seed, counter), MINUTE, counter, 5 * MINUTE);
      var again = SummaryCodec.decode(SummaryCodec.encode(s, MINUTE));
      assertThat(again.times).containsExactly(Arrays.copyOf(s.times, s.count));
      assertThat(again.counts).containsExactly(Arrays.copyOf(s.counts, s.count));
      assertThat(again.first).containsExactly(Arrays.copyOf(s.first, s.count));
      assertThat(again.last).containsExactly(Arrays.copyOf(s.last, s.count));
      if (counter) {
        assertThat(again.firstAt).containsExactly(Arrays.copyOf(s.firstAt, s.count));
        assertThat(again.lastAt).containsExactly(Arrays.copyOf(s.lastAt, s.count));
        assertThat(again.covered).containsExactly(Arrays.copyOf(s.covered, s.count));
        assertThat(again.growth).containsExactly(Arrays.copyOf(s.growth, s.count), within(1e-6));
        assertThat(again.lump).containsExactly(Arrays.copyOf(s.lump, s.count));
      } else {
        assertThat(again.sum).containsExactly(Arrays.copyOf(s.sum, s.count));
        assertThat(again.min).containsExactly(Arrays.copyOf(s.min, s.count));
        assertThat(again.max).containsExactly(Arrays.copyOf(s.max, s.count));
      }
    }
  }

  @Test
  void onlyTheColumnsThatAreNeededAreRead() {
    var s = Summaries.of(random(1, false), MINUTE, false, 5 * MINUTE);
    var read = SummaryCodec.decode(SummaryCodec.encode(s, MINUTE), EnumSet.of(Need.ENDS));
    assertThat(read.sum).isNull();
    assertThat(read.min).isNull();
    assertThat(read.last).containsExactly(Arrays.copyOf(s.last, s.count));
  }

  @Test
  void aBitThatTurnsIsFound() {
    var bytes =
        SummaryCodec.encode(Summaries.of(random(2, true), MINUTE, true, 5 * MINUTE), MINUTE);
    for (int i = 0; i < bytes.length; i += 7) {
      bytes[i] ^= 4;
      assertThatThrownBy(() -> SummaryCodec.decode(bytes))
          .isInstanceOf(DamagedChunkException.class);
      bytes[i] ^= 4;
    }
  }

  @Test
  void sumsOfDecimalsAreDecimals() {
    var s =
        Summaries.of(
            Samples.of(new long[] {0, 1, 2}, new double[] {0.1, 0.2, 0.3}), MINUTE, false, MINUTE);
    assertThat(s.sum[0]).isEqualTo(0.6);
  }

  @Test
  void aPartIsCutByBucketsAndPartsAreJoinedInOrder() {
    var s = Summaries.of(random(3, false), MINUTE, false, 5 * MINUTE);
    long middle = s.times[s.count / 2];
    var joined =
        Summaries.join(List.of(s.slice(Long.MIN_VALUE, middle), s.slice(middle, Long.MAX_VALUE)));
    assertThat(joined.times).containsExactly(Arrays.copyOf(s.times, s.count));
    assertThat(joined.max).containsExactly(Arrays.copyOf(s.max, s.count));
    assertThat(s.slice(middle, middle).count).isZero();
  }
}
