package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceRequest;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceResponse;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.InstrumentationScope;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.metrics.v1.AggregationTemporality;
import io.opentelemetry.proto.metrics.v1.Exemplar;
import io.opentelemetry.proto.metrics.v1.ExponentialHistogram;
import io.opentelemetry.proto.metrics.v1.ExponentialHistogramDataPoint;
import io.opentelemetry.proto.metrics.v1.Gauge;
import io.opentelemetry.proto.metrics.v1.Histogram;
import io.opentelemetry.proto.metrics.v1.HistogramDataPoint;
import io.opentelemetry.proto.metrics.v1.Metric;
import io.opentelemetry.proto.metrics.v1.NumberDataPoint;
import io.opentelemetry.proto.metrics.v1.ResourceMetrics;
import io.opentelemetry.proto.metrics.v1.ScopeMetrics;
import io.opentelemetry.proto.metrics.v1.Sum;
import io.opentelemetry.proto.metrics.v1.Summary;
import io.opentelemetry.proto.metrics.v1.SummaryDataPoint;
import io.opentelemetry.proto.resource.v1.Resource;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.List;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.Pages;
import vintrel.server.RunningServer;

class OtlpEndpointTest {
  private static final String PROTOBUF = "application/x-protobuf";
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static KeyValue attribute(String name, String value) {
    return KeyValue.newBuilder()
        .setKey(name)
        .setValue(AnyValue.newBuilder().setStringValue(value))
        .build();
  }

  private static NumberDataPoint.Builder point(long millis, double value) {
    return NumberDataPoint.newBuilder()
        .setTimeUnixNano(millis * 1_000_000)
        .setAsDouble(value)
        .addAttributes(attribute("route", "/book"));
  }

  @Test
  void rulesKeepAttributesOfResourcesAsideWhereTheyAreFound() {
    var rules =
        "kind: resources\n"
            + "name: default\n"
            + "rules:\n"
            + "- label process.runtime\n"
            + "- aside process.*, host.name\n";
    server.post("/api/v1/definitions", "application/yaml", rules);
    try {
      long now = System.currentTimeMillis() - 10_000;
      for (var pid : List.of("17", "17", "4711")) {
        now += 1000;
        var resource =
            Resource.newBuilder()
                .addAttributes(attribute("service.name", "mooring"))
                .addAttributes(attribute("host.name", "nq-app-1"))
                .addAttributes(attribute("process.pid", pid))
                .addAttributes(attribute("process.runtime", "jvm"));
        var metric =
            Metric.newBuilder()
                .setName("mooring.lines")
                .setGauge(Gauge.newBuilder().addDataPoints(point(now, 4)));
        var request =
            ExportMetricsServiceRequest.newBuilder()
                .addResourceMetrics(
                    ResourceMetrics.newBuilder()
                        .setResource(resource)
                        .addScopeMetrics(ScopeMetrics.newBuilder().addMetrics(metric)))
                .build();
        server.send(
            server
                .to("/v1/metrics")
                .header("Content-Type", PROTOBUF)
                .POST(HttpRequest.BodyPublishers.ofByteArray(request.toByteArray())));
      }
      var json =
          "{\"resourceMetrics\":[{\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":{\"stringValue\":\"mooring\"}},"
              + "{\"key\":\"process.runtime\",\"value\":{\"stringValue\":\"jvm\"}},{\"key\":\"process.pid\",\"value\":{\"intValue\":\"5\"}}]},"
              + "\"scopeMetrics\":[{\"metrics\":[{\"name\":\"mooring.lines\",\"gauge\":{\"dataPoints\":[{\"timeUnixNano\":\"%d000000\",\"asDouble\":6,"
              + "\"attributes\":[{\"key\":\"route\",\"value\":{\"stringValue\":\"/book\"}}]}]}}]}]}]}";
      server.post("/v1/metrics", "application/json", json.formatted(now + 1000));
      // One series, whatever was kept aside, by both encodings.
      var found = server.found("mooring.lines then count every 1h", "-1h", "now");
      assertThat(found).contains("4.0").contains("\"process.runtime\":\"jvm\"");
      assertThat(found).doesNotContain("process.pid").doesNotContain("nq-app-1");
      assertThat(server.send(server.to("/api/v1/resources?q=mooring%205").GET()).body())
          .contains("\"process.pid\":\"5\"");
      assertThat(server.send(server.to("/api/v1/resources?q=mooring%204711").GET()).body())
          .contains("\"found\":0");
      var logs =
          "{\"resourceLogs\":[{\"resource\":{\"attributes\":[{\"key\":\"process.pid\",\"value\":{\"intValue\":\"5\"}}]},\"scopeLogs\":[{\"logRecords\":[{\"timeUnixNano\":\"%d000000\",\"body\":{\"stringValue\":\"line"
              + " parted\"}}]}]}]}";
      server.post("/v1/logs", "application/json", logs.formatted(now));
      assertThat(
              server
                  .query("events where process.pid = '5' then count every 1h", "-1h", "now")
                  .body())
          .contains("1.0");
      assertThat(server.found("events then count by process.pid every 1h", "-1h", "now"))
          .doesNotContain("\"process.pid\":\"5\"");
    } finally {
      server.send(server.to("/api/v1/definitions/resources/default").DELETE());
    }
  }

  private static ExportMetricsServiceRequest request(Metric... metrics) {
    return ExportMetricsServiceRequest.newBuilder()
        .addResourceMetrics(
            ResourceMetrics.newBuilder()
                // Scope before resource: field order is free in protocol buffers.
                .addScopeMetrics(ScopeMetrics.newBuilder().addAllMetrics(List.of(metrics)))
                .setResource(
                    Resource.newBuilder().addAttributes(attribute("service.name", "booking"))))
        .build();
  }

  private static Metric counter(String name, NumberDataPoint.Builder... points) {
    var sum =
        Sum.newBuilder()
            .setIsMonotonic(true)
            .setAggregationTemporality(AggregationTemporality.AGGREGATION_TEMPORALITY_CUMULATIVE);
    for (var p : points) {
      sum.addDataPoints(p);
    }
    return Metric.newBuilder().setName(name).setUnit("{request}").setSum(sum).build();
  }

  private static HttpResponse<byte[]> send(byte[] body, String type, String encoding) {
    var request =
        server
            .to("/v1/metrics")
            .header("Content-Type", type)
            .POST(HttpRequest.BodyPublishers.ofByteArray(body));
    if (encoding != null) {
      request.header("Content-Encoding", encoding);
    }
    return server.send(request, HttpResponse.BodyHandlers.ofByteArray());
  }

  private static byte[] gzip(byte[] bytes) throws IOException {
    var out = new ByteArrayOutputStream();
    try (var zip = new GZIPOutputStream(out)) {
      zip.write(bytes);
    }
    return out.toByteArray();
  }

  @Test
  void countersArriveByProtobufPlainAndGzipped() throws IOException {
    long now = System.currentTimeMillis();
    var answer =
        send(
            request(counter("web.requests", point(now - 20_000, 10), point(now - 10_000, 30)))
                .toByteArray(),
            PROTOBUF,
            null);
    assertThat(answer.statusCode()).isEqualTo(200);
    assertThat(ExportMetricsServiceResponse.parseFrom(answer.body()).hasPartialSuccess()).isFalse();
    assertThat(
            send(
                    gzip(request(counter("web.requests", point(now - 5_000, 40))).toByteArray()),
                    PROTOBUF,
                    "gzip")
                .statusCode())
        .isEqualTo(200);
    assertThat(
            server
                .query("web.requests then increase every 1h then sum over 2h", "-1h", "now")
                .body())
        .contains("\"labels\":{\"route\":\"/book\",\"service\":\"booking\"}");
    assertThat(server.found("web.requests then last every 1h", "-1h", "now")).contains("40.0");
  }

  @Test
  void aRestartIsCountedThoughTheValueDidNotFallAndTheFirstGrowthIsNotLost() {
    long now = System.currentTimeMillis() / 1000 * 1000;
    long first = (now - 300_000) * 1_000_000;
    long again = (now - 150_000) * 1_000_000;
    send(
        request(
                counter(
                    "web.restarted",
                    point(now - 270_000, 30).setStartTimeUnixNano(first),
                    point(now - 180_000, 100).setStartTimeUnixNano(first)))
            .toByteArray(),
        PROTOBUF,
        null);
    send(
        request(counter("web.restarted", point(now - 120_000, 140).setStartTimeUnixNano(again)))
            .toByteArray(),
        PROTOBUF,
        null);
    send(
        request(counter("web.restarted", point(now - 60_000, 150).setStartTimeUnixNano(again)))
            .toByteArray(),
        PROTOBUF,
        null);
    assertThat(
            server
                .query(
                    "web.restarted then increase every 1d then sum over 2d then sum", "-1h", "now")
                .body())
        .as("100 before the restart, 150 after it")
        .contains("250.0");
  }

  @Test
  void histogramsArriveAsBuckets() throws IOException {
    var histogram =
        Histogram.newBuilder()
            .setAggregationTemporality(AggregationTemporality.AGGREGATION_TEMPORALITY_CUMULATIVE)
            .addDataPoints(
                HistogramDataPoint.newBuilder()
                    .setTimeUnixNano(System.currentTimeMillis() * 1_000_000)
                    .setCount(6)
                    .setSum(4.5)
                    .addAllBucketCounts(List.of(1L, 2L, 3L))
                    .addAllExplicitBounds(List.of(0.5, 1.0)));
    var metric =
        Metric.newBuilder().setName("web.latency").setUnit("s").setHistogram(histogram).build();
    assertThat(send(request(metric).toByteArray(), PROTOBUF, null).statusCode()).isEqualTo(200);
    var series = server.send(server.to("/api/v1/series?match=web.latency.bucket")).body();
    assertThat(series).contains("\"le\":\"0.5\"", "\"le\":\"1\"", "\"le\":\"+Inf\"");
    assertThat(
            server
                .query("web.latency.bucket where le = '1' then last every 1h", "-1h", "now")
                .body())
        .contains("3.0");
  }

  @Test
  void whatIsFaultyIsCountedAndItsNeighboursAreKept() throws IOException {
    long now = System.currentTimeMillis();
    var answer =
        send(
            request(
                    counter("good.one", point(now, 1), point(0, 2)),
                    counter("", point(now, 3)),
                    counter("good.future", point(now + 3_600_000, 1)))
                .toByteArray(),
            PROTOBUF,
            null);
    assertThat(answer.statusCode()).isEqualTo(200);
    var partial = ExportMetricsServiceResponse.parseFrom(answer.body()).getPartialSuccess();
    assertThat(partial.getRejectedDataPoints()).isEqualTo(3);
    assertThat(partial.getErrorMessage())
        .isEqualTo(
            "a data point without a time (`good.one`); a metric without a name; samples with a"
                + " time in the future; check the sender's clock (`good.future`)");
    assertThat(server.found("good.one then last every 1h", "-1h", "now")).contains("1.0");
  }

  @Test
  void whatCannotBeReadIsAnswered400WithAStatusInKind() throws IOException {
    var body = request(counter("never.kept", point(System.currentTimeMillis(), 1))).toByteArray();
    var cut = java.util.Arrays.copyOf(body, body.length - 5);
    var answer = send(cut, PROTOBUF, null);
    assertThat(answer.statusCode()).isEqualTo(400);
    // google.rpc.Status: code 3 (invalid argument), then a message.
    assertThat(ByteString.copyFrom(answer.body()).substring(0, 3))
        .isEqualTo(ByteString.copyFrom(new byte[] {8, 3, 18}));
    assertThat(send(body, PROTOBUF, "gzip").statusCode()).isEqualTo(400);
    var json = send("{\"resourceMetrics\": 7".getBytes(), "application/json", null);
    assertThat(json.statusCode()).isEqualTo(400);
    assertThat(new String(json.body())).contains("\"code\":3");
    assertThat(send(body, "text/plain", null).statusCode()).isEqualTo(415);
    assertThat(server.found("never.kept then last every 1h", "-1h", "now")).doesNotContain("1.0");
  }

  @Test
  void jsonIsTheSameDoor() {
    long now = System.currentTimeMillis();
    var json =
        """
        {"resourceMetrics": [{"scopeMetrics": [{"metrics": [{"name": "deck.load", "unit": "t",
          "gauge": {"dataPoints": [{"timeUnixNano": "%d000000", "asDouble": 42.5}]}}]}]}]}\
        """
            .formatted(now);
    assertThat(new String(send(json.getBytes(), "application/json", null).body())).isEqualTo("{}");
    assertThat(server.found("deck.load", "-1h", "now")).contains("42.5");
  }

  @Test
  void valuesArePublishedFromAShell() {
    var form =
        server.post(
            "/api/v1/samples",
            "application/x-www-form-urlencoded",
            "metric=backup.age&value=3600&unit=s&host=mi-db-1");
    assertThat(form.body()).contains("\"accepted\":1");
    var json =
        server.post(
            "/api/v1/samples",
            "application/json",
            "[{\"metric\": \"a.b\", \"value\": 1}, {\"metric\": \"a.b\", \"value\": \"much\"}]");
    assertThat(json.body())
        .contains("\"accepted\":1", "\"refused\":1", "item 2: value must be a number, not 'much'");
    assertThat(server.found("backup.age where host = 'mi-db-1'", "-1h", "now")).contains("3600.0");
  }

  private static ExportMetricsServiceRequest scoped(String scope, Metric... metrics) {
    return ExportMetricsServiceRequest.newBuilder()
        .addResourceMetrics(
            ResourceMetrics.newBuilder()
                .addScopeMetrics(
                    ScopeMetrics.newBuilder()
                        .addAllMetrics(List.of(metrics))
                        .setScope(InstrumentationScope.newBuilder().setName(scope))))
        .build();
  }

  @Test
  void scopesAreKeptApartAndDistributionsAreTakenByProtobuf() throws IOException {
    long now = System.currentTimeMillis();
    for (int i = 0; i < 2; i++) {
      var gauge = Metric.newBuilder().setName("pb.calls");
      gauge.setGauge(Gauge.newBuilder().addDataPoints(point(now - 5_000, i + 1)));
      assertThat(send(scoped("lib" + i, gauge.build()).toByteArray(), PROTOBUF, null).statusCode())
          .isEqualTo(200);
    }
    assertThat(server.found("pb.calls then sum by scope", "-1h", "now"))
        .contains("\"scope\":\"lib0\"", "\"scope\":\"lib1\"");
    var point =
        ExponentialHistogramDataPoint.newBuilder()
            .setTimeUnixNano((now - 5_000) * 1_000_000)
            .setCount(100)
            .setSum(500)
            .setMin(4)
            .setMax(8)
            .setScale(8)
            .setPositive(
                ExponentialHistogramDataPoint.Buckets.newBuilder()
                    .setOffset(512)
                    .addBucketCounts(50)
                    .addBucketCounts(50))
            .addExemplars(Exemplar.newBuilder().setAsDouble(4));
    var exponential =
        Metric.newBuilder()
            .setName("pb.wait")
            .setUnit("milliseconds")
            .setExponentialHistogram(
                ExponentialHistogram.newBuilder()
                    .setAggregationTemporality(
                        AggregationTemporality.AGGREGATION_TEMPORALITY_CUMULATIVE)
                    .addDataPoints(point))
            .build();
    var summary =
        Metric.newBuilder()
            .setName("pb.size")
            .setSummary(
                Summary.newBuilder()
                    .addDataPoints(
                        SummaryDataPoint.newBuilder()
                            .setTimeUnixNano((now - 5_000) * 1_000_000)
                            .setCount(3)
                            .addQuantileValues(
                                SummaryDataPoint.ValueAtQuantile.newBuilder()
                                    .setQuantile(0.5)
                                    .setValue(17))))
            .build();
    var answer = send(scoped("lib", exponential, summary).toByteArray(), PROTOBUF, null);
    assertThat(ExportMetricsServiceResponse.parseFrom(answer.body()).hasPartialSuccess()).isFalse();
    var median = server.found("pb.wait.bucket then quantile 0.5", "-1m", "now");
    assertThat(median).containsPattern("4\\.0[12]").contains("\"unit\":\"ms\"");
    assertThat(server.found("pb.wait.max", "-1m", "now")).contains("8.0", "\"unit\":\"ms\"");
    assertThat(server.found("pb.size where quantile = '0.5'", "-1m", "now")).contains("17.0");
    assertThat(new Pages(server, "VIEWER").text(get("/collect")))
        .contains("1 exemplar without a trace, not stored");
  }

  @Test
  void refusalsNameTheMetricsAndFailuresComeInTheEncodingOfTheRequest() throws IOException {
    var metric = Metric.newBuilder().setName("pb.timeless");
    metric.setGauge(Gauge.newBuilder().addDataPoints(NumberDataPoint.newBuilder().setAsDouble(1)));
    var answer = send(scoped("lib", metric.build()).toByteArray(), PROTOBUF, null);
    var partial = ExportMetricsServiceResponse.parseFrom(answer.body()).getPartialSuccess();
    assertThat(partial.getRejectedDataPoints()).isEqualTo(1);
    assertThat(partial.getErrorMessage()).isEqualTo("a data point without a time (`pb.timeless`)");
    assertThat(new Pages(server, "VIEWER").text(get("/collect")))
        .contains("1 rejected: a data point without a time (`pb.timeless`)");
    for (var token : new String[] {"", "Bearer wrong", "Basic x"}) {
      var request =
          HttpRequest.newBuilder(java.net.URI.create(server.base() + "/v1/metrics"))
              .header("Content-Type", PROTOBUF)
              .POST(HttpRequest.BodyPublishers.ofByteArray(new byte[0]));
      if (!token.isEmpty()) {
        request.header("Authorization", token);
      }
      var refused = server.send(request, HttpResponse.BodyHandlers.ofByteArray());
      assertThat(refused.statusCode()).isEqualTo(401);
      assertThat(refused.headers().firstValue("Content-Type")).contains(PROTOBUF);
      var text = new String(refused.body(), java.nio.charset.StandardCharsets.UTF_8);
      assertThat(text)
          .contains(
              token.isEmpty()
                  ? "no token"
                  : token.startsWith("Bearer") ? "unknown token" : "must be");
    }
  }

  @Test
  void differencesGoOnAfterARestart() {
    long now = System.currentTimeMillis();
    long[] times = {now - 30_000, now - 20_000, now - 10_000};
    for (int i = 0; i < 3; i++) {
      var sum =
          Sum.newBuilder()
              .setIsMonotonic(true)
              .setAggregationTemporality(AggregationTemporality.AGGREGATION_TEMPORALITY_DELTA)
              .addDataPoints(
                  point(times[i], 7).setStartTimeUnixNano((times[i] - 10_000) * 1_000_000));
      var metric = Metric.newBuilder().setName("pb.delta").setSum(sum).build();
      assertThat(send(request(metric).toByteArray(), PROTOBUF, null).statusCode()).isEqualTo(200);
      if (i == 1) {
        server.stop();
        server.start();
      }
    }
    assertThat(server.found("pb.delta then last every 1h then max over 2h", "-1h", "now"))
        .contains("21.0");
    assertThat(server.found("pb.delta then increase every 1h then sum over 2h", "-1h", "now"))
        .contains("21.0");
  }

  @Test
  void anExemplarWithATraceIsFoundByIt() {
    long now = System.currentTimeMillis();
    var trace = "0af7651916cd43dd8448eb211c80319c";
    for (var body :
        java.util.List.of(
            """
            {"resourceMetrics":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"gates"}}]},
            "scopeMetrics":[{"metrics":[{"name":"traced.wait","sum":{"isMonotonic":true,"aggregationTemporality":2,
            "dataPoints":[{"timeUnixNano":"%d000000","asDouble":3,"exemplars":[
            {"timeUnixNano":"%d000000","asDouble":0.7,"traceId":"%s","spanId":"b7ad6b7169203331"}]}]}}]}]}]}\
            """
                .formatted(now, now, trace))) {
      assertThat(server.post("/v1/metrics", "application/json", body).statusCode()).isEqualTo(200);
    }
    var page =
        "# TYPE traced_text counter\ntraced_text_total{gate=\"n\"} 5 # {trace_id=\"%s\"} 0.9\n# EOF\n"
            .formatted(trace.replace('0', '1'));
    // A page shows the same exemplar each time it is read.
    for (int i = 0; i < 3; i++) {
      assertThat(server.post("/api/v1/samples", "application/openmetrics-text", page).body())
          .contains("\"accepted\":1");
    }
    var found =
        server.found("events where trace_id = '" + trace + "' then count every 1h", "-1h", "now");
    assertThat(found).contains("1.0").contains("gates");
    found =
        server.found(
            "events where trace_id = '" + trace.replace('0', '1') + "' then count every 1h",
            "-1h",
            "now");
    assertThat(found).contains("1.0").doesNotContain("2.0", "3.0");
  }

  @Test
  void aChangeOfKindOrUnitIsToldAndTheSamplesAreKept() {
    var request =
        """
        {"resourceMetrics":[{"resource":{"attributes":[{"key":"service.name","value":{"stringValue":"fickle"}}]},
        "scopeMetrics":[{"metrics":[{"name":"fickle.load","unit":"%s","%s":{%s
        "dataPoints":[{"timeUnixNano":"%d000000","asDouble":3}]}}]}]}]}\
        """;
    long now = System.currentTimeMillis();
    var gauge = request.formatted("s", "gauge", "", now - 3_000);
    assertThat(server.post("/v1/metrics", "application/json", gauge).body())
        .doesNotContain("fickle");
    var counter =
        request.formatted(
            "s", "sum", "\"isMonotonic\":true,\"aggregationTemporality\":2,", now - 2_000);
    var answer = server.post("/v1/metrics", "application/json", counter);
    assertThat(answer.statusCode()).isEqualTo(200);
    assertThat(answer.body())
        .contains("`fickle.load` is stored as a gauge but now sent as a counter");
    var other = request.formatted("ms", "gauge", "", now - 1_000);
    assertThat(server.post("/v1/metrics", "application/json", other).body())
        .contains("is stored in s and now sent in ms");
    assertThat(server.found("fickle.load then count every 1h", "-1h", "now")).contains("3.0");
    assertThat(new Pages(server, "VIEWER").text(get("/collect"))).contains("now sent in ms");
  }
}
