package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.protobuf.ByteString;
import io.opentelemetry.proto.collector.metrics.v1.ExportMetricsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.metrics.v1.Gauge;
import io.opentelemetry.proto.metrics.v1.Metric;
import io.opentelemetry.proto.metrics.v1.NumberDataPoint;
import io.opentelemetry.proto.metrics.v1.ResourceMetrics;
import io.opentelemetry.proto.metrics.v1.ScopeMetrics;
import io.opentelemetry.proto.resource.v1.Resource;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Valid bodies changed at random, at every endpoint that takes one, with valid ones in between,
 * into a server of its own with a small heap. None may be answered by a fault of the server or by
 * nothing; each valid neighbour is taken, and is there after the server was killed.
 *
 * <p>{@code -Dvintrel.bodies=10000} sends more; {@code -Dvintrel.seed=N} others.
 */
class HostileBodiesTest {
  private static final int BODIES = Integer.getInteger("vintrel.bodies", 400);
  private static final long SEED = Long.getLong("vintrel.seed", 4);

  private final Random random = new Random(SEED);
  private final long base = System.currentTimeMillis() - 3_600_000;
  @TempDir Path data;
  private Child child;

  private record Body(String path, String type, byte[] bytes) {
    static Body of(String path, String type, String text) {
      return new Body(path, type, text.getBytes(StandardCharsets.UTF_8));
    }
  }

  private final List<Body> corpus =
      List.of(
          new Body("/v1/metrics", "application/x-protobuf", metrics()),
          new Body("/v1/logs", "application/x-protobuf", metrics()),
          Body.of(
              "/v1/metrics",
              "application/json",
              """
              {"resourceMetrics": [{"resource": {"attributes": [{"key": "host", "value": {"stringValue": "nq-1"}}]}, "scopeMetrics": [{"scope": {"name": "deck"}, "metrics": [
              {"name": "fuzz.g", "unit": "s", "gauge": {"dataPoints": [{"timeUnixNano": "%d000000", "asDouble": 2.5, "attributes": [{"key": "a", "value": {"intValue": "7"}}]}]}},
              {"name": "fuzz.h", "histogram": {"aggregationTemporality": 1, "dataPoints": [{"timeUnixNano": "%d000000", "count": "6", "sum": 9.5, "bucketCounts": ["1", "2", "3"], "explicitBounds": [0.5, 1]}]}},
              {"name": "fuzz.e", "exponentialHistogram": {"aggregationTemporality": 2, "dataPoints": [{"timeUnixNano": "%d000000", "count": "3", "scale": 1, "positive": {"offset": -2, "bucketCounts": ["1", "2"]}}]}},
              {"name": "fuzz.s", "summary": {"dataPoints": [{"timeUnixNano": "%d000000", "count": "3", "sum": 4, "quantileValues": [{"quantile": 0.5, "value": 1}]}]}}]}]}]}\
              """
                  .formatted(base, base, base, base)),
          Body.of(
              "/v1/logs",
              "application/json",
              """
              {"resourceLogs": [{"resource": {"attributes": [{"key": "host", "value": {"stringValue": "nq-1"}}]}, "scopeLogs": [{"logRecords": [
              {"timeUnixNano": "%d000000", "severityNumber": 9, "body": {"kvlistValue": {"values": [{"key": "gate", "value": {"arrayValue": {"values": [{"intValue": "1"}]}}}]}}, "attributes": [{"key": "b", "value": {"boolValue": true}}]}]}]}]}\
              """
                  .formatted(base)),
          Body.of(
              "/api/v1/samples",
              "application/json",
              "[{\"metric\": \"fuzz.p\", \"value\": 1.5, \"labels\": {\"a\": \"b\"}, \"unit\":"
                  + " \"By\", \"time\": \"-5m\"}]"),
          Body.of(
              "/api/v1/samples",
              "application/x-www-form-urlencoded",
              "metric=fuzz.f&value=3&host=nq-1&time=-2m"),
          Body.of(
              "/api/v1/import?format=csv",
              "text/csv",
              "metric,time,value,host\n"
                  + "fuzz.c,2026-11-26T00:00:00Z,1,nq-1\n"
                  + "\"fuzz.c\",1764115200000,2,\"a,b\"\n"),
          Body.of(
              "/api/v1/import?format=openmetrics",
              "text/plain",
              "# TYPE fuzz_o counter\n"
                  + "# HELP fuzz_o cars\n"
                  + "fuzz_o_total{gate=\"n\\\"1\"} 17 1764115200 # {t=\"1\"} 1\n"
                  + "# EOF\n"),
          Body.of(
              "/api/v1/query",
              "application/json",
              "{\"query\": \"a: fuzz.p where a = 'b' then rate per 1s every 1m\\n"
                  + "b: a + 1 then top 3\", \"from\": \"-1h\", \"to\": \"now\", \"step\": \"30s\","
                  + " \"controls\": {\"x\": [\"y\"]}}"),
          Body.of(
              "/api/v1/definitions?dry-run=true",
              "application/yaml",
              "kind: rule\n"
                  + "name: fuzz\n"
                  + "query: fuzz.p then mean every 1m\n"
                  + "limits: [{above: 5, priority: low}]\n"
                  + "labels: {team: deck}\n"
                  + "---\n"
                  + "kind: dashboard\n"
                  + "name: fuzz\n"
                  + "title: T\n"
                  + "panels: [{title: P, query: fuzz.p, at: [1, 1, 6, 6]}]\n"),
          Body.of(
              "/api/v1/definitions/rule/fuzz",
              "application/yaml",
              "query: fuzz.p then mean every 1m\n"
                  + "every: 1d\n"
                  + "close-after: 2d\n"
                  + "limits: [{above: 5, priority: low, on-delay: 1m}]\n"
                  + "labels: {team: deck}\n"),
          Body.of(
              "/api/v1/definitions/dashboard/fuzz",
              "application/json",
              "{\"title\": \"T\", \"controls\": [{\"name\": \"a\", \"metric\": \"fuzz.p\"}],"
                  + " \"panels\": [{\"title\": \"P\", \"query\": \"fuzz.p\", \"at\": [1, 1, 6,"
                  + " 6]}]}"),
          Body.of(
              "/api/v1/definitions/dashboard/fuzz/restore", "application/json", "{\"version\": 1}"),
          Body.of(
              "/api/v1/stores",
              "application/json",
              "{\"name\": \"fuzz\", \"form\": \"vintrel\", \"url\": \"http://192.0.2.1:1/\","
                  + " \"username\": \"\", \"secret\": \"\"}"));

  private byte[] metrics() {
    var point =
        NumberDataPoint.newBuilder()
            .setTimeUnixNano(base * 1_000_000)
            .setAsDouble(1)
            .addAttributes(
                KeyValue.newBuilder()
                    .setKey("a")
                    .setValue(AnyValue.newBuilder().setBytesValue(ByteString.copyFromUtf8("x"))));
    return ExportMetricsServiceRequest.newBuilder()
        .addResourceMetrics(
            ResourceMetrics.newBuilder()
                .setResource(
                    Resource.newBuilder()
                        .addAttributes(
                            KeyValue.newBuilder()
                                .setKey("host")
                                .setValue(AnyValue.newBuilder().setStringValue("nq-1"))))
                .addScopeMetrics(
                    ScopeMetrics.newBuilder()
                        .addMetrics(
                            Metric.newBuilder()
                                .setName("fuzz.b")
                                .setGauge(Gauge.newBuilder().addDataPoints(point)))))
        .build()
        .toByteArray();
  }

  private byte[] changed(byte[] valid) {
    var out = valid;
    for (int n = 1 + random.nextInt(3); n > 0; n--) {
      out = once(out);
    }
    return out;
  }

  private byte[] once(byte[] in) {
    if (in.length == 0) {
      return new byte[] {(byte) random.nextInt(256)};
    }
    int at = random.nextInt(in.length);
    return switch (random.nextInt(9)) {
      case 0 -> {
        var out = in.clone();
        out[at] ^= (byte) (1 << random.nextInt(8));
        yield out;
      }
      case 1 -> Arrays.copyOf(in, at);
      case 2 ->
          spliced(
              in, at, at, Arrays.copyOfRange(in, at, Math.min(in.length, at + random.nextInt(60))));
      case 3 -> spliced(in, at, Math.min(in.length, at + random.nextInt(20)), new byte[0]);
      case 4 -> spliced(in, at, at, token());
      case 5 -> number(in);
      case 6 ->
          spliced(
              in, at, at, "[{\"a\":".repeat(random.nextInt(2000)).getBytes(StandardCharsets.UTF_8));
      case 7 ->
          spliced(
              in,
              at,
              at,
              new byte[] {(byte) 0xc3, (byte) 0x28, 0, (byte) 0xed, (byte) 0xa0, (byte) 0x80});
      default -> {
        var filler = new byte[random.nextInt(70_000)];
        Arrays.fill(filler, (byte) ("xa0\"{[,\n".charAt(random.nextInt(8))));
        yield spliced(in, at, at, filler);
      }
    };
  }

  private byte[] token() {
    var tokens =
        new String[] {
          "NaN",
          "Infinity",
          "1e999",
          "-0",
          "null",
          "true",
          "{}",
          "[]",
          "9".repeat(500),
          "\\u0000",
          "\\ud83d",
          "&a *a",
          "!!java.lang.Object {}",
          "? ",
          "+999999999-12-31T23:59:59",
          "%ZZ",
          "((a{1000}){1000})",
          "' then smooth over 6h '"
        };
    return tokens[random.nextInt(tokens.length)].getBytes(StandardCharsets.UTF_8);
  }

  /** A number in it becomes another. */
  private byte[] number(byte[] in) {
    for (int i = random.nextInt(in.length); i < in.length; i++) {
      if (in[i] >= '0' && in[i] <= '9') {
        var other =
            new String[] {"-1", "1e308", "99999999999999999999", "0", "\"7\"", "[1]", "2147483648"};
        return spliced(
            in, i, i + 1, other[random.nextInt(other.length)].getBytes(StandardCharsets.UTF_8));
      }
    }
    return in;
  }

  private static byte[] spliced(byte[] in, int from, int to, byte[] middle) {
    var out = new byte[from + middle.length + in.length - to];
    System.arraycopy(in, 0, out, 0, from);
    System.arraycopy(middle, 0, out, from, middle.length);
    System.arraycopy(in, to, out, from + middle.length, in.length - to);
    return out;
  }

  private static byte[] zipped(byte[] bytes, int bombs) throws IOException {
    var out = new ByteArrayOutputStream();
    try (var zip = new GZIPOutputStream(out)) {
      zip.write(bytes);
      for (int i = 0; i < bombs; i++) {
        zip.write(new byte[1_000_000]);
      }
    }
    return out.toByteArray();
  }

  private HttpResponse<String> send(Body body, boolean gzip) throws IOException {
    var request =
        child
            .to(body.path())
            // Nothing may hang.
            .timeout(Duration.ofSeconds(body.path().equals("/api/v1/stores") ? 20 : 5))
            .header("Content-Type", body.type())
            .method(
                body.path().matches("/api/v1/definitions/\\w+/\\w+") ? "PUT" : "POST",
                HttpRequest.BodyPublishers.ofByteArray(body.bytes()));
    if (gzip) {
      request.header("Content-Encoding", "gzip");
    }
    return child.send(request);
  }

  private Body neighbour(int i) {
    return Body.of(
        "/api/v1/samples",
        "application/json",
        "{\"metric\": \"neighbour\", \"value\": %d, \"time\": \"%d\"}"
            .formatted(i, base + i * 100L));
  }

  /** What the server's log says of a fault. */
  private String logged(String code) throws IOException {
    var lines = Files.readAllLines(data.resolve("child.log"), StandardCharsets.ISO_8859_1);
    for (int i = 0; i < lines.size(); i++) {
      if (lines.get(i).contains(code)) {
        return String.join("\n", lines.subList(i, Math.min(lines.size(), i + 9)));
      }
    }
    return "";
  }

  @AfterEach
  void leaveNothingBehind() throws InterruptedException {
    child.kill();
  }

  @Test
  void noBodyBringsItDownAndNoNeighbourIsLost() throws Exception {
    child = new Child(data, "256m");
    child.start();
    var faults = new ArrayList<String>();
    int neighbours = 0;
    for (int i = 0; i < BODIES; i++) {
      var valid = corpus.get(i % corpus.size());
      var body = new Body(valid.path(), valid.type(), changed(valid.bytes()));
      boolean gzip = valid.path().startsWith("/v1/") && random.nextInt(3) == 0;
      if (gzip) {
        var zip = zipped(body.bytes(), random.nextInt(20) == 0 ? 80 : 0);
        body = new Body(body.path(), body.type(), random.nextInt(4) == 0 ? once(zip) : zip);
      }
      var answer = send(body, gzip);
      if (answer.statusCode() >= 500) {
        var code = answer.body().replaceFirst("(?s).*\"(fault\\.[0-9a-f]+)\".*", "$1");
        faults.add(
            "%d %s %s: %s%n%s"
                .formatted(i, body.path(), answer.statusCode(), answer.body(), logged(code)));
      }
      if (i % 5 == 0) {
        var taken = send(neighbour(neighbours++), false);
        assertThat(taken.body()).as("neighbour of %d", i).contains("\"accepted\":1");
      }
    }
    assertThat(faults).as("seed %d", SEED).isEmpty();
    assertThat(child.alive()).isTrue();
    assertThat(child.ready()).isTrue();
    child.kill();
    child.start();
    var count =
        send(
            Body.of(
                "/api/v1/query",
                "application/json",
                "{\"query\": \"neighbour then count every 1d then sum over 3d\", \"from\": \"-2d\","
                    + " \"to\": \"now\"}"),
            false);
    assertThat(count.body()).contains("%d.0]".formatted(neighbours));
  }
}
