package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.io.StringReader;
import java.io.StringWriter;
import java.util.LinkedHashSet;
import java.util.List;
import org.junit.jupiter.api.Test;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;

class ExchangeTest {
  private static final Samples SAMPLES =
      Samples.of(
          new long[] {1_795_000_000_123L, 1_795_000_010_000L, 1_795_000_020_000L},
          new double[] {0.1, Double.POSITIVE_INFINITY, -17});

  private static final List<Series> SERIES =
      List.of(
          new Series(
              0, key("scan.attempts", "gate", "a \"quoted\", one"), MetricKind.COUNTER, "By"),
          new Series(1, key("scan.attempts", "site", "x\\y"), MetricKind.COUNTER, "By"),
          new Series(2, new SeriesKey("plain", Labels.NONE), MetricKind.STATE, ""));

  private static SeriesKey key(String metric, String... labels) {
    return new SeriesKey(metric, Labels.of(labels));
  }

  private static String write(SampleWriter writer, StringWriter text) throws IOException {
    try (writer) {
      for (var s : SERIES) {
        writer.write(s, SAMPLES);
      }
    }
    return text.toString();
  }

  private static void assertAll(RecordingIntake intake) {
    assertThat(intake.refusals).isEmpty();
    for (var s : SERIES) {
      var name = (s.metric() + "{" + s.labels() + "} " + s.kind().text() + " " + s.unit()).strip();
      assertThat(intake.samples)
          .contains(
              name + " @1795000000123 = 0.1",
              name + " @1795000010000 = Infinity",
              name + " @1795000020000 = -17.0");
    }
    assertThat(intake.samples).hasSize(9);
  }

  @Test
  void openMetricsTextGoesOutAndComesBack() throws IOException {
    var text = new StringWriter();
    var page = write(new OpenMetricsWriter(text), text);
    var intake = new RecordingIntake();
    OpenMetricsText.read(page, Labels.NONE, 0, intake);
    assertAll(intake);
  }

  @Test
  void csvGoesOutAndComesBack() throws IOException {
    var text = new StringWriter();
    var labels = new LinkedHashSet<>(List.of("gate", "site"));
    var csv = write(CsvSamples.writer(text, labels), text);
    assertThat(csv.lines().findFirst()).contains("metric,kind,unit,time,value,gate,site");
    var intake = new RecordingIntake();
    CsvSamples.read(new StringReader(csv), intake);
    assertAll(intake);
  }

  @Test
  void aFaultyRowIsRefusedWithItsNumberAndTheRestIsTaken() throws IOException {
    var intake = new RecordingIntake();
    CsvSamples.read(
        new StringReader(
            "time,metric,value,host\n1795000000000,m,1,a\nyesterdayish,m,2,a\n1795000000001,m,x,a\n"
                + "1795000000002,m\n1795000000003,m,4,a\n"),
        intake);
    assertThat(intake.samples).hasSize(2).allMatch(x -> x.startsWith("m{"));
    assertThat(intake.refusals).hasSize(3);
    assertThat(intake.refusals.get(0)).startsWith("row 3:");
    assertThat(intake.refusals.get(1)).contains("row 4", "'x'");
  }

  @Test
  void aMissingColumnIsNamed() {
    assertThatThrownBy(() -> CsvSamples.read(new StringReader("a,b\n1,2\n"), new RecordingIntake()))
        .isInstanceOf(WireException.class)
        .hasMessageContaining("metric");
  }
}
