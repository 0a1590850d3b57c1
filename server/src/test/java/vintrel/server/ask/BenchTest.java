package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.ZoneOffset;
import java.util.concurrent.CountDownLatch;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.unit.TimeText;
import vintrel.server.RunningServer;

/** What the Bench and the API answer beyond series. */
class BenchTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static void samples(String metric, String host, double... values) {
    long now = System.currentTimeMillis();
    var body = new StringBuilder("[");
    for (int i = 0; i < values.length; i++) {
      body.append(i == 0 ? "" : ",")
          .append(
              """
              {"metric": "%s", "value": %s, "labels": {"host": "%s"}, "time": %d}\
              """
                  .formatted(metric, values[i], host, now - (values.length - i) * 10_000L));
    }
    var sent = server.post("/api/v1/samples", "application/json", body.append("]").toString());
    assertThat(sent.statusCode()).isEqualTo(200);
  }

  private static String post(String body) {
    return server
        .post("/api/v1/query", "application/json", body)
        .body()
        .replaceAll("\\.0(?=[,\\]])", "");
  }

  @Test
  void theStoreAndTheTierOfAnAnswerAreReal() {
    samples("b.store", "a", 1, 2, 3);
    assertThat(post("{\"query\": \"b.store\"}")).contains("\"tier\":\"raw\"");
    assertThat(post("{\"query\": \"b.store\", \"store\": \"vintrel\"}"))
        .contains("no metric `b.store` in store `vintrel`", "another store has it");
  }

  @Test
  void anInstantHasOneValueForEachSeries() {
    samples("b.instant", "a", 1, 2, 3);
    samples("b.instant", "b", 7);
    var answer =
        post(
            "{\"query\": \"b.instant then last every 5m then max by host\", \"at\": \"now\","
                + " \"step\": \"5m\"}");
    assertThat(answer).contains("{\"host\":\"a\"}", "[3]", "[7]");
    assertThat(post("{\"query\": \"b.instant then rows\", \"at\": \"now\"}"))
        .contains("\"code\":\"table\"");
  }

  @Test
  void anAnswerCanBeCsv() {
    samples("b.csv", "a,b", 1, 2.5);
    var answer =
        server.send(
            server
                .to("/api/v1/query")
                .header("Content-Type", "application/json")
                .header("Accept", "text/csv")
                .POST(
                    java.net.http.HttpRequest.BodyPublishers.ofString(
                        "{\"query\": \"b.csv then rows then keep host, value\", \"from\": \"-1m\","
                            + " \"step\": \"10s\"}")));
    assertThat(answer.headers().firstValue("Content-Type").orElseThrow()).startsWith("text/csv");
    assertThat(answer.body()).contains("host,value\r\n", "\"a,b\",1\r\n", "\"a,b\",2.5\r\n");
  }

  @Test
  void aMetricIsFoundByWhatItsSenderSaysThatItIs() {
    long now = System.currentTimeMillis();
    var body =
        """
        {"resourceMetrics": [{"scopeMetrics": [{"metrics": [{"name": "b.noted", "description": "Cars on the upper deck",
          "gauge": {"dataPoints": [{"timeUnixNano": "%d000000", "asDouble": 3}]}}]}]}]}
        """
            .formatted(now);
    assertThat(server.post("/v1/metrics", "application/json", body).statusCode()).isEqualTo(200);
    var notes = server.bean(vintrel.server.store.MetricNotes.class);
    assertThat(notes.of("b.noted")).isEqualTo("Cars on the upper deck");
    assertThat(notes.holding("upper deck")).containsExactly("b.noted");
    notes.put(java.util.Map.of("b.noted", "Cars on both decks"));
    assertThat(notes.holding("upper")).isEmpty();
  }

  @Test
  void aPlanSaysWhatEachStepCostAndGave() {
    samples("b.plan", "a", 1, 2, 3, 4);
    assertThat(
            post(
                "{\"query\": \"x: b.plan then mean by host then top 1\\n"
                    + "y: x * 2\", \"explain\": true}"))
        .contains(
            "\"plan\":", "\"what\":\"top 1\"", "\"what\":\"match by *\"", "\"gives\":\"1 series ×");
  }

  @Test
  void theLedgerGivesBackTheQueryItWasMadeOf() {
    samples("b.ledger", "a", 1, 2, 3);
    var text =
        "hidden a: b.ledger where host = 'a' then off abs then times 2\nb: a + 1 then fill with 0";
    long now = System.currentTimeMillis();
    var range = new TimeText.Range(now - 60_000, now);
    var answered = server.bean(Queries.class).answer(new Queries.Ask(text, range, 20));
    var ledger = QueryOutline.of(answered.query(), answered.answer(), range, ZoneOffset.UTC);
    var composed = new StringBuilder();
    for (var line : ledger) {
      composed.append(composed.isEmpty() ? "" : "\n").append(line.hidden() ? "hidden " : "");
      composed.append(line.name()).append(": ").append(line.source().text());
      line.steps()
          .forEach(s -> composed.append(" then ").append(s.off() ? "off " : "").append(s.text()));
    }
    assertThat(composed).hasToString(text);
    assertThat(ledger.getFirst().steps().getFirst().off()).isTrue();
    assertThat(ledger.getFirst().source().shape()).startsWith("1 series");
    assertThat(ledger.get(1).plain()).isFalse();
    assertThat(ledger.getFirst().steps().get(1).glimpse().series()).hasSize(1);
    assertThat(ledger.getFirst().steps().getFirst().glimpse()).as("switched off").isNull();
    var cut = new TimeText.Range(now - 45_000, now);
    var inPart =
        server.bean(Queries.class).answer(new Queries.Ask("b.ledger then max every 1h", cut, 20));
    var row =
        QueryOutline.of(inPart.query(), inPart.answer(), cut, ZoneOffset.UTC).getFirst().steps();
    assertThat(row.getFirst().glimpse().series()).as("a bucket that began before").hasSize(1);
    var plan = QueryPlanView.view(answered.query(), answered.answer());
    assertThat(plan.rows())
        .extracting(r -> r.get(1) + ": " + r.get(2))
        .contains("off abs: switched off", "a: another line", "1: a number");
    assertThat(plan.rows().getLast().get(1)).startsWith("total (");
  }

  @Test
  void whyAnAnswerIsEmptyIsSaidWithTheNearestData() {
    long old = System.currentTimeMillis() - 3 * 3_600_000L;
    server.post(
        "/api/v1/samples",
        "application/json",
        "{\"metric\": \"b.empty\", \"value\": 1, \"labels\": {\"host\": \"a\"}, \"time\": %d}"
            .formatted(old));
    var queries = server.bean(Queries.class);
    long now = System.currentTimeMillis();
    var range = new TimeText.Range(now - 3_600_000, now);
    var empty = queries.answer(new Queries.Ask("b.empty", range, 20)).empty();
    assertThat(empty.text()).contains("The latest is 3 h old");
    assertThat(empty.nearest()).isEqualTo(old);
    assertThat(
            queries.answer(new Queries.Ask("b.empty where host = 'z'", range, 20)).empty().text())
        .contains("matches host = 'z'");
    samples("b.empty", "b", 1);
    assertThat(
            queries.answer(new Queries.Ask("b.empty then keep when > 5", range, 20)).empty().text())
        .startsWith("The step “keep when > 5” removes all data from 1 series, 1 sample.");
    assertThat(
            queries.answer(new Queries.Ask("events where level = 'x'", range, 20)).empty().text())
        .contains("No event");
  }

  @Test
  void aNewQuestionOfAPanelEndsItsLastOne() throws Exception {
    var running = server.bean(ActiveQueries.class);
    var begun = new CountDownLatch(1);
    var ended = new CountDownLatch(1);
    Thread.ofVirtual()
        .start(
            () ->
                running.run(
                    "page/panel",
                    stop -> {
                      begun.countDown();
                      RunningServer.await("the end", stop);
                      ended.countDown();
                      return null;
                    }));
    begun.await();
    boolean stopped = running.run("page/panel", stop -> stop.getAsBoolean());
    assertThat(stopped).isFalse();
    ended.await();
    assertThat(running.end("page")).isZero();
  }

  @Test
  void fieldsThatNobodyKnowsAreNamedAndARangeWithoutLengthIsToldApart() {
    var unknown =
        server.post("/api/v1/query", "application/json", "{\"query\": \"1\", \"stepp\": \"1m\"}");
    assertThat(unknown.statusCode()).isEqualTo(400);
    assertThat(unknown.body()).contains("no field `stepp`; fields: at, controls");
    assertThat(server.found("1", "1700000000000", "1700000000000")).contains("is empty");
    assertThat(server.found("1", "now", "-1h")).contains("swap");
  }
}
