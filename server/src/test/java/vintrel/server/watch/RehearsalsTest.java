package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;

import java.time.Instant;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.web.util.HtmlUtils;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.Pages;
import vintrel.server.RunningServer;

/** What a rule would have done, by the API and on its page. */
class RehearsalsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  /** On a minute. */
  private static final long END = System.currentTimeMillis() / 60_000 * 60_000;

  private static final String RULE =
      """
      kind: rule
      name: full
      title: Car deck is full
      query: deck.load then max by deck
      unit: t
      every: 10s
      behind: 0s
      limits:
      - {above: 100, priority: high, on-delay: 30s}
      """;

  /** Two hours, every 10 s; deck a is full from 60 to 50 min and from 45 to 44 min before. */
  @BeforeAll
  static void samples() {
    var text = new StringBuilder("time,metric,value,unit,deck\n");
    for (long t = END - 7_200_000; t < END; t += 10_000) {
      double before = (END - t) / 60_000.0;
      boolean full = before <= 60 && before > 50 || before <= 45 && before > 44;
      text.append("%d,deck.load,%d,t,a\n".formatted(t, full ? 120 : 50));
      text.append("%d,deck.load,40,t,b\n".formatted(t));
    }
    var answer = server.post("/api/v1/import", "text/csv", text.toString());
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: recipient
        name: quay
        title: Quay team
        channels: [{webhook: 'http://localhost:9/x'}, {mail: quay@marrowsound.example}]
        ---
        kind: routing
        name: table
        routes:
        - {name: Everything else, to: [quay]}
        """);
  }

  private static JsonNode rehearse(String rule, String range) throws Exception {
    var answer = server.post("/api/v1/rules/rehearse?" + range, "application/yaml", rule);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    return JsonMapper.shared().readTree(answer.body());
  }

  private static String range() {
    return "from=" + (END - 7_200_000) + "&to=" + END;
  }

  @Test
  void alertsLengthsFlapsAndMessagesAreTold() throws Exception {
    var told = rehearse(RULE, range());
    assertThat(told.path("raised").asInt()).isEqualTo(2);
    assertThat(told.path("flaps").asInt()).as("5 min after the first").isEqualTo(1);
    // 10 min and 1 min above the limit, 30 s of each are the delay; checks are 10 s apart.
    assertThat(told.path("longest_ms").asLong()).isBetween(560_000L, 580_000L);
    assertThat(told.path("raised_ms").asLong()).isBetween(580_000L, 620_000L);
    // Raised and cleared, twice, to two channels.
    assertThat(told.path("messages").asInt()).isEqualTo(8);
    assertThat(told.path("recipients").path("Quay team").asInt()).isEqualTo(8);
    assertThat(told.path("series")).hasSize(2);
    var a = told.path("series").get(0);
    assertThat(a.path("labels").path("deck").asString()).isEqualTo("a");
    assertThat(a.path("transitions").get(2).path("why").asString())
        .isEqualTo("120 t; limit: above 100 t for 30 s");
    assertThat(told.path("series").get(1).path("raised").asInt()).isZero();
    // A longer delay spares the short one.
    var longer = rehearse(RULE.replace("30s}", "2m}"), range());
    assertThat(longer.path("raised").asInt()).isEqualTo(1);
    assertThat(Instant.parse(longer.path("from").asString()).toEpochMilli())
        .isBetween(END - 7_200_000, END - 7_190_000);
  }

  @Test
  void whatCannotBeRehearsedSaysWhy() {
    for (var wrong :
        new String[][] {
          {RULE.replace("max by deck", "top 2"), range(), "depends on the whole range"},
          {RULE.replace("max by deck", "rows"), range(), "rehearsed"},
          {RULE, "from=-60d", "at most"},
          {RULE, "from=now&to=-1h", "ends before it starts"},
          {RULE.replace("above: 100", "above: x"), range(), "limits[0].above"},
          {"kind: dashboard\nname: d\ntitle: D\n", range(), "kind rule"},
        }) {
      var answer = server.post("/api/v1/rules/rehearse?" + wrong[1], "application/yaml", wrong[0]);
      assertThat(answer.statusCode()).as(answer.body()).isBetween(400, 422);
      assertThat(answer.body()).contains(wrong[2]);
    }
  }

  @Test
  void windowsThatFitItsChecksBadlyAreCheckedLessOften() throws Exception {
    var told = rehearse(RULE.replace("max by deck", "max every 1h then max by deck"), range());
    assertThat(told.path("every_ms").asLong()).isEqualTo(60_000);
    assertThat(told.path("raised").asInt()).isEqualTo(1);
  }

  @Test
  void itsPageShowsTheSentenceTheStripsAndTheChart() throws Exception {
    server.post("/api/v1/definitions", "application/yaml", RULE);
    var pages = new Pages(server, "VIEWER");
    assertThat(pages.send(get("/watch/rules/full")).getRedirectedUrl())
        .isEqualTo("/watch/rules/full?from=-1w&to=now");
    assertThat(pages.text(get("/watch/rules/full?from=-2h&to=now"))).contains("Car deck is full");
    var part = get("/watch/rules/full/rehearsal?" + range());
    assertThat(pages.text(part))
        .contains(
            "raised twice",
            "9 min 30 s at most, 10 min in all",
            "flapped once",
            "8 messages to Quay team")
        .contains("40 t Normal 60 t");
    var html = pages.html(part);
    assertThat(html).containsPattern("<rect[^>]*class=\"raised high\"");
    var fault = get("/watch/rules/full/rehearsal?from=-60d&to=now");
    assertThat(pages.text(fault)).contains("a rehearsal looks back at most");
    int at = html.indexOf("data-drawing=\"") + 14;
    var json = HtmlUtils.htmlUnescape(html.substring(at, html.indexOf('"', at)));
    var drawn = JsonMapper.shared().readTree(json);
    var traces = drawn.path("picture").path("traces");
    assertThat(traces).hasSize(2);
    assertThat(drawn.path("limits").get(0).path("at").asDouble()).isEqualTo(100);
    // However wide its columns are, what passed the limit is on it.
    assertThat(traces.get(0).path("high").toString()).contains("120", "50");
    assertThat(pages.send(get("/watch/rules/nothing/rehearsal")).getStatus()).isEqualTo(404);
  }
}
