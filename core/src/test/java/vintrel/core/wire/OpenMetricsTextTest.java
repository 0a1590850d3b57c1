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

  @Test
  void totalsGoOnWithTheTimeOfTheirCreationWhereverItStands() {
    read(
        """
        # TYPE scans counter
        scans_total{gate="a"} 17
        scans_total{gate="b"} 3
        scans_created{gate="a"} 1.5
        # TYPE h histogram
        h_created 2
        h_bucket{le="+Inf"} 4
        h_count 4
        # TYPE level gauge
        level_created 3
        level 8
        # EOF
        """);
    assertThat(intake.samples)
        .containsExactly(
            "scans_created{gate a, job gates} gauge @5000 = 1.5",
            "scans_total{gate a, job gates} counter since 1500 at 5000",
            "scans_total{gate a, job gates} counter @5000 = 17.0",
            "scans_total{gate b, job gates} counter @5000 = 3.0",
            "h_created{job gates} gauge @5000 = 2.0",
            "h_bucket{job gates, le +Inf} histogram since 2000 at 5000",
            "h_bucket{job gates, le +Inf} histogram @5000 = 4.0",
            "h_count{job gates} histogram since 2000 at 5000",
            "h_count{job gates} histogram @5000 = 4.0",
            "level_created{job gates} gauge @5000 = 3.0",
            "level{job gates} gauge @5000 = 8.0");
  }
}
