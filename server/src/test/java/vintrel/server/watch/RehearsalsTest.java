package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.time.Instant;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.test.web.servlet.request.MockHttpServletRequestBuilder;
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

  /** The form that pipelines send: the rule as an object beside its range. */
  @Test
  void aRuleInAnObjectIsRehearsedAsTheSame() throws Exception {
    var body =
        """
        {"rule": {"title": "Full", "query": "deck.load then max by deck", "unit": "t",
          "every": "10s", "behind": "0s",
          "limits": [{"above": 100, "priority": "high", "on-delay": "30s"}]},
         "from": "%s", "to": %d}
        """
            .formatted(Instant.ofEpochMilli(END - 7_200_000), END);
    var answer = server.post("/api/v1/rules/rehearse", "application/json", body);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    var told = JsonMapper.shared().readTree(answer.body());
    assertThat(told.path("raised").asInt()).isEqualTo(2);
    assertThat(told.path("flaps").asInt()).isEqualTo(1);
    assertThat(told.path("stats").path("checks").asLong()).isBetween(1_430L, 1_442L);
    var a = told.path("series").get(0);
    assertThat(a.path("total").asLong()).isEqualTo(a.path("raised_ms").asLong()).isPositive();
    assertThat(a.path("longest").asLong()).isBetween(560_000L, 580_000L);
    var transitions = told.path("transitions");
    assertThat(transitions.size()).isGreaterThan(4);
    for (int i = 1; i < transitions.size(); i++) {
      assertThat(transitions.get(i).path("at").asLong())
          .isGreaterThanOrEqualTo(transitions.get(i - 1).path("at").asLong());
    }
    assertThat(transitions.get(0).path("labels").has("deck")).isTrue();
    // YAML may be in braces, too; and what is none of it says so.
    var flow = "{kind: rule, name: flow, query: deck.load, limits: [{above: 1}]}";
    assertThat(server.post("/api/v1/rules/rehearse", "application/yaml", flow).statusCode())
        .isEqualTo(200);
    for (var wrong : new String[] {"{\"rule\": 5}", "{\"rule\": {\"query\": \"m\"}}", "{"}) {
      assertThat(server.post("/api/v1/rules/rehearse", "application/json", wrong).statusCode())
          .as(wrong)
          .isBetween(400, 422);
    }
  }

  /** Bookings with a daily curve for ten days, and a drop in the last hours. */
  @Test
  void aBandIsLearnedFromTheDaysBeforeAndRaisesAtADrop() throws Exception {
    var text = new StringBuilder("time,metric,value,unit,site\n");
    long first = END - 10 * 86_400_000L;
    for (long t = first; t < END; t += 300_000) {
      double day = 2 * Math.PI * (t % 86_400_000) / 86_400_000;
      double noise = new java.util.Random(t).nextGaussian();
      boolean drop = t >= END - 3 * 3_600_000 && t < END - 2 * 3_600_000;
      double v = (200 + 100 * Math.sin(day) + 5 * noise) * (drop ? 0.3 : 1);
      text.append("%d,seats.sold,%s,{seat}/h,north-quay\n".formatted(t, v));
    }
    var sent = server.post("/api/v1/import", "text/csv", text.toString());
    assertThat(sent.statusCode()).as(sent.body()).isEqualTo(200);
    var rule =
        """
        kind: rule
        name: seats
        query: seats.sold then mean over 5m then sum by site
        every: 5m
        behind: 0s
        limits:
        - {outside-band: 4, priority: medium, on-delay: 10m}
        """;
    var told = rehearse(rule, "from=" + (END - 3 * 86_400_000L) + "&to=" + END);
    assertThat(told.path("raised").asInt()).as(told.toString()).isEqualTo(1);
    var raised = told.path("transitions").get(2);
    assertThat(raised.path("change").asString()).isEqualTo("raised");
    assertThat(raised.path("at").asLong())
        .isBetween(END - 3 * 3_600_000 + 600_000, END - 3 * 3_600_000 + 1_500_000);
    assertThat(raised.path("why").asString())
        .contains("limit: outside the expected band for 10 min, ");
    // The first three days teach nothing yet: a range that ends there is not judged.
    var early = rehearse(rule, "from=" + first + "&to=" + (first + 86_400_000L));
    assertThat(early.path("raised").asInt()).isZero();
    assertThat(early.path("series").get(0).path("state").asString()).isEqualTo("Normal");
    // What it can't learn from is refused when it is saved.
    var wrong = rule.replace("sum by site", "top 2");
    var refused = server.post("/api/v1/definitions", "application/yaml", wrong);
    assertThat(refused.statusCode()).isEqualTo(422);
    assertThat(refused.body()).contains("an expected band can't be learned");
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
    var document =
        """
        {"title": "Car deck is full", "query": "deck.load then max by deck", "unit": "t",
         "every": "10s", "behind": "0s",
         "limits": [{"above": 100, "priority": "high", "on-delay": "30s"}]}
        """;
    var html = pages.html(asked(document, range()));
    assertThat(pages.text(asked(document, range())))
        .contains(
            "raised twice",
            "9 min 30 s at most, 10 min in all",
            "flapped once",
            "8 messages to Quay team")
        .contains("40 t Normal 60 t");
    assertThat(html).containsPattern("<rect[^>]*class=\"raised high\"");
    var answer = answer(html);
    var traces = answer.path("drawing").path("picture").path("traces");
    assertThat(traces).hasSize(2);
    assertThat(answer.path("drawing").path("limits").get(0).path("at").asDouble()).isEqualTo(100);
    // However wide its columns are, what passed the limit is on it.
    assertThat(traces.get(0).path("values").toString()).contains("120", "50");
    assertThat(answer.path("limits").get(0).asString()).isEqualTo("100 t");
    assertThat(answer.path("watched").asString()).isEqualTo("2 series");
    var raised = answer.path("raised");
    assertThat(raised).hasSize(2);
    assertThat(raised.get(0).path("lasted").asString()).isEqualTo("9 min 30 s");
    assertThat(raised.get(0).path("from").asLong()).isBetween(END - 3_600_000, END - 3_540_000);
    var message = answer.path("messages").get(0);
    assertThat(message.path("subject").asString())
        .isEqualTo("raised (high): Car deck is full, deck a");
    assertThat(message.path("to").asString()).isEqualTo("To Quay team");
    // Another limit of the same page is rehearsed from what was read.
    var moved = document.replace("100,", "45,").replace("30s", "0s");
    assertThat(pages.text(asked(moved, range()))).contains("raised once", "2 h at most");
  }

  @Test
  void aDraftIsAdvisedAndItsFaultsAreSaidAtTheirPlace() throws Exception {
    var pages = new Pages(server, "VIEWER");
    var document =
        """
        {"title": "D", "query": "deck.load then max by deck", "unit": "t", "summary": "{{value}}",
         "every": "10s", "limits": [{"above": 100, "priority": "high", "on-delay": "30s"}]}
        """;
    var tooLong = answer(pages.html(asked(document, "from=-60d&to=now")));
    assertThat(tooLong.path("faults").get(0).path("text").asString())
        .contains("a rehearsal looks back at most");
    var never = answer(pages.html(asked(document.replace("100", "900"), range())));
    assertThat(never.path("advice").toString()).contains("Never reached", "40 t to 120 t");
    var always = answer(pages.html(asked(document.replace("100", "3"), range())));
    assertThat(always.path("advice").toString()).contains("Always passed");
    var unit = answer(pages.html(asked(document.replace("\"t\"", "\"kg\""), range())));
    assertThat(unit.path("advice").toString()).contains("The query gives t");
    var label = answer(pages.html(asked(document.replace("{{value", "{{labels.ship"), range())));
    assertThat(label.path("advice").toString()).contains("No series has the label ship");
    var without = document.replaceAll("\\{\"above.*?}", "");
    var first = answer(pages.html(asked(without, range())));
    assertThat(first.path("proposal").path("above").asDouble()).isGreaterThan(100);
    var none = answer(pages.html(asked(document.replace("deck.load", "no.metric"), range())));
    assertThat(none.path("advice").toString()).contains("Matches no series");
    for (var wrong :
        new String[][] {
          {document.replace("100", "\"x\""), "limits[0].above"},
          {document.replace("max by deck", "top 3"), "query"},
          {document.replace("max by deck", "rows"), "query"},
          {document.replace("{{value}}", "{{#value}}"), "summary"},
        }) {
      var told = answer(pages.html(asked(wrong[0], range())));
      assertThat(told.path("faults")).as(wrong[0]).isNotEmpty();
      assertThat(told.path("faults").get(0).path("place").asString()).isEqualTo(wrong[1]);
    }
  }

  private static MockHttpServletRequestBuilder asked(String document, String range) {
    var out = post("/watch/rules/rehearsal?" + range);
    return out.param("document", document).param("name", "full").param("page", "p1");
  }

  private static JsonNode answer(String html) {
    int at = html.indexOf("data-answer=\"") + 13;
    var json = HtmlUtils.htmlUnescape(html.substring(at, html.indexOf('"', at)));
    return JsonMapper.shared().readTree(json);
  }

  /** What waiting spares: the short alert, at the price of a minute and a half. */
  @Test
  void aTradeOffCountsAlertsByOnDelay() throws Exception {
    var pages = new Pages(server, "VIEWER");
    var document =
        """
        {"title": "D", "query": "deck.load then max by deck", "unit": "t", "every": "10s",
         "behind": "0s", "limits": [{"above": 100, "priority": "high", "on-delay": "30s"}]}
        """;
    var request = post("/watch/rules/trade-off?" + range()).param("document", document);
    var told = JsonMapper.shared().readTree(pages.html(request));
    assertThat(told.path("shown").get(0).path("alerts").asInt()).isEqualTo(2);
    assertThat(told.path("own").path("onDelay").asString()).isEqualTo("30s");
    assertThat(told.path("own").path("alerts").asInt()).isEqualTo(2);
    var twoMinutes = told.path("shown").get(3);
    assertThat(twoMinutes.path("onDelay").asString()).isEqualTo("2m");
    assertThat(twoMinutes.path("alerts").asInt()).isEqualTo(1);
    assertThat(twoMinutes.path("about").asString()).contains("what lasts up to 1 min is missed");
  }

  @Test
  void aRuleIsSavedOnlyWhenItIsValidAndNobodyWasFaster() throws Exception {
    var pages = new Pages(server, "EDITOR");
    var document =
        """
        {"title": "Deck load", "query": "deck.load", "limits": [{"above": 100}]}
        """;
    var made = saved(pages, document, "", 0, 200);
    assertThat(made.path("name").asString()).isEqualTo("deck-load");
    assertThat(saved(pages, document, "", 0, 200).path("name").asString())
        .as("a second one of the same title")
        .isEqualTo("deck-load-2");
    var wrong = saved(pages, document.replace("100", "\"x\""), "deck-load", 1, 422);
    assertThat(wrong.path("faults").get(0).path("place").asString()).isEqualTo("limits[0].above");
    var untitled = saved(pages, document.replace("Deck load", " "), "", 0, 422);
    assertThat(untitled.path("faults").get(0).path("place").asString()).isEqualTo("title");
    assertThat(saved(pages, document.replace("100", "110"), "deck-load", 1, 200).path("version"))
        .hasToString("2");
    var stale = saved(pages, document.replace("100", "120"), "deck-load", 1, 412);
    assertThat(stale.path("changes").toString()).contains("110");
    assertThat(pages.text(get("/watch/rules/new?copy=deck-load&from=-1h")))
        .contains("Deck load, copy");
    assertThat(pages.send(get("/watch/rules/none?from=-1h")).getStatus()).isEqualTo(404);
  }

  private static JsonNode saved(Pages pages, String document, String name, int version, int status)
      throws Exception {
    var request =
        post("/watch/rules/save")
            .param("document", document)
            .param("name", name)
            .param("version", String.valueOf(version));
    var answer = pages.send(request);
    assertThat(answer.getStatus()).as(answer.getContentAsString()).isEqualTo(status);
    return JsonMapper.shared().readTree(answer.getContentAsString());
  }
}
