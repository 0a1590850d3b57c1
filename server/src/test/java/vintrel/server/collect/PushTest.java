package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.grpc.CallOptions;
import io.grpc.ManagedChannel;
import io.grpc.Metadata;
import io.grpc.MethodDescriptor;
import io.grpc.Status;
import io.grpc.StatusRuntimeException;
import io.grpc.netty.shaded.io.grpc.netty.NettyChannelBuilder;
import io.grpc.stub.ClientCalls;
import io.grpc.stub.MetadataUtils;
import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceRequest;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceResponse;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.opentelemetry.proto.metrics.v1.Gauge;
import io.opentelemetry.proto.metrics.v1.Metric;
import io.opentelemetry.proto.metrics.v1.NumberDataPoint;
import io.opentelemetry.proto.metrics.v1.ResourceMetrics;
import io.opentelemetry.proto.metrics.v1.ScopeMetrics;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.ServerSocket;
import java.net.http.HttpRequest;
import java.nio.charset.StandardCharsets;
import java.util.Random;
import java.util.Set;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.Series;
import vintrel.core.store.SampleStore;
import vintrel.server.RunningServer;
import vintrel.server.access.TokenSpec;
import vintrel.server.access.Tokens;
import vintrel.server.web.TokenCheck.Right;

/** OTLP over gRPC, JSON lines, CSV and OpenMetrics text, as programs push them. */
class PushTest {
  private static final int PORT = freePort();

  @RegisterExtension
  static final RunningServer server =
      new RunningServer(
          "--vintrel.grpc-port=" + PORT,
          "--vintrel.grpc-patience=2s",
          "--vintrel.ingest.max-request-bytes=1000000");

  private static ManagedChannel channel;

  private static int freePort() {
    try (var socket = new ServerSocket(0)) {
      return socket.getLocalPort();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @BeforeAll
  static void connect() {
    channel = NettyChannelBuilder.forAddress("127.0.0.1", PORT).usePlaintext().build();
  }

  @AfterAll
  static void disconnect() {
    channel.shutdownNow();
  }

  private static MethodDescriptor<byte[], byte[]> method(String service) {
    return MethodDescriptor.<byte[], byte[]>newBuilder()
        .setType(MethodDescriptor.MethodType.UNARY)
        .setFullMethodName("opentelemetry.proto.collector." + service + "/Export")
        .setRequestMarshaller(GrpcIngest.BYTES)
        .setResponseMarshaller(GrpcIngest.BYTES)
        .build();
  }

  private static Metadata headers(String token) {
    var headers = new Metadata();
    if (token != null) {
      headers.put(
          Metadata.Key.of("authorization", Metadata.ASCII_STRING_MARSHALLER), "Bearer " + token);
    }
    return headers;
  }

  private static byte[] call(String service, byte[] request, String token, boolean gzip) {
    var method = method(service);
    var headers = headers(token);
    var stub =
        io.grpc.ClientInterceptors.intercept(
            channel, MetadataUtils.newAttachHeadersInterceptor(headers));
    var options = CallOptions.DEFAULT.withDeadlineAfter(20, java.util.concurrent.TimeUnit.SECONDS);
    return ClientCalls.blockingUnaryCall(
        stub, method, gzip ? options.withCompression("gzip") : options, request);
  }

  private static byte[] metrics(String name, int points) {
    long now = System.currentTimeMillis();
    var gauge = Gauge.newBuilder();
    for (int i = 0; i < points; i++) {
      gauge.addDataPoints(
          NumberDataPoint.newBuilder()
              .setTimeUnixNano((now - 1000L * i) * 1_000_000)
              .setAsDouble(i));
    }
    var metric = Metric.newBuilder().setName(name).setGauge(gauge);
    return ExportMetricsServiceRequest.newBuilder()
        .addResourceMetrics(
            ResourceMetrics.newBuilder()
                .addScopeMetrics(ScopeMetrics.newBuilder().addMetrics(metric)))
        .build()
        .toByteArray();
  }

  private static final String METRICS = "metrics.v1.MetricsService";
  private static final String LOGS = "logs.v1.LogsService";

  private static Status.Code refused(String service, byte[] request, String token) {
    try {
      call(service, request, token, false);
      return Status.Code.OK;
    } catch (StatusRuntimeException e) {
      assertThat(e.getStatus().getDescription()).isNotBlank();
      return e.getStatus().getCode();
    }
  }

  private static String token(String name, int samples, Right... rights) {
    var spec =
        new TokenSpec(name, Set.of(rights), "", java.util.List.of(), 0, samples, 0, Labels.NONE);
    return server.bean(Tokens.class).create(spec, "test").token();
  }

  @Test
  void metricsAndLogsArriveOverGrpcPlainAndPacked() throws Exception {
    for (boolean gzip : new boolean[] {false, true}) {
      var answer = call(METRICS, metrics("grpc.load", 5), RunningServer.TOKEN, gzip);
      assertThat(ExportMetricsServiceResponse.parseFrom(answer).hasPartialSuccess()).isFalse();
    }
    assertThat(server.found("grpc.load then count every 5m then sum", "-5m", "now"))
        .contains("grpc.load");
    var record =
        LogRecord.newBuilder()
            .setTimeUnixNano(System.currentTimeMillis() * 1_000_000)
            .setSeverityText("ERROR")
            .setBody(AnyValue.newBuilder().setStringValue("gate stuck over grpc"));
    var logs =
        ExportLogsServiceRequest.newBuilder()
            .addResourceLogs(
                ResourceLogs.newBuilder()
                    .addScopeLogs(ScopeLogs.newBuilder().addLogRecords(record)))
            .build()
            .toByteArray();
    call(LOGS, logs, RunningServer.TOKEN, true);
    assertThat(server.found("events where text like '%over grpc%'", "-5m", "now"))
        .contains("gate stuck over grpc");
    assertThat(server.bean(SourceBook.class).all())
        .extracting(s -> s.key.way())
        .contains(Way.OTLP_GRPC, Way.LOGS_GRPC);
  }

  private static Tokens.Created adding(String name, String labels) {
    var spec =
        new TokenSpec(name, Set.of(Right.METRICS, Right.EVENTS), "")
            .adding(TokenSpec.labels(labels));
    return server.bean(Tokens.class).create(spec, "test");
  }

  private static void push(String token, String path, String type, String body) {
    var request =
        HttpRequest.newBuilder(java.net.URI.create(server.base() + path))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", type)
            .POST(HttpRequest.BodyPublishers.ofString(body));
    assertThat(server.send(request).statusCode()).isEqualTo(200);
  }

  private static Set<Labels> stored(String metric) {
    return server.bean(SampleStore.class).select("", metric, Condition.ALL).stream()
        .map(Series::labels)
        .collect(java.util.stream.Collectors.toSet());
  }

  @Test
  void aTokenAddsItsLabelsOnEveryWayIn() {
    var quay = adding("quay", "site=north-quay, team=operations");
    var isles = adding("isles", "site=mid-isles");
    var north = Labels.of("site", "north-quay", "team", "operations");
    var mid = Labels.of("site", "mid-isles");
    // The same bytes, twice each: what is remembered of them belongs to one token.
    var same = metrics("added.load", 2);
    for (int i = 0; i < 2; i++) {
      call(METRICS, same, quay.token(), false);
      call(METRICS, same, isles.token(), false);
      call(METRICS, same, RunningServer.TOKEN, false);
    }
    assertThat(stored("added.load")).containsExactlyInAnyOrder(north, mid, Labels.NONE);

    // A label of the sender's own stays.
    var own =
        "{\"metric\": \"added.own\", \"value\": 1, \"labels\": {\"site\": \"Tern\"}}\n"
            + "{\"metric\": \"added.own\", \"value\": 1, \"labels\": {\"site\": \"\"}}\n";
    push(quay.token(), "/api/v1/samples", "application/x-ndjson", own);
    assertThat(stored("added.own"))
        .containsExactlyInAnyOrder(Labels.of("site", "Tern", "team", "operations"), north);
    push(isles.token(), "/api/v1/samples", "text/csv", "time,metric,value\n,added.csv,1\n");
    assertThat(stored("added.csv")).containsExactly(mid);
    var page = "# TYPE added_page gauge\nadded_page{berth=\"N1\"} 5\n# EOF\n";
    push(isles.token(), "/api/v1/samples", "application/openmetrics-text", page);
    assertThat(stored("added_page")).containsExactly(mid.with("berth", "N1"));
    var record =
        "{\"resourceLogs\": [{\"scopeLogs\": [{\"logRecords\": [{\"timeUnixNano\": \"%d000000\","
            + " \"body\": {\"stringValue\": \"gate opened by hand\"}}]}]}]}";
    push(
        quay.token(), "/v1/logs", "application/json", record.formatted(System.currentTimeMillis()));
    assertThat(server.found("events where site = 'north-quay'", "-5m", "now"))
        .contains("gate opened by hand");

    // What takes its place adds the same, also after a restart.
    var next = server.bean(Tokens.class).rotate(isles.id(), 0, "test");
    push(next.token(), "/api/v1/samples", "text/csv", "time,metric,value\nnow,added.next,1\n");
    assertThat(stored("added.next")).containsExactly(mid);
  }

  /** Buckets of differences are found again under the labels that they are stored with. */
  @Test
  void differencesOfHistogramsGoOnUnderAddedLabels() {
    var token = adding("waits", "site=north-quay").token();
    long now = System.currentTimeMillis() - 60_000;
    for (int i = 0; i < 6; i++) {
      for (var sender :
          java.util.Map.of("plain.wait", RunningServer.TOKEN, "added.wait", token).entrySet()) {
        var body =
            """
            {"resourceMetrics": [{"scopeMetrics": [{"metrics": [{"name": "%s",
              "exponentialHistogram": {"aggregationTemporality": 1, "dataPoints": [{
                "timeUnixNano": "%d000000", "count": 4, "sum": 9, "scale": %d,
                "positive": {"offset": %d, "bucketCounts": [1, 2, 1]}}]}}]}]}]}
            """
                .formatted(sender.getKey(), now + i * 1000L, 2 - i % 3, i);
        push(sender.getValue(), "/v1/metrics", "application/json", body);
      }
      if (i == 3) {
        // What is remembered of bounds is read from the store again.
        server.stop();
        server.start();
      }
    }
    var plain = stored("plain.wait.bucket");
    assertThat(plain).hasSizeGreaterThan(4);
    assertThat(stored("added.wait.bucket"))
        .isEqualTo(
            plain.stream()
                .map(l -> l.with("site", "north-quay"))
                .collect(java.util.stream.Collectors.toSet()));
    for (var le : plain) {
      var where = " where le = '" + le.get("le") + "' then last every 1h then sum";
      var values =
          java.util.stream.Stream.of("plain.wait", "added.wait")
              .map(m -> server.found(m + ".bucket" + where, "-1h", "now"))
              .map(b -> b.substring(b.indexOf("\"values\"")).replaceAll("\"stats\".*", ""))
              .toList();
      assertThat(values.get(1)).as(le.toString()).isEqualTo(values.get(0));
    }
  }

  @Test
  void tokensAreHeldToTheirRightsOverGrpcToo() {
    var one = metrics("grpc.held", 1);
    assertThat(refused(METRICS, one, null)).isEqualTo(Status.Code.UNAUTHENTICATED);
    assertThat(refused(METRICS, one, "wrong")).isEqualTo(Status.Code.UNAUTHENTICATED);
    var reads = token("reads", 0, Right.READ);
    assertThat(refused(METRICS, one, reads)).isEqualTo(Status.Code.PERMISSION_DENIED);
    var events = token("events only", 0, Right.EVENTS);
    assertThat(refused(METRICS, one, events)).isEqualTo(Status.Code.PERMISSION_DENIED);
    assertThat(refused(LOGS, new byte[0], events)).isEqualTo(Status.Code.OK);
    var slow = token("slow", 1, Right.METRICS);
    assertThat(refused(METRICS, metrics("grpc.slow", 50), slow)).isEqualTo(Status.Code.OK);
    assertThat(refused(METRICS, metrics("grpc.slow", 50), slow))
        .isEqualTo(Status.Code.RESOURCE_EXHAUSTED);
    assertThat(server.found("grpc.held", "-5m", "now")).contains("no metric `grpc.held`");
  }

  @Test
  void hostileMessagesAreRefusedAndTheNextOneIsTaken() {
    var random = new Random(5);
    var good = metrics("grpc.good", 3);
    for (int i = 0; i < 300; i++) {
      var bytes = good.clone();
      for (int k = 0; k <= random.nextInt(4); k++) {
        bytes[random.nextInt(bytes.length)] = (byte) random.nextInt();
      }
      var cut = java.util.Arrays.copyOf(bytes, random.nextInt(bytes.length + 1));
      assertThat(refused(METRICS, random.nextBoolean() ? bytes : cut, RunningServer.TOKEN))
          .as("mutation %d", i)
          .isIn(Status.Code.OK, Status.Code.INVALID_ARGUMENT);
    }
    // Larger than the limit, also once it is unpacked.
    assertThat(refused(METRICS, new byte[1_500_000], RunningServer.TOKEN))
        .isEqualTo(Status.Code.RESOURCE_EXHAUSTED);
    assertThatThrownBy(() -> call(METRICS, new byte[1_500_000], RunningServer.TOKEN, true))
        .isInstanceOfSatisfying(
            StatusRuntimeException.class,
            e -> assertThat(e.getStatus().getCode()).isEqualTo(Status.Code.RESOURCE_EXHAUSTED));
    assertThat(refused(METRICS, good, RunningServer.TOKEN)).isEqualTo(Status.Code.OK);
  }

  @Test
  void callsThatSendNothingTakeNoPlaceFromOthersForLong() throws Exception {
    var ended = new java.util.concurrent.LinkedBlockingQueue<Status>();
    var channels = new java.util.ArrayList<ManagedChannel>();
    int n = 400;
    for (int i = 0; i < n; i++) {
      if (i % 16 == 0) {
        var builder = NettyChannelBuilder.forAddress("127.0.0.1", PORT).usePlaintext();
        channels.add(builder.directExecutor().build());
      }
      // A call of one message would hold its head back until it is there.
      var streaming =
          method(METRICS).toBuilder().setType(MethodDescriptor.MethodType.CLIENT_STREAMING).build();
      var call = channels.getLast().newCall(streaming, CallOptions.DEFAULT);
      call.start(
          new io.grpc.ClientCall.Listener<>() {
            @Override
            public void onClose(Status status, Metadata trailers) {
              ended.add(status);
            }
          },
          headers(RunningServer.TOKEN));
    }
    try {
      assertThat(refused(METRICS, metrics("grpc.beside", 1), RunningServer.TOKEN))
          .isIn(Status.Code.OK, Status.Code.UNAVAILABLE);
      for (int i = 0; i < n; i++) {
        var status = ended.poll(30, java.util.concurrent.TimeUnit.SECONDS);
        assertThat(status).as("call %d ended", i).isNotNull();
        assertThat(status.getCode()).isIn(Status.Code.DEADLINE_EXCEEDED, Status.Code.UNAVAILABLE);
      }
      assertThat(refused(METRICS, metrics("grpc.beside", 1), RunningServer.TOKEN))
          .isEqualTo(Status.Code.OK);
    } finally {
      channels.forEach(ManagedChannel::shutdownNow);
    }
  }

  @Test
  void linesTablesAndPagesArriveAndTheirFaultsAreNamed() throws IOException {
    var lines =
        "{\"metric\": \"push.lines\", \"value\": 1, \"labels\": {\"berth\": \"N1\"}}\n"
            + "\n"
            + "{\"metric\": \"push.lines\", \"value\": \"no\"}\n"
            + "not json\n"
            + "{\"metric\": \"push.lines\", \"value\": 3, \"labels\": {\"berth\": \"N3\"}}\n";
    var answer = server.post("/api/v1/samples", "application/x-ndjson", lines);
    assertThat(answer.statusCode()).isEqualTo(200);
    assertThat(answer.body())
        .contains("\"accepted\":2", "\"refused\":2", "line 3: value must be a number", "line 4");
    var packed = new ByteArrayOutputStream();
    try (var gzip = new GZIPOutputStream(packed)) {
      gzip.write(lines.getBytes(StandardCharsets.UTF_8));
    }
    var request =
        server
            .to("/api/v1/samples")
            .header("Content-Type", "application/x-ndjson")
            .header("Content-Encoding", "gzip")
            .POST(HttpRequest.BodyPublishers.ofByteArray(packed.toByteArray()));
    assertThat(server.send(request).body()).contains("\"accepted\":2");
    var csv = "time,metric,value,berth\nnow,push.csv,4,N1\nnow,push.csv,x,N2\n";
    csv = csv.replace("now", java.time.Instant.now().toString());
    assertThat(server.post("/api/v1/samples", "text/csv", csv).body())
        .contains("\"accepted\":1", "\"refused\":1");
    var page = "# TYPE push_page gauge\npush_page{berth=\"N1\"} 5\n# EOF\n";
    assertThat(server.post("/api/v1/samples", "application/openmetrics-text", page).body())
        .contains("\"accepted\":1");
    assertThat(
            server.post("/api/v1/samples", "application/openmetrics-text", "<html>").statusCode())
        .isIn(200, 400);
    for (var metric : java.util.List.of("push.lines", "push.csv")) {
      assertThat(server.found(metric + " then sum", "-5m", "now")).contains(metric);
    }
    var bomb = new ByteArrayOutputStream();
    try (var gzip = new GZIPOutputStream(bomb)) {
      var zeros = new byte[1_000_000];
      for (int i = 0; i < 20; i++) {
        gzip.write(zeros);
      }
    }
    var large =
        server
            .to("/api/v1/samples")
            .header("Content-Type", "application/x-ndjson")
            .header("Content-Encoding", "gzip")
            .POST(HttpRequest.BodyPublishers.ofByteArray(bomb.toByteArray()));
    assertThat(server.send(large).statusCode()).isEqualTo(413);
  }
}
