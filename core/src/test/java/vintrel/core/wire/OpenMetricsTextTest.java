package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
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
        .containsExactly("# EOF is missing at the end; the response may be truncated");
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

  @Test
  void summariesCountAndGaugeHistogramsDoNot() {
    read(
        """
        # TYPE s summary
        s{quantile="0.5"} 2
        s_count 4
        s_sum 9
        # TYPE q gaugehistogram
        q_bucket{le="+Inf"} 3
        q_gcount 3
        # EOF
        """);
    assertThat(intake.series)
        .containsExactly(
            "s{job gates, quantile 0.5} gauge",
            "s_count{job gates} counter",
            "s_sum{job gates} counter",
            "q_bucket{job gates, le +Inf} gauge",
            "q_gcount{job gates} gauge");
    assertThat(intake.refusals).isEmpty();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "m 1 T 3",
        "m 12f",
        "m 0x1p3",
        "9name 1",
        "m{a=\"1\",a=\"2\"} 1",
        "m 1 2 3",
        "# TYPE t gauge\n# TYPE t counter",
        "m"
      })
  void faultsAreFaults(String line) {
    read(line + "\nnext 1\n# EOF");
    assertThat(intake.refused).isEqualTo(1);
    assertThat(intake.samples).containsExactly("next{job gates} gauge @5000 = 1.0");
  }

  @Test
  void textAfterTheEndIsAFault() {
    read("a 1\n# EOF\nb 2\n");
    assertThat(intake.samples).hasSize(1);
    assertThat(intake.refusals).containsExactly("line 3: text after # EOF");
  }

  @Test
  void threeFaultsAreToldAndAllAreCounted() {
    read("a 1\n" + "b\n".repeat(7) + "# EOF");
    assertThat(intake.refused).isEqualTo(7);
    assertThat(intake.refusals).hasSize(4).element(3).isEqualTo("4 more lines with a fault");
  }

  @Test
  void numbersThatAreNoneAreLegalInAnyCase() {
    read("a inf\nb -INF\nc nan\nd +Infinity\n# EOF");
    assertThat(intake.samples).hasSize(4);
    assertThat(intake.refusals).isEmpty();
  }

  @Test
  void helpIsReadCharacterByCharacter() {
    read(
        "# HELP m C:\\\\new\\nline\n# HELP \"odd name\" x\n# HELP no nothing\nm_total 1\n"
            + "{\"odd name\"} 2\n# EOF");
    assertThat(intake.described)
        .containsExactlyInAnyOrderEntriesOf(
            java.util.Map.of("m_total", "C:\\new\nline", "odd name", "x"));
  }

  @Test
  void aPageWithoutSamplesIsComplete() {
    assertThat(OpenMetricsText.read("# EOF\n", Labels.NONE, 0, intake)).isTrue();
    assertThat(OpenMetricsText.read("a 1\n", Labels.NONE, 0, intake)).isFalse();
  }

  @Test
  void aLabelOfThePageIsKeptBesideTheJobs() {
    read("m{job=\"own\",\"x y\"=\"1\"} 1\nn{job=\"gates\"} 1\n# EOF");
    assertThat(intake.series)
        .containsExactly("m{job gates, page.job own, x y 1} gauge", "n{job gates} gauge");
  }
}
