package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.io.StringReader;
import java.io.StringWriter;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
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
    CsvSamples.read(new StringReader(csv), intake, 0);
    assertAll(intake);
  }

  @Test
  void aFaultyRowIsRefusedWithItsNumberAndTheRestIsTaken() throws IOException {
    var intake = new RecordingIntake();
    CsvSamples.read(
        new StringReader(
            "time,metric,value,host\n1795000000000,m,1,a\nyesterdayish,m,2,a\n1795000000001,m,x,a\n"
                + "1795000000002,m\n1795000000003,m,4,a\n"),
        intake,
        0);
    assertThat(intake.samples).hasSize(2).allMatch(x -> x.startsWith("m{"));
    assertThat(intake.refusals).hasSize(3);
    assertThat(intake.refusals.get(0)).startsWith("row 3:");
    assertThat(intake.refusals.get(1)).contains("row 4", "'x'");
  }

  @Test
  void timesWithoutADateAreOfNowAndSecondsAreTold() throws IOException {
    var intake = new RecordingIntake();
    long now = 1_795_000_000_000L;
    var csv = "time,metric,value\n,a,1\nnow,b,1\n-6h,c,1\n1795000000,d,1\n1795000000.5,e,1\n";
    CsvSamples.read(new StringReader(csv), intake, now);
    assertThat(intake.samples)
        .containsExactly(
            "a{} gauge @1795000000000 = 1.0",
            "b{} gauge @1795000000000 = 1.0",
            "c{} gauge @1794978400000 = 1.0");
    assertThat(intake.refusals)
        .hasSize(2)
        .allMatch(r -> r.contains("write milliseconds, not seconds"));
  }

  @Test
  void aMissingColumnIsNamed() {
    assertThatThrownBy(
            () -> CsvSamples.read(new StringReader("a,b\n1,2\n"), new RecordingIntake(), 0))
        .isInstanceOf(WireException.class)
        .hasMessageContaining("metric");
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void whateverTheNamesAreTextComesBackAsItWent(long seed) throws IOException {
    var random = new Random(seed);
    for (int i = 0; i < 200; i++) {
      var labels = new TreeMap<String, String>();
      for (int k = random.nextInt(4); k > 0; k--) {
        labels.put(odd(random), odd(random));
      }
      var key = new SeriesKey(odd(random), Labels.of(labels));
      var kinds = MetricKind.values();
      var series = new Series(0, key, kinds[random.nextInt(kinds.length)], "");
      var text = new StringWriter();
      try (var writer = new OpenMetricsWriter(text)) {
        writer.write(series, Samples.of(new long[] {1500}, new double[] {i}));
      }
      var intake = new RecordingIntake();
      assertThat(OpenMetricsText.read(text.toString(), Labels.NONE, 0, intake)).isTrue();
      assertThat(intake.refusals).as(text.toString()).isEmpty();
      var name = (key.metric() + "{" + key.labels() + "} " + series.kind().text()).strip();
      assertThat(intake.samples).containsExactly(name + " @1500 = " + i + ".0");
    }
  }

  private static String odd(Random random) {
    var letters = "ab9_:.- \"\\{}=,#\nüλ日'";
    var out = new StringBuilder();
    for (int i = 1 + random.nextInt(6); i > 0; i--) {
      out.append(letters.charAt(random.nextInt(letters.length())));
    }
    return out.toString();
  }
}
