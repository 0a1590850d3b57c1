package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;

import io.opentelemetry.proto.collector.logs.v1.ExportLogsServiceRequest;
import io.opentelemetry.proto.common.v1.AnyValue;
import io.opentelemetry.proto.common.v1.ArrayValue;
import io.opentelemetry.proto.common.v1.KeyValue;
import io.opentelemetry.proto.common.v1.KeyValueList;
import io.opentelemetry.proto.logs.v1.LogRecord;
import io.opentelemetry.proto.logs.v1.ResourceLogs;
import io.opentelemetry.proto.logs.v1.ScopeLogs;
import io.opentelemetry.proto.logs.v1.SeverityNumber;
import io.opentelemetry.proto.resource.v1.Resource;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.query.Parser;
import vintrel.core.series.Condition;
import vintrel.server.RunningServer;
import vintrel.server.store.Events;
import vintrel.server.store.Retain;

/** Records from the wire to the answer of a query. */
class EventsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static AnyValue text(String s) {
    return AnyValue.newBuilder().setStringValue(s).build();
  }

  private static KeyValue pair(String name, AnyValue value) {
    return KeyValue.newBuilder().setKey(name).setValue(value).build();
  }

  private static ExportLogsServiceRequest request(String host, LogRecord.Builder... records) {
    var scope = ScopeLogs.newBuilder();
    List.of(records).forEach(scope::addLogRecords);
    return ExportLogsServiceRequest.newBuilder()
        .addResourceLogs(
            ResourceLogs.newBuilder()
                .addScopeLogs(scope)
                .setResource(
                    Resource.newBuilder()
                        .addAttributes(pair("service.name", text("boarding-gates")))
                        .addAttributes(pair("host.name", text(host)))))
        .build();
  }

  private static LogRecord.Builder record(long millis, SeverityNumber level, String words) {
    return LogRecord.newBuilder()
        .setTimeUnixNano(millis * 1_000_000)
        .setSeverityNumber(level)
        .setBody(text(words));
  }

  private static HttpResponse<String> send(ExportLogsServiceRequest request, String parameters) {
    return server.send(
        server
            .to("/v1/logs" + parameters)
            .header("Content-Type", "application/x-protobuf")
            .POST(HttpRequest.BodyPublishers.ofByteArray(request.toByteArray())));
  }

  private static String ask(String query) {
    return server.query(query, "-10m", "now").body().replaceAll("\\.0(?=[,\\]])", "");
  }

  @Test
  void aRecordKeepsItsLevelTextLabelsAndFields() {
    long now = System.currentTimeMillis();
    var nested =
        AnyValue.newBuilder()
            .setKvlistValue(
                KeyValueList.newBuilder()
                    .addValues(pair("status", AnyValue.newBuilder().setIntValue(503).build()))
                    .addValues(
                        pair(
                            "tried",
                            AnyValue.newBuilder()
                                .setArrayValue(ArrayValue.newBuilder().addValues(text("a")))
                                .build())))
            .build();
    var sent =
        send(
            request(
                "ev-1",
                record(now - 5000, SeverityNumber.SEVERITY_NUMBER_ERROR2, "it's refused")
                    .addAttributes(pair("http", nested))
                    .addAttributes(pair("ok", AnyValue.newBuilder().setBoolValue(false).build())),
                record(now - 4000, SeverityNumber.SEVERITY_NUMBER_INFO, "accepted")),
            "");
    assertThat(sent.statusCode()).isEqualTo(200);
    var found =
        server
            .bean(Events.class)
            .newest("", Parser.parseCondition("host = 'ev-1'"), 0, Long.MAX_VALUE, 10, 1000);
    assertThat(found).hasSize(2);
    var error = found.get(1);
    assertThat(error.level()).isEqualTo("error");
    assertThat(error.text()).isEqualTo("it's refused");
    assertThat(error.time()).isEqualTo(now - 5000);
    assertThat(error.labels().asMap())
        .containsEntry("service", "boarding-gates")
        .containsEntry("host", "ev-1");
    assertThat(Events.fields(error))
        .containsEntry("http.status", "503")
        .containsEntry("http.tried", "[\"a\"]")
        .containsEntry("ok", "false");
    assertThat(ask("events where host = 'ev-1' and http.status = '503' then keep text"))
        .contains("it's refused")
        .doesNotContain("accepted");
    assertThat(
            ask(
                "events where host = 'ev-1' then unpack http.status as s then group by level: max"
                    + " s"))
        .contains("[\"error\",\"info\"]", "[503,null]");
    assertThat(ask("events where host = 'ev-1' then count every 10m then sum"))
        .containsPattern("\\[(null,)?2(,null)?]|\\[1,1]");
  }

  @Test
  void jsonAndStoresAndTimesFollowTheProtocol() {
    long now = System.currentTimeMillis();
    var body =
        """
        {"resourceLogs": [{"resource": {"attributes": [{"key": "host.name", "value": {"stringValue": "ev-2"}}]},
          "scopeLogs": [{"logRecords": [
            {"observedTimeUnixNano": "%d000000", "severityText": "Warning", "body": {"stringValue": "slow"}},
            {"body": {"stringValue": "without a time"}}]}]}]}
        """
            .formatted(now);
    var sent = server.post("/v1/logs", "application/json", body);
    assertThat(sent.statusCode()).isEqualTo(200);
    assertThat(sent.body()).contains("\"rejectedLogRecords\":1", "without a time");
    assertThat(ask("events where host = 'ev-2'")).contains("\"warn\"", "slow");
    assertThat(server.post("/v1/logs?store=nowhere", "application/json", body).statusCode())
        .isEqualTo(400);
    assertThat(server.post("/v1/logs", "text/plain", body).statusCode()).isEqualTo(415);
    assertThat(server.post("/v1/logs", "application/json", "[]").statusCode()).isEqualTo(400);
    var cut =
        server.send(
            server
                .to("/v1/logs")
                .header("Content-Type", "application/x-protobuf")
                .POST(HttpRequest.BodyPublishers.ofByteArray(new byte[] {10, 99, 1})));
    assertThat(cut.statusCode()).isEqualTo(400);
  }

  @Test
  void aRecordThatIsTooLongIsRefusedAndItsNeighboursAreKept() {
    long now = System.currentTimeMillis();
    var sent =
        send(
            request(
                "ev-5",
                record(now, SeverityNumber.SEVERITY_NUMBER_INFO, "x".repeat(100_001)),
                record(now, SeverityNumber.SEVERITY_NUMBER_INFO, "short")),
            "");
    assertThat(sent.statusCode()).isEqualTo(200);
    assertThat(sent.body()).contains("more text, fields or labels");
    assertThat(ask("events where host = 'ev-5' then keep text")).contains("short");
  }

  @Test
  void recordsAreDroppedWhenTheyAreTooOldAndFollowTheNewest() {
    long now = System.currentTimeMillis();
    long day = 86_400_000;
    send(
        request(
            "ev-3",
            record(now - 20 * day, SeverityNumber.SEVERITY_NUMBER_INFO, "long ago"),
            record(now - 13 * day, SeverityNumber.SEVERITY_NUMBER_INFO, "within two weeks"),
            record(now, SeverityNumber.SEVERITY_NUMBER_INFO, "now")),
        "");
    server.bean(Retain.class).run();
    var left =
        server
            .bean(Events.class)
            .newest("", Parser.parseCondition("host = 'ev-3'"), 0, Long.MAX_VALUE, 10, 1000);
    assertThat(left).extracting(e -> e.text()).containsExactly("now", "within two weeks");
  }

  @Test
  void moreRecordsThanAllowedAreAnErrorThatSaysSo() {
    long now = System.currentTimeMillis();
    send(
        request(
            "ev-4",
            record(now, SeverityNumber.SEVERITY_NUMBER_INFO, "a"),
            record(now, SeverityNumber.SEVERITY_NUMBER_INFO, "b")),
        "");
    var events = server.bean(Events.class);
    assertThat(
            org.assertj.core.api.Assertions.catchThrowable(
                () -> events.read("", Condition.ALL, now, now + 1, 1, e -> {})))
        .hasMessageContaining("more than 1 records");
  }
}
