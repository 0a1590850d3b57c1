package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.mock.web.MockHttpServletResponse;
import org.springframework.test.web.servlet.request.AbstractMockHttpServletRequestBuilder;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.define.Definitions;

/** What the scripts of the Bench and of the events search are answered. */
class BenchPagesTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static boolean sent;
  private Pages pages;

  @BeforeEach
  void data() {
    pages = new Pages(server, "EDITOR");
    if (!sent) {
      sent = true;
      samples();
    }
  }

  private static void samples() {
    long now = System.currentTimeMillis();
    var body = new StringBuilder("[");
    for (int i = 0; i < 30; i++) {
      for (var gate : new String[] {"north-1", "south-1"}) {
        body.append(i == 0 && gate.startsWith("n") ? "" : ",")
            .append(
                """
                {"metric": "p.load", "value": %d, "unit": "%%", "labels": {"gate": "%s"}, "time": %d}\
                """
                    .formatted(i + gate.length(), gate, now - (31 - i) * 10_000L));
      }
    }
    server.post("/api/v1/samples", "application/json", body.append("]").toString());
  }

  private MockHttpServletResponse send(AbstractMockHttpServletRequestBuilder<?> request) {
    return pages.send(request);
  }

  private JsonNode json(AbstractMockHttpServletRequestBuilder<?> request) throws Exception {
    var response = send(request);
    assertThat(response.getStatus()).isEqualTo(200);
    return JsonMapper.shared().readTree(response.getContentAsString());
  }

  @Test
  void anAnswerHasAPictureALedgerStatisticsAndWhatWasBefore() throws Exception {
    var answer =
        json(
            post("/bench/answer")
                .param("query", "p.load then max by gate")
                .param("from", "-5m")
                .param("to", "now")
                .param("step", "1m")
                .param("compare", "2m"));
    var traces = answer.path("picture").path("traces");
    assertThat(traces.size()).isEqualTo(4);
    assertThat(traces.get(2).path("name").asString()).isEqualTo("north-1 − 2 min");
    assertThat(traces.get(2).path("earlier").asBoolean()).isTrue();
    assertThat(traces.get(2).path("colour").asInt())
        .isEqualTo(traces.get(0).path("colour").asInt());
    assertThat(answer.path("statistics").path("rows").size()).isEqualTo(4);
    var step = answer.path("ledger").get(0).path("steps").get(0);
    assertThat(step.path("text").asString()).isEqualTo("max by gate");
    assertThat(step.path("shape").asString()).startsWith("2 series ×");
    assertThat(step.path("sample").path("rows").size()).isEqualTo(2);
    assertThat(answer.path("summary").asString()).contains("one point every 1m");
  }

  @Test
  void aMistakeIsAnsweredWithItsPlace() throws Exception {
    var response = send(post("/bench/answer").param("query", "p.load then maks"));
    assertThat(response.getStatus()).isEqualTo(400);
    assertThat(response.getContentAsString()).contains("did you mean max?", "\"column\":13");
  }

  @Test
  void chipsAreOfferedWhatIsThere() throws Exception {
    var values = json(get("/bench/choices?kind=value&metric=p.load&label=gate"));
    assertThat(values.toString()).isEqualTo("[\"north-1\",\"south-1\"]");
    assertThat(json(get("/bench/choices?kind=label&metric=p.load")).toString())
        .isEqualTo("[\"gate\"]");
    assertThat(json(get("/bench/choices?kind=nothing")).size()).isZero();
    var completion =
        json(post("/bench/complete").param("text", "p.load where gate = 'no").param("at", "23"));
    assertThat(completion.path("options").get(0).path("text").asString()).isEqualTo("north-1");
  }

  @Test
  void rawSamplesComeNewestFirstWithTheirExactTimes() throws Exception {
    var table =
        json(
            post("/bench/samples")
                .param("query", "p.load where gate = 'north-1' then max")
                .param("from", "-10m")
                .param("to", "now"));
    assertThat(table.path("rows").get(0).get(2).asString()).isEqualTo("36");
    assertThat(table.path("rows").get(1).get(2).asString()).isEqualTo("35");
    assertThat(table.path("rows").get(0).get(3).asString()).isEqualTo("%");
  }

  @Test
  void anAnswerIsAFile() throws Exception {
    var response =
        send(
            post("/bench/csv")
                .param("query", "p.load then max every 1h then rows then keep gate, value")
                .param("from", "-10m")
                .param("to", "now")
                .param("step", "1h"));
    assertThat(response.getHeader("Content-Disposition")).contains("vintrel.csv");
    assertThat(response.getContentAsString()).startsWith("gate,value\r\n").contains("north-1,36");
  }

  @Test
  void theCatalogueIsSearchedByValueAndSaysWhenNothingIsFound() throws Exception {
    assertThat(send(get("/bench/catalogue?search=south-1")).getContentAsString())
        .contains("data-metric=\"p.load\"");
    assertThat(send(get("/bench/catalogue?search=south-1 nowhere")).getContentAsString())
        .contains("No metric, label, value or description contains")
        .doesNotContain("p.load");
  }

  @Test
  void aPanelGoesBelowTheOthersAndANewNameMakesADashboard() throws Exception {
    var request = post("/bench/panel").param("dashboard", "Gate loads").param("title", "Load");
    var made = json(request.param("query", "p.load").param("show", "lines"));
    assertThat(made.path("url").asString()).isEqualTo("/dashboards/gate-loads?edit=load");
    json(
        post("/bench/panel")
            .param("dashboard", "gate-loads")
            .param("title", "Load")
            .param("query", "p.load then max"));
    var panels = server.bean(Definitions.class).dashboard("gate-loads").panels();
    assertThat(panels).extracting(p -> p.id()).containsExactly("load", "load-2");
    // Its title means it, too; another title of the same letters is another dashboard.
    var titled = post("/bench/panel").param("dashboard", "gate LOADS").param("title", "Third");
    assertThat(json(titled.param("query", "p.load")).path("url").asString())
        .isEqualTo("/dashboards/gate-loads?edit=third");
    var other = post("/bench/panel").param("dashboard", "Gate, loads").param("title", "Load");
    assertThat(json(other.param("query", "p.load")).path("url").asString())
        .isEqualTo("/dashboards/gate-loads-2?edit=load");
    assertThat(server.bean(Definitions.class).dashboard("gate-loads").panels()).hasSize(3);
    assertThat(panels.get(1).place().row())
        .isEqualTo(panels.get(0).place().row() + panels.get(0).place().height());
    var refused =
        send(
            post("/bench/panel")
                .param("dashboard", "gate-loads")
                .param("title", " ")
                .param("query", "p.load"));
    assertThat(refused.getStatus()).isEqualTo(400);
    assertThat(refused.getContentAsString()).contains("the panel needs a title");
  }

  /** What fails has its chips all the same; what can't be read has none, and is no failure. */
  @Test
  void aQueryThatFailsHasItsOutline() throws Exception {
    var failing = "no.such.metric where gate = 'n' then sum by gate";
    assertThat(send(post("/bench/answer").param("query", failing)).getStatus()).isEqualTo(400);
    var line = json(post("/queries/outline").param("query", failing)).get(0);
    assertThat(line.path("source").path("chips").toString()).contains("no.such.metric", "gate");
    assertThat(line.path("steps").get(0).path("text").asString()).isEqualTo("sum by gate");
    for (var half : new String[] {"host.cpu then", "a: b: c", "'"}) {
      assertThat(json(post("/queries/outline").param("query", half)).size()).as(half).isZero();
    }
    var broken =
        post("/bench/panel").param("dashboard", "d").param("title", "T").param("query", failing);
    assertThat(send(broken).getContentAsString()).contains("the query fails: no metric");
    assertThat(json(broken.param("anyway", "true")).path("made").asBoolean()).isTrue();
  }

  @Test
  void eventsAreCountedByLevelFoundByTextAndAroundATime() throws Exception {
    long now = System.currentTimeMillis();
    var body =
        """
        {"resourceLogs": [{"resource": {"attributes": [{"key": "host.name", "value": {"stringValue": "nq-1"}}]},
          "scopeLogs": [{"logRecords": [
            {"timeUnixNano": "%d000000", "severityNumber": 17, "body": {"stringValue": "Ramp (2) is stuck"}},
            {"timeUnixNano": "%d000000", "severityNumber": 9, "body": {"stringValue": "ramp is down"}}]}]}]}
        """
            .formatted(now - 60_000, now - 30_000);
    assertThat(server.post("/v1/logs", "application/json", body).statusCode()).isEqualTo(200);
    var found =
        json(
            post("/bench/events/answer")
                .param("text", "RAMP (2)")
                .param("where", "host = 'nq-1'")
                .param("from", "-10m")
                .param("to", "now"));
    assertThat(found.path("total").asInt()).isEqualTo(1);
    assertThat(found.path("counts").propertyNames()).containsExactly("error");
    assertThat(found.path("rows").get(0).path("text").asString()).isEqualTo("Ramp (2) is stuck");
    assertThat(found.path("query").asString()).contains("host = 'nq-1'").endsWith("sum by level");
    var none = json(post("/bench/events/answer").param("text", "no such word"));
    assertThat(none.path("empty").path("text").asString()).contains("matches the conditions");
    var around =
        json(
            post("/bench/events/around")
                .param("at", Long.toString(now - 30_000))
                .param("reach", "10000"));
    assertThat(around.toString()).contains("ramp is down").doesNotContain("stuck");
    var wrong = send(post("/bench/events/answer").param("where", "level ~"));
    assertThat(wrong.getStatus()).isEqualTo(400);
  }

  private String why(String query, String from, String to) throws Exception {
    var answer =
        json(post("/bench/answer").param("query", query).param("from", from).param("to", to));
    return answer.path("empty").path("text").asString();
  }

  @Test
  void anEmptyAnswerSaysWhichStepLeavesNothing() throws Exception {
    assertThat(why("p.load then keep when > 100000 then sum", "-5m", "now"))
        .startsWith("The step “keep when > 100000” removes all data from 2 series");
    assertThat(why("p.load then rows then where value < 0 then limit 3", "-5m", "now"))
        .startsWith("The step “where value < 0” removes all data from table");
    assertThat(why("p.load then sum", "-5m", "now")).isEmpty();
    assertThat(why("p.load then keep when > 100000", "-4m", "-2m"))
        .as("newer samples than the range are no reason")
        .startsWith("The step “keep when > 100000” removes all data from 2 series");
    assertThat(why("p.load then rate every 1m", "2026-01-01T00:00", "2026-01-01T01:00"))
        .contains("No samples of p.load in this range");
  }

  @Test
  void anEmptyAnswerSaysWhichConditionKillsItOrWhenTheNewestSampleCame() throws Exception {
    assertThat(why("p.load where gate = 'north-1' and gate = 'nowhere'", "-5m", "now"))
        .isEqualTo("No series of p.load matches gate = 'nowhere'.");
    assertThat(why("p.load where gate = 'north-1' and gate = 'south-1'", "-5m", "now"))
        .contains("all conditions together");
    assertThat(why("p.load", "2026-01-01T00:00", "2026-01-02T00:00"))
        .contains("No samples of p.load in this range. The latest is", "old.");
  }

  @Test
  void eventsThatAreElsewhereInTimeAreToldWithTheNearestThatFulfilsTheConditions()
      throws Exception {
    var events = server.bean(vintrel.server.store.LogStore.class);
    long now = System.currentTimeMillis();
    var labels = vintrel.core.series.Labels.of("host", "why-1");
    events.append(
        "main",
        java.util.List.of(
            new vintrel.core.series.Event(0, "", now - 7_200_000, "fatal", "sank", labels, ""),
            new vintrel.core.series.Event(0, "", now - 1000, "info", "swims", labels, "")),
        "test");
    var found =
        json(
            post("/bench/events/answer")
                .param("where", "host = 'why-1' and level = 'fatal'")
                .param("from", "-1h")
                .param("to", "now"));
    assertThat(found.path("empty").path("nearest").asLong()).isEqualTo(now - 7_200_000);
    assertThat(found.path("empty").path("text").asString()).contains("The latest is 2 h old");
    assertThat(why("events where host = 'why-1' and level = 'fatal' then count", "-1h", "now"))
        .contains("No matching events in this range");
    assertThat(why("events where host = 'never'", "-1h", "now"))
        .isEqualTo("No stored event matches the conditions.");
  }

  @Test
  void theEmptyBenchBeginsWithQuestionsThatCanBeAnswered() throws Exception {
    var page = pages.text(get("/bench"));
    assertThat(page).contains("Start with a query", "p.load then mean by gate", ", mean");
    var answer = json(post("/bench/answer").param("query", "p.load then mean by gate"));
    assertThat(answer.path("ledger").get(0).path("steps").get(0).path("glimpse").path("series"))
        .hasSize(2);
    assertThat(answer.path("plan").path("rows").toString()).contains("mean by gate", "total (");
  }
}
