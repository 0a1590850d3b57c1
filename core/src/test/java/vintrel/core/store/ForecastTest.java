package vintrel.core.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import org.junit.jupiter.api.Test;
import vintrel.core.store.Forecast.Usage;
import vintrel.core.unit.Spans;

class ForecastTest {
  private static final List<Usage> USAGES =
      List.of(new Usage("main", 0, 1000, 3000), new Usage("main", 1, 100, 500));

  private static Retention days(long raw, long minute) {
    return new Retention(
        raw * Spans.DAY, minute * Spans.DAY, minute * Spans.DAY, minute * Spans.DAY);
  }

  @Test
  void everyResolutionCountsForAsLongAsItIsKept() {
    assertThat(Forecast.bytes(USAGES, 1, s -> days(10, 30))).isEqualTo(3000 * 10 + 500 * 30);
  }

  @Test
  void aLongerIntervalSavesRawSamplesOnly() {
    assertThat(Forecast.bytes(USAGES, 2, s -> days(10, 30))).isEqualTo(1500 * 10 + 500 * 30);
    assertThatThrownBy(() -> Forecast.bytes(USAGES, 0, s -> days(10, 30)))
        .hasMessageContaining("interval");
  }

  @Test
  void retentionMustNotFallFromFineToCoarse() {
    assertThatThrownBy(() -> days(10, 5)).hasMessageContaining("at least as long");
    assertThatThrownBy(() -> days(1, 5)).hasMessageContaining("2 d");
    assertThat(Retention.of(30 * Spans.DAY).hour()).isEqualTo(36 * 30 * Spans.DAY);
    assertThat(Retention.of(3000 * Spans.DAY).hour()).isEqualTo(Retention.MOST);
  }
}
