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
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;
import vintrel.server.store.LogStore;
import vintrel.server.store.RetentionJob;

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

  private static LogStore.Wanted wanted(String where) {
    return wanted(where, 0, Long.MAX_VALUE, 1_000_000);
  }

  private static LogStore.Wanted wanted(String where, long from, long to, long max) {
    var condition = where.isEmpty() ? Condition.ALL : Parser.parseCondition(where);
    return new LogStore.Wanted("", condition, from, to, max, () -> false);
  }

  private static String ask(String query) {
    return server.found(query, "-10m", "now").replaceAll("\\.0(?=[,\\]])", "");
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
    var found = server.bean(LogStore.class).newest(wanted("host = 'ev-1'"), 10);
    assertThat(found).hasSize(2);
    var error = found.get(1);
    assertThat(error.level()).isEqualTo("error");
    assertThat(error.text()).isEqualTo("it's refused");
    assertThat(error.time()).isEqualTo(now - 5000);
    assertThat(error.labels().asMap())
        .containsEntry("service", "boarding-gates")
        .containsEntry("host", "ev-1");
    assertThat(LogStore.fields(error))
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
    assertThat(sent.body()).contains("too large (text, fields or labels)");
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
    server.bean(RetentionJob.class).run();
    var left = server.bean(LogStore.class).newest(wanted("host = 'ev-3'"), 10);
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
    var events = server.bean(LogStore.class);
    assertThat(
            org.assertj.core.api.Assertions.catchThrowable(
                () -> events.read(wanted("", now, now + 1, 1), 10)))
        .hasMessageContaining("this range has more than 1 events");
    assertThat(
            org.assertj.core.api.Assertions.catchThrowable(
                () -> events.read(wanted("host = 'ev-4'"), 1)))
        .hasMessageContaining("more than 1 events match");
  }

  /** Records of many hosts, levels and times, some late; kept in several stores of one test. */
  private static List<Event> many(long now, int n, long seed) {
    var random = new Random(seed);
    var out = new ArrayList<Event>();
    for (int i = 0; i < n; i++) {
      var level = Event.LEVELS.get(random.nextInt(Event.LEVELS.size()));
      var labels = Labels.of("host", "pk-" + random.nextInt(5), "level", "of a label");
      long time = now - random.nextInt(3_000_000);
      out.add(new Event(0, "", time, level, "record " + i % 97, labels, "{\"n\":" + i % 7 + "}"));
    }
    return out;
  }

  @Test
  void packedRecordsAreFoundAsLooseOnesAreAndLiveThroughARestart() {
    var events = server.bean(LogStore.class);
    long now = System.currentTimeMillis() - 7_200_000;
    var sent = many(now, 9000, 3);
    events.append("main", sent.subList(0, 5000), "test");
    events.append("second", sent.subList(5000, 9000), "test");
    var conditions =
        List.of(
            "host like 'pk-%'", "host = 'pk-2' and level = 'error'", "n = '3' and text like '%5'");
    var before = conditions.stream().map(w -> found(w, now)).toList();
    assertThat(before.getFirst()).hasSize(9000);
    events.append("main", many(now, 5000, 4), "test");
    assertThat(before.getFirst()).isNotEqualTo(found(conditions.getFirst(), now));
    events.pack();
    var after = conditions.stream().map(w -> found(w, now)).toList();
    assertThat(after.getFirst()).hasSize(14_000).containsAll(before.getFirst());
    for (int i = 1; i < conditions.size(); i++) {
      assertThat(after.get(i)).containsAll(before.get(i));
    }
    assertThat(rows("event")).as("left loose").isLessThan(10_000);
    assertThat(rows("event_block")).isGreaterThanOrEqualTo(2);
    server.stop();
    server.start();
    assertThat(conditions.stream().map(w -> found(w, now)).toList()).isEqualTo(after);
  }

  private static List<Event> found(String where, long now) {
    return server
        .bean(LogStore.class)
        .read(wanted(where, now - 3_000_000, now, 1_000_000), 100_000);
  }

  private static long rows(String table) {
    return server
        .bean(Database.class)
        .with(
            s ->
                s.createNativeQuery("select count(*) from " + table, Long.class).getSingleResult());
  }

  @Test
  void theNewestAndTheCountsAreTheSameFromBlocksAsFromTheWholeTable() {
    var events = server.bean(LogStore.class);
    long now = System.currentTimeMillis() - 20_000_000;
    for (int part = 0; part < 5; part++) {
      events.append("third", many(now + part * 1_000_000L, 4500, part), "test");
      events.pack();
    }
    var all = wanted("host like 'pk-%'", now - 4_000_000, now + 6_000_000, 1_000_000);
    var table = events.read(all, 100_000);
    assertThat(table).isSortedAccordingTo(java.util.Comparator.comparingLong(Event::time));
    var newest = events.newest(all, 300);
    assertThat(newest).isEqualTo(table.reversed().subList(0, 300));
    var times = new EventTimes();
    events.visit(all, (store, records, passing) -> times.add(records, passing));
    var counted = times.byLabels();
    assertThat(counted.values().stream().mapToLong(t -> t.length).sum()).isEqualTo(table.size());
    counted.forEach(
        (labels, at) ->
            assertThat(at)
                .isEqualTo(
                    table.stream()
                        .filter(e -> e.level().equals(labels.get("level")))
                        .filter(e -> e.labels().get("host").equals(labels.get("host")))
                        .mapToLong(Event::time)
                        .toArray()));
  }

  @Test
  void whatIsPackedWhileItIsReadIsCountedOnce() throws Exception {
    var events = server.bean(LogStore.class);
    long now = System.currentTimeMillis() - 40_000_000;
    events.append("fourth", many(now, 12_000, 8), "test");
    var wanted = wanted("", now - 3_000_000, now, 1_000_000);
    var packer = Thread.ofPlatform().start(events::pack);
    do {
      assertThat(events.read(wanted, 100_000)).hasSize(12_000);
    } while (packer.isAlive());
    packer.join();
    assertThat(events.read(wanted, 100_000)).hasSize(12_000).doesNotHaveDuplicates();
  }

  @Test
  void aDamagedBlockIsLeftOutAndTheOthersAreFound() {
    var events = server.bean(LogStore.class);
    long now = System.currentTimeMillis() - 60_000_000;
    events.append("fifth", many(now, 4096, 1), "test");
    events.pack();
    events.append("fifth", many(now, 10, 2), "test");
    server
        .bean(Database.class)
        .run(
            s ->
                s.createNativeMutationQuery(
                        "update event_block set data = x'0102030405060708090a' where store ="
                            + " 'fifth'")
                    .executeUpdate());
    assertThat(events.read(wanted("", now - 3_000_000, now, 1_000_000), 100_000)).hasSize(10);
  }
}
