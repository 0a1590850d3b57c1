package vintrel.core.unit;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class CountsTest {
  @Test
  void nounsFollowTheirCount() {
    assertThat(Counts.of(0, "sample")).isEqualTo("0 samples");
    assertThat(Counts.of(1, "sample")).isEqualTo("1 sample");
    assertThat(Counts.of(12_000, "series")).isEqualTo("12,000 series");
    assertThat(Counts.of(1, "series")).isEqualTo("1 series");
    assertThat(Counts.of(2, "entry")).isEqualTo("2 entries");
    assertThat(Counts.of(2, "day")).isEqualTo("2 days");
    assertThat(Counts.of(2, "match")).isEqualTo("2 matches");
    assertThat(Counts.of(2, "damaged chunk")).isEqualTo("2 damaged chunks");
  }
}
