package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import vintrel.core.series.Labels;

class OpenMetricsTextTest {
  private final RecordingIntake intake = new RecordingIntake();

  private void read(String page) {
    OpenMetricsText.read(page, Labels.of("job", "gates"), 5_000, intake);
  }

  @Test
  void readsKindsUnitsLabelsAndTimes() {
    read(
        """
        # TYPE scans counter
        # HELP scans Tickets that were held to a scanner.
        scans_total{gate="north-1",text="a \\"b\\" \\\\ c"} 17 1.5
        # TYPE heat_celsius gauge
        # UNIT heat_celsius celsius
        heat_celsius 21.5
        # EOF
        """);
    assertThat(intake.samples)
        .containsExactly(
            "scans_total{gate north-1, job gates, text a \"b\" \\ c} counter @1500 = 17.0",
            "heat_celsius{job gates} gauge Cel @5000 = 21.5");
    assertThat(intake.refusals).isEmpty();
  }

  @Test
  void histogramsAndSpecialValuesAreTaken() {
    read("# TYPE h histogram\nh_bucket{le=\"+Inf\"} 3\nh_sum 1e-3\nx +Inf\ny NaN\n# EOF");
    assertThat(intake.series).element(0).isEqualTo("h_bucket{job gates, le +Inf} histogram");
    assertThat(intake.samples).hasSize(4);
  }

  @Test
  void aBrokenLineIsRefusedWithItsNumberAndTheRestIsTaken() {
    read("a 1\nb{x=\"1} 2\nc\nd 4\n# EOF");
    assertThat(intake.samples).hasSize(2);
    assertThat(intake.refused).isEqualTo(2);
    assertThat(intake.refusals)
        .containsExactly("line 2: a quote is never closed", "line 3: '' is not a number");
  }

  @Test
  void aPageThatWasCutOffIsToldAndStillTaken() {
    read("a 1\n");
    assertThat(intake.samples).hasSize(1);
    assertThat(intake.refusals)
        .containsExactly("the page does not end with # EOF; it may be cut off");
  }
}
