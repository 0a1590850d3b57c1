package vintrel.core.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import org.junit.jupiter.api.Test;
import vintrel.core.store.DiskForecast.Interval;
import vintrel.core.store.DiskForecast.Usage;
import vintrel.core.unit.Durations;

class ForecastTest {
  private static final List<Usage> USAGES =
      List.of(new Usage("main", 0, 1000, 3000), new Usage("main", 1, 100, 500));

  private static Retention days(long raw, long minute) {
    return new Retention(
        raw * Durations.DAY,
        minute * Durations.DAY,
        minute * Durations.DAY,
        minute * Durations.DAY);
  }

  @Test
  void everyResolutionCountsForAsLongAsItIsKept() {
    assertThat(DiskForecast.bytes(USAGES, Interval.AS_NOW, s -> days(10, 30)))
        .isEqualTo(3000 * 10 + 500 * 30);
  }

  @Test
  void aLongerIntervalSavesRawSamplesOnly() {
    assertThat(DiskForecast.bytes(USAGES, Interval.parse("2"), s -> days(10, 30)))
        .isEqualTo(1500 * 10 + 500 * 30);
  }

  @Test
  void anIntervalIsATimeOrAFactor() {
    // 1,000 samples a day are one every 86.4 s.
    assertThat(DiskForecast.bytes(USAGES, Interval.parse("864 ms"), s -> days(10, 30)))
        .isEqualTo(300_000 * 10 + 500 * 30);
    assertThat(DiskForecast.bytes(USAGES, Interval.parse("1m 26s 400ms"), s -> days(10, 30)))
        .isEqualTo(3000 * 10 + 500 * 30);
    assertThat(DiskForecast.bytes(USAGES, Interval.parse(" × 0.5 "), s -> days(10, 30)))
        .isEqualTo(6000 * 10 + 500 * 30);
    for (var none : List.of("0", "-1", "0 s", "NaN", "Infinity", "soon")) {
      assertThatThrownBy(() -> Interval.parse(none)).hasMessageContaining("interval must be");
    }
  }

  @Test
  void retentionMustNotFallFromFineToCoarse() {
    assertThatThrownBy(() -> days(10, 5)).hasMessageContaining("at least that of a finer one");
    assertThatThrownBy(() -> days(1, 5)).hasMessageContaining("2 d");
    assertThat(Retention.of(30 * Durations.DAY).hour()).isEqualTo(36 * 30 * Durations.DAY);
    assertThat(Retention.of(3000 * Durations.DAY).hour()).isEqualTo(Retention.MAX);
  }
}
