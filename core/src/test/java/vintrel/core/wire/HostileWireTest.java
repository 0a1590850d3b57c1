package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.metrics.v1.Gauge;
import io.opentelemetry.proto.metrics.v1.Histogram;
import io.opentelemetry.proto.metrics.v1.HistogramDataPoint;
import io.opentelemetry.proto.metrics.v1.Metric;
import io.opentelemetry.proto.metrics.v1.NumberDataPoint;
import io.opentelemetry.proto.metrics.v1.ResourceMetrics;
import io.opentelemetry.proto.metrics.v1.ScopeMetrics;
import io.opentelemetry.proto.metrics.v1.Summary;
import io.opentelemetry.proto.metrics.v1.SummaryDataPoint;
import io.opentelemetry.proto.resource.v1.Resource;
import java.io.IOException;
import java.io.StringReader;
import java.io.StringWriter;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;

/**
 * Bodies that are made to cost: they are refused with a reason, in no more time than they took to
 * send.
 */
@Timeout(30)
class HostileWireTest {
  private final RecordingIntake intake = new RecordingIntake();
  private final SeriesCache cache = new SeriesCache(1 << 20);

  private static KeyValue attribute(String name, String value) {
    return KeyValue.newBuilder()
        .setKey(name)
        .setValue(AnyValue.newBuilder().setStringValue(value))
        .build();
  }

  private void send(Resource resource, Metric... metrics) {
    var request =
        ExportMetricsServiceRequest.newBuilder()
            .addResourceMetrics(
                ResourceMetrics.newBuilder()
                    .setResource(resource)
                    .addScopeMetrics(ScopeMetrics.newBuilder().addAllMetrics(List.of(metrics))))
            .build();
    OtlpProtobuf.read(request.toByteArray(), cache, intake);
  }

  private static Metric gauge(String name, int points) {
    var gauge = Gauge.newBuilder();
    for (int i = 0; i < points; i++) {
      gauge.addDataPoints(
          NumberDataPoint.newBuilder()
              .setTimeUnixNano(1_000_000_000L)
              .setAsDouble(i)
              .addAttributes(attribute("n", "" + i)));
    }
    return Metric.newBuilder().setName(name).setGauge(gauge).build();
  }

  @Test
  void aResourceOfAMegabyteIsNotCopiedForEachPoint() {
    var large = Resource.newBuilder().addAttributes(attribute("a", "x".repeat(1_000_000))).build();
    send(large, gauge("deck.load", 50_000));
    assertThat(intake.refused).isEqualTo(50_000);
    assertThat(intake.refusals).allMatch(r -> r.contains("resource or scope"));
    send(large, IntStream.range(0, 5_000).mapToObj(i -> gauge("m" + i, 1)).toArray(Metric[]::new));
    assertThat(intake.refused).isEqualTo(55_000);
    send(Resource.getDefaultInstance(), gauge("deck.load", 2));
    assertThat(intake.samples).hasSize(2);
  }

  @Test
  void theSameAsJson() {
    var point = Map.of("timeUnixNano", "1000000000", "asDouble", 1.0);
    var metric =
        Map.of(
            "name",
            "deck.load",
            "gauge",
            Map.of("dataPoints", java.util.Collections.nCopies(50_000, point)));
    var resource =
        Map.of(
            "attributes",
            List.of(Map.of("key", "a", "value", Map.of("stringValue", "x".repeat(1_000_000)))));
    OtlpJson.read(
        Map.of(
            "resourceMetrics",
            List.of(
                Map.of(
                    "resource",
                    resource,
                    "scopeMetrics",
                    List.of(Map.of("metrics", List.of(metric)))))),
        intake);
    assertThat(intake.refused).isEqualTo(50_000);
    assertThat(intake.samples).isEmpty();
  }

  @Test
  void theCacheOfSeriesIsBoundedByBytes() {
    var small = new SeriesCache(100_000);
    for (int i = 0; i < 5_000; i++) {
      var request =
          ExportMetricsServiceRequest.newBuilder()
              .addResourceMetrics(
                  ResourceMetrics.newBuilder()
                      .addScopeMetrics(
                          ScopeMetrics.newBuilder()
                              .addMetrics(gauge("m" + i + "x".repeat(i % 400), 3))))
              .build();
      OtlpProtobuf.read(request.toByteArray(), small.of(i % 7), intake);
      assertThat(small.bytes()).isLessThanOrEqualTo(101_000);
    }
    assertThat(intake.samples).hasSize(15_000);
  }

  /** Equal bytes of two stores are two series. */
  @Test
  void theCacheKeepsStoresApart() {
    var request =
        ExportMetricsServiceRequest.newBuilder()
            .addResourceMetrics(
                ResourceMetrics.newBuilder()
                    .addScopeMetrics(ScopeMetrics.newBuilder().addMetrics(gauge("m", 1))))
            .build()
            .toByteArray();
    OtlpProtobuf.read(request, cache.of(1), intake);
    var other = new RecordingIntake();
    OtlpProtobuf.read(request, cache.of(2), other);
    assertThat(other.series).as("asked for, not taken from the first").hasSize(1);
  }

  @Test
  void timesOfMillionsOfDigitsAndHugeExponentsAreNoTimes() {
    for (var bad :
        new Object[] {"9".repeat(2_000_000), "1e999999999", "1e-999999999", 1e300, "-"}) {
      assertThatThrownBy(() -> OtlpJson.nanos(bad))
          .isInstanceOf(WireException.class)
          .satisfies(e -> assertThat(e.getMessage().length()).isLessThan(200));
    }
    assertThat(OtlpJson.nanos("1721900000123456789")).isEqualTo(1721900000123456789L);
    assertThat(OtlpJson.nanos(java.math.BigInteger.valueOf(7))).isEqualTo(7);
  }

  @Test
  void histogramsAndSummariesWithoutEndAreRefused() {
    var point = HistogramDataPoint.newBuilder().setTimeUnixNano(1_000_000).setCount(1);
    for (int i = 0; i < 200_000; i++) {
      point.addBucketCounts(1);
      point.addExplicitBounds(i);
    }
    point.addBucketCounts(1);
    send(
        Resource.getDefaultInstance(),
        Metric.newBuilder()
            .setName("h")
            .setHistogram(Histogram.newBuilder().addDataPoints(point))
            .build());
    var summary = SummaryDataPoint.newBuilder().setTimeUnixNano(1_000_000);
    for (int i = 0; i < 400_000; i++) {
      summary.addQuantileValues(SummaryDataPoint.ValueAtQuantile.newBuilder().setQuantile(0.5));
    }
    send(
        Resource.getDefaultInstance(),
        Metric.newBuilder()
            .setName("s")
            .setSummary(Summary.newBuilder().addDataPoints(summary))
            .build());
    assertThat(intake.refused).isEqualTo(2);
    assertThat(intake.refusals.toString()).contains("2000 buckets", "200 quantiles");
    assertThat(intake.samples).isEmpty();
  }

  /** Whatever is changed in a valid message, it is read or refused; nothing else is thrown. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void changedBytesAreReadOrRefused(long seed) {
    var random = new Random(seed);
    var valid =
        ExportMetricsServiceRequest.newBuilder()
            .addResourceMetrics(
                ResourceMetrics.newBuilder()
                    .setResource(Resource.newBuilder().addAttributes(attribute("host", "nq-1")))
                    .addScopeMetrics(
                        ScopeMetrics.newBuilder()
                            .addMetrics(gauge("a", 3))
                            .addMetrics(
                                Metric.newBuilder()
                                    .setNameBytes(ByteString.copyFromUtf8("b"))
                                    .setSummary(
                                        Summary.newBuilder()
                                            .addDataPoints(
                                                SummaryDataPoint.newBuilder()
                                                    .setTimeUnixNano(1_000_000)
                                                    .setCount(2))))))
            .build()
            .toByteArray();
    for (int i = 0; i < 3_000; i++) {
      var bytes =
          java.util.Arrays.copyOf(
              valid, random.nextInt(4) == 0 ? random.nextInt(valid.length) : valid.length);
      for (int n = random.nextInt(4); n > 0 && bytes.length > 0; n--) {
        bytes[random.nextInt(bytes.length)] = (byte) random.nextInt(256);
      }
      try {
        OtlpProtobuf.read(bytes, new SeriesCache(1 << 16), new RecordingIntake());
        OtlpLogs.protobuf(bytes, ResourceRules.ALL);
      } catch (WireException e) {
        assertThat(e.getMessage()).isNotBlank();
      }
    }
  }

  @Test
  void aSpreadsheetShowsTextsAndTheyComeBackAsTheyWere() throws IOException {
    assertThat(CsvText.written("=HYPERLINK(\"x\")")).isEqualTo("'=HYPERLINK(\"x\")");
    for (var number : new String[] {"-5", "+1.5e3", "-.5", "12"}) {
      assertThat(CsvText.written(number)).isEqualTo(number);
    }
    var random = new Random(7);
    var signs = "'=+-@\t\r1.5ea,\"\n ";
    for (int i = 0; i < 20_000; i++) {
      var text = new StringBuilder();
      for (int n = random.nextInt(7); n > 0; n--) {
        text.append(signs.charAt(random.nextInt(signs.length())));
      }
      var written = CsvText.written(text.toString());
      assertThat(CsvText.read(written)).isEqualTo(text.toString());
      assertThat(written.matches("(?s)[=+\\-@\t\r].*") && !written.matches("[+-][\\d.e+-]+"))
          .as(written)
          .isFalse();
    }
    var labels = Labels.of("=cmd", "@x", "b", "'-y");
    var out = new StringWriter();
    var series = new Series(0, new SeriesKey("+m", labels), MetricKind.GAUGE, "=u");
    try (var writer = CsvSamples.writer(out, new LinkedHashSet<>(labels.names()))) {
      writer.write(series, Samples.of(new long[] {1_700_000_000_000L}, new double[] {-5}));
    }
    assertThat(out.toString()).contains("'=cmd", "'@x", "''-y", "'+m", "'=u", ",-5.0");
    CsvSamples.read(new StringReader(out.toString()), intake, 0);
    assertThat(intake.samples).containsExactly("+m{=cmd @x, b '-y} gauge =u @1700000000000 = -5.0");
  }

  @Test
  void csvWithoutAnEndOrWithStrayQuotesIsRefused() {
    var head = "metric,time,value\n";
    for (var bad :
        new String[] {
          head + "\"" + "x".repeat(3_000_000),
          head + "\"a\"b,1,2\n",
          head + "\"a" + "\n".repeat(2_000_000)
        }) {
      assertThatThrownBy(() -> CsvSamples.read(new StringReader(bad), intake, 0))
          .isInstanceOf(WireException.class);
    }
    assertThatThrownBy(() -> new BoundedReader(new StringReader("x".repeat(2_000_000))).line())
        .isInstanceOf(WireException.class);
  }
}
