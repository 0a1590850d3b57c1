package vintrel.server.show;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.time.Instant;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.StringJoiner;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.mock.web.MockHttpServletResponse;
import org.springframework.test.web.servlet.request.MockHttpServletRequestBuilder;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.define.Definitions;
import vintrel.server.web.PersonZones;

class DashboardsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  private static Pages pages;

  @BeforeAll
  static void samples() {
    pages = new Pages(server, "EDITOR");
    for (var gate : List.of("north-1", "south-1")) {
      for (int i = 1; i < 6; i++) {
        server.post(
            "/api/v1/samples",
            "application/json",
            "{\"metric\": \"d.load\", \"value\": %d, \"unit\": \"t\", \"labels\": {\"gate\": \"%s\"}, \"time\": %d}"
                .formatted(
                    10 * i + (gate.startsWith("south") ? 3 : 0),
                    gate,
                    System.currentTimeMillis() - 60_000L * i));
      }
    }
  }

  private static JsonNode json(MockHttpServletResponse response) throws Exception {
    return JsonMapper.shared().readTree(response.getContentAsString());
  }

  private static void make(String title) {
    pages.send(post("/dashboards").param("title", title).param("folder", "Quays"));
  }

  private static Definitions definitions() {
    return server.bean(Definitions.class);
  }

  @Test
  void oneIsMadeFoundDescribedCopiedStarredDeletedAndRestored() {
    make("Tide");
    make("Tide");
    assertThat(definitions().dashboard("tide-2").folder()).isEqualTo("Quays");
    pages.send(
        post("/dashboards/tide/about")
            .param("title", "High tide")
            .param("folder", "Ships")
            .param("description", "Where the water stands")
            .param("range", "-6h"));
    assertThat(pages.html(get("/dashboards?q=water stands")))
        .contains("High tide")
        .doesNotContain("/dashboards/tide-2");
    assertThat(pages.text(get("/dashboards?folder=Quays"))).doesNotContain("High tide");
    // It opens on its own range, unless the address has one.
    assertThat(pages.send(get("/dashboards/tide")).getRedirectedUrl())
        .isEqualTo("/dashboards/tide?from=-6h&to=now");
    assertThat(pages.send(get("/dashboards/tide?from=-1h&to=now")).getStatus()).isEqualTo(200);
    pages.send(post("/dashboards/tide/copy"));
    assertThat(definitions().dashboard("high-tide-copy").title()).isEqualTo("High tide, copy");
    var starred = post("/dashboards/tide-2/star").param("on", "true").param("q", "a&b=c");
    assertThat(pages.send(starred).getRedirectedUrl()).contains("q=a%26b%3Dc");
    assertThat(pages.text(get("/dashboards?folder=*starred")))
        .contains("Tide")
        .doesNotContain("High tide");
    pages.send(post("/dashboards/tide/delete"));
    assertThat(definitions().dashboard("tide")).isNull();
    pages.send(post("/definitions/dashboard/tide/restore"));
    assertThat(definitions().dashboard("tide").description()).isEqualTo("Where the water stands");
  }

  @Test
  void manyPagesOfOneDashboardOpenAtOnce() throws Exception {
    make("Busy");
    try (var threads = java.util.concurrent.Executors.newFixedThreadPool(8)) {
      var all = new java.util.ArrayList<java.util.concurrent.Future<Integer>>();
      for (int i = 0; i < 40; i++) {
        all.add(threads.submit(() -> pages.send(get("/dashboards/busy")).getStatus()));
      }
      for (var one : all) {
        assertThat(one.get()).isEqualTo(200);
      }
    }
    assertThat(server.bean(DashboardUse.class).of("kim").get("busy").openedAt()).isPositive();
  }

  @Test
  void theFileOfATableHoldsWhatTheTableShows() throws Exception {
    server.post(
        "/api/v1/definitions",
        "application/json",
        """
        {"kind": "dashboard", "name": "files", "title": "Files", "controls": [{"name": "gate", "label": "gate", "metric": "d.load"}],
         "panels": [{"title": "Heaviest: now", "kind": "table", "at": [1, 1, 6, 6],
          "query": "d.load where gate = $gate then rows then group by gate: max value",
          "options": {"columns": ["value", "gate"], "sort-by": "value", "descending": true, "most": 1}}]}
        """);
    var panel = definitions().dashboard("files").panels().getFirst();
    var path = "/dashboards/files/panels/" + panel.id();
    var file = pages.send(post(path + "/csv").param("from", "-1h").param("to", "now"));
    assertThat(file.getHeader("Content-Disposition")).contains("Heaviest--now.csv");
    assertThat(file.getContentAsString()).isEqualTo("value,gate\r\n53,south-1\r\n");
    // On the Bench, which has no controls, the same is asked.
    var bench = pages.send(get(path + "/bench?gate=north-1&from=-2h&to=now"));
    assertThat(
            java.net.URLDecoder.decode(
                bench.getRedirectedUrl(), java.nio.charset.StandardCharsets.UTF_8))
        .startsWith("/bench?q=d.load where gate = 'north-1' then rows")
        .endsWith("&from=-2h&to=now");
  }

  @Test
  void aTitleThatIsNoneAndARangeThatIsNoneAreRefused() {
    assertThat(pages.send(post("/dashboards").param("title", "  ")).getStatus()).isEqualTo(400);
    make("Range");
    var refused =
        pages.send(post("/dashboards/range/about").param("title", "R").param("range", "a week"));
    assertThat(refused.getStatus()).isBetween(400, 422);
    assertThat(definitions().dashboard("range").title()).isEqualTo("Range");
  }

  private static String document(String panels) {
    return "{\"kind\": \"dashboard\", \"name\": \"two\", \"title\": \"Two\", \"panels\": [%s]}"
        .formatted(panels);
  }

  private static String panel(String title, String more) {
    return "{\"title\": \"%s\", \"at\": [1, 1, 6, 6], \"query\": \"d.load\"%s}"
        .formatted(title, more);
  }

  private static MockHttpServletResponse save(String text, int version) {
    return pages.send(
        post("/dashboards/two/save").param("document", text).param("version", "" + version));
  }

  private static MockHttpServletResponse saveCopy(String text) {
    return pages.send(post("/dashboards/two/save-copy").param("document", text));
  }

  @Test
  void theSecondToSaveIsToldWhatTheFirstChangedAndNothingIsLost() throws Exception {
    make("Two");
    var draft = json(pages.send(get("/dashboards/two/document")));
    int version = draft.path("version").asInt();
    assertThat(draft.path("kinds").toString()).contains("Time chart", "\"stack\"", "percent");
    assertThat(save(document(panel("Mine", "")), version).getStatus()).isEqualTo(200);
    var late = save(document(panel("Late", "")), version);
    assertThat(late.getStatus()).isEqualTo(412);
    assertThat(json(late).path("by").asString()).isEqualTo("kim");
    assertThat(json(late).path("changes").toString()).contains("added panel Mine");
    assertThat(definitions().dashboard("two").panels()).hasSize(1);
    var kept = json(saveCopy(document(panel("Late", ""))));
    assertThat(kept.path("name").asString()).isEqualTo("two-copy");
    assertThat(definitions().dashboard("two-copy").title()).isEqualTo("Two, copy");
    assertThat(definitions().dashboard("two-copy").panels().getFirst().title()).isEqualTo("Late");
    assertThat(definitions().dashboard("two").panels().getFirst().title()).isEqualTo("Mine");
    assertThat(saveCopy(document("").replace("\"two\"", "\"other\"")).getStatus()).isEqualTo(422);
    int now = json(late).path("version").asInt();
    var faulty = save(document(panel("A", ", \"kind\": \"dail\"")), now);
    assertThat(faulty.getStatus()).isEqualTo(422);
    assertThat(json(faulty).path("faults").toString()).contains("panels[0].kind: must be one of");
    // Another dashboard's name does not get in by this door.
    assertThat(save(document("").replace("\"two\"", "\"other\""), now).getStatus()).isEqualTo(422);
    assertThat(save(document(panel("Late", "")), now).getStatus()).isEqualTo(200);
  }

  @Test
  void anyTwoVersionsAreComparedInWordsAndAsText() {
    make("Compared");
    for (int w = 6; w >= 5; w--) {
      var text =
          "{\"kind\": \"dashboard\", \"name\": \"compared\", \"title\": \"Compared\","
              + " \"panels\": [{\"title\": \"<i>\", \"at\": [1, 1, %d, 6], \"query\": \"d.load\"}]}"
                  .formatted(w);
      var saved =
          pages.send(
              post("/dashboards/compared/save")
                  .param("document", text)
                  .param("version", "" + (7 - w)));
      assertThat(saved.getStatus()).isEqualTo(200);
    }
    var path = "/definitions/dashboard/compared";
    assertThat(pages.text(get(path)))
        .contains("History of Compared", "added panel", "size 6 × 6 → 5 × 6");
    assertThat(pages.html(get(path)))
        .contains("&lt;i&gt;: size")
        .doesNotContain("<i>")
        .doesNotContain("From version");
    // Both ways, and over more than one version.
    assertThat(pages.text(get(path + "?from=2&to=3"))).contains("From version 2 to 3", "added: ");
    assertThat(pages.text(get(path + "?from=3&to=2"))).contains("size 5 × 6 → 6 × 6");
    assertThat(pages.text(get(path + "?from=1&to=3"))).contains("added panel");
    assertThat(pages.text(get(path + "?from=3&to=3"))).contains("The two versions are the same");
    assertThat(pages.text(get(path + "?from=3&to=77")))
        .contains("One of the versions does not exist")
        .doesNotContain("From version");
    // Very different long texts cost neither the memory nor the time of their square.
    for (var word : List.of("a", "b")) {
      var panels = new StringJoiner(",");
      for (int i = 0; i < 490; i++) {
        panels.add(
            "{\"title\": \"%s%d\", \"at\": [1, %d, 1, 2], \"query\": \"%s.m%d\"}"
                .formatted(word, i, 1 + 2 * i, word, i));
      }
      var text =
          "{\"kind\": \"dashboard\", \"name\": \"compared\", \"title\": \"C\", \"panels\": [%s]}"
              .formatted(panels);
      int version = definitions().find("dashboard", "compared").version();
      var saved =
          post("/dashboards/compared/save").param("document", text).param("version", "" + version);
      assertThat(pages.send(saved).getStatus()).isEqualTo(200);
    }
    assertThat(pages.text(get(path + "?from=4&to=5")))
        .contains("deleted panel a0", "added panel b489", "too long to be compared line by line");
    assertThat(pages.text(get(path + "?from=3&to=4")))
        .contains("added: ")
        .doesNotContain("too long");
  }

  private static MockHttpServletResponse draft(String kind, String options) {
    var more = ", \"kind\": \"%s\", \"options\": %s".formatted(kind, options);
    return pages.send(
        post("/dashboards/drawn/draft")
            .param("draft", panel("P", more))
            .param("from", "-10m")
            .param("to", "now"));
  }

  @Test
  void aPanelMayHaveATimeOfItsOwn() throws Exception {
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: dashboard
        name: own-time
        title: Own time
        zone: Asia/Tokyo
        panels:
        - {title: Day, at: [1, 1, 6, 6], query: d.load, time: yesterday}
        - {title: Late, at: [1, 7, 6, 6], query: d.load, time: -2h}
        - {title: Page, at: [7, 1, 6, 6], query: d.load}
        """);
    var path = "/dashboards/own-time/panels/";
    long noon = Instant.parse("2026-03-02T03:00:00Z").toEpochMilli();
    var ends = new ArrayList<String>();
    for (var id : List.of("day", "late", "page")) {
      var bench =
          get(path + id + "/bench").param("from", "" + (noon - 60_000)).param("to", "" + noon);
      var to = pages.send(bench).getRedirectedUrl();
      ends.add(to.substring(to.indexOf("&from")));
    }
    long midnight = noon - 12 * 3_600_000L;
    assertThat(ends)
        .containsExactly(
            "&from=" + (midnight - 24 * 3_600_000L) + "&to=" + midnight,
            "&from=" + (noon - 2 * 3_600_000L) + "&to=" + noon,
            "&from=" + (noon - 60_000) + "&to=" + noon);
    var drawn = json(pages.send(post(path + "late").param("from", "-10m").param("to", "now")));
    var picture = drawn.path("drawing").path("picture");
    assertThat(picture.path("to").asLong() - picture.path("from").asLong()).isEqualTo(7_200_000);
    assertThat(html(get("/dashboards/own-time"))).contains(">last 2h</span>", ">yesterday</span>");
  }

  @Test
  void aUnitThatTheValuesDoNotHaveIsWarnedOf() throws Exception {
    make("Drawn");
    for (var unit : List.of("%", "t", "")) {
      var more = ", \"unit\": \"%s\"".formatted(unit);
      var draft = post("/dashboards/drawn/draft").param("draft", panel("P", more));
      var advice = json(pages.send(draft.param("from", "-10m").param("to", "now"))).path("advice");
      assertThat(advice.toString().contains("The values are in t and the panel writes them in %"))
          .as(unit)
          .isEqualTo(unit.equals("%"));
    }
  }

  @Test
  void whatIsRepeatedIsDrawnBeforeItsControlIsSaved() throws Exception {
    make("Drawn");
    var answer =
        json(
            pages.send(
                post("/dashboards/drawn/draft")
                    .param("draft", panel("P", ", \"repeat\": \"ship\""))
                    .param("from", "-10m")
                    .param("to", "now")));
    assertThat(answer.path("drawing").path("picture").path("traces")).hasSize(2);
    var offers =
        json(
            pages.send(
                post("/dashboards/drawn/offers")
                    .param(
                        "document",
                        "{\"kind\": \"dashboard\", \"name\": \"drawn\", \"title\": \"D\","
                            + " \"controls\": [{\"name\": \"c\", \"values\": [\"a\", \"b\"]},"
                            + " {\"name\": \"q\", \"query\": \"no.such.metric\"}]}")));
    assertThat(offers.path("offers").get(0).path("words").asString()).isEqualTo("2 values: a, b");
    assertThat(offers.path("offers").get(1).path("words").asString()).isNotEmpty();
    assertThat(offers.path("faults")).isEmpty();
  }

  @Test
  void eachKindIsDrawnFromTheSameQuery() throws Exception {
    make("Drawn");
    var chart =
        json(draft("time-chart", "{\"scale\": \"log\", \"legend\": \"names\"}")).path("drawing");
    assertThat(chart.path("kind").asString()).isEqualTo("time-chart");
    assertThat(chart.path("picture").path("traces")).hasSize(2);
    assertThat(chart.path("styles").get(0).path("drawn").toString())
        .contains("null")
        .doesNotContain("NaN");
    assertThat(json(draft("number", "{}")).path("drawing").path("tiles")).hasSize(2);
    assertThat(json(draft("ranking", "{}")).path("drawing").path("words").asString())
        .contains("north-1 10 t");
    assertThat(json(draft("dial", "{}")).path("drawing").path("marks").size()).isGreaterThan(5);
    assertThat(json(draft("table", "{\"bars\": [\"value\"]}")).path("drawing").path("rows"))
        .hasSize(2);
    assertThat(
            json(draft("note", "{\"text\": \"**a** <i>\"}"))
                .path("drawing")
                .path("html")
                .asString())
        .contains("<strong>a</strong> &lt;i&gt;");
    var refused = json(draft("dial", "{\"stack\": \"off\"}"));
    assertThat(refused.path("fault").asString()).startsWith("options.stack: unknown key");
    assertThat(refused.path("drawing").isMissingNode()).isTrue();
  }

  private static String html(MockHttpServletRequestBuilder request) throws Exception {
    return pages.send(request).getContentAsString();
  }

  private static final String CONTROLLED =
      """
      kind: dashboard
      name: controlled
      title: Controlled
      controls:
      - {name: gate, metric: d.load, several: true}
      - {name: north, metric: d.load, label: gate, where: gate like $pattern}
      - {name: heavy, query: d.load then max by gate then top 1, label: gate}
      - {name: fixed, values: [x, y], default: [y]}
      - {name: pattern, text: true}
      - {name: store, stores: true}
      - {name: every, intervals: [1m, 10m]}
      panels:
      - {title: Load, at: [1, 1, 6, 6], query: "d.load where gate = $gate and gate like $pattern"}
      - {title: "Of {gate}", at: [1, 7, 6, 6], repeat: gate, query: d.load where gate = $gate}
      - {title: Below, at: [1, 13, 6, 6], query: d.load}
      """;

  private static JsonNode panel(String id, String... params) throws Exception {
    var request =
        post("/dashboards/controlled/panels/" + id).param("from", "-1h").param("to", "now");
    for (int i = 0; i < params.length; i += 2) {
      request.param(params[i], params[i + 1]);
    }
    return json(pages.send(request));
  }

  private static List<String> traces(JsonNode answer) {
    var out = new java.util.ArrayList<String>();
    answer
        .get("drawing")
        .get("picture")
        .get("traces")
        .forEach(t -> out.add(t.get("name").asString()));
    return out;
  }

  @Test
  void controlsOfAllKindsOfferAndNarrow() throws Exception {
    server.post("/api/v1/definitions", "application/yaml", CONTROLLED);
    var page = html(get("/dashboards/controlled?from=-1h&to=now&pattern=north-%"));
    // Each offers its own; north depends on what is typed, heavy on the data.
    assertThat(page)
        .contains("data-control-several=\"gate\"", "value=\"south-1\"", "value=\"10m\"");
    assertThat(page.substring(page.indexOf("name=\"north\""), page.indexOf("name=\"heavy\"")))
        .contains("north-1")
        .doesNotContain("south-1");
    assertThat(page.substring(page.indexOf("name=\"fixed\""), page.indexOf("name=\"pattern\"")))
        .containsPattern("value=\"y\" selected");
    assertThat(page).contains("data-reloads=\"yes\"");
    assertThat(traces(panel("load"))).hasSize(2);
    assertThat(traces(panel("load", "gate", "north-1"))).hasSize(1);
    assertThat(traces(panel("load", "gate", "north-1", "gate", "south-1"))).hasSize(2);
    assertThat(traces(panel("load", "pattern", "south%"))).hasSize(1);
    // An empty choice is all, though a control has a default.
    assertThat(panel("load", "store", "vintrel").toString()).contains("no metric `d.load`");
    var fine = panel("load", "every", "1m").get("drawing").get("picture").get("traces").get(0);
    var wide = panel("load", "every", "10m").get("drawing").get("picture").get("traces").get(0);
    assertThat(fine.get("times").size()).isGreaterThan(5 * wide.get("times").size());
  }

  @Test
  void aPanelIsRepeatedForEachValueAndEachCopyHasItsOwn() throws Exception {
    server.post("/api/v1/definitions", "application/yaml", CONTROLLED);
    var page = html(get("/dashboards/controlled?from=-1h&to=now"));
    assertThat(page)
        .contains("data-copy-of=\"gate=north-1\"", "data-copy-of=\"gate=south-1\"", "Of south-1");
    assertThat(page).contains("data-at=\"7,7,6,6\"").contains("data-at=\"1,13,6,6\"");
    assertThat(html(get("/dashboards/controlled?from=-1h&to=now&gate=south-1")))
        .doesNotContain("data-copy-of=\"gate=north-1\"");
    var copy = panel("of-gate-", "panel-copy", "gate=south-1");
    assertThat(traces(copy)).hasSize(1);
    assertThat(copy.get("drawing").get("words").asString()).contains("13 t");
    var north = panel("of-gate-", "panel-copy", "gate=north-1");
    assertThat(north.get("drawing").get("words").asString()).contains("10 t");
    // Only a control of the dashboard can be overridden.
    assertThat(traces(panel("load", "panel-copy", "nothing=1"))).hasSize(2);
  }

  /** A control may be called like what pages send along. */
  @Test
  void controlsCalledLikeWordsOfRequestsDoNotDisturbThem() throws Exception {
    var text =
        """
        kind: dashboard
        name: named
        title: Named
        controls:
        - {name: zone, metric: d.load, label: gate}
        - {name: copy, values: [a]}
        panels:
        - {title: Days, at: [1, 1, 6, 6], query: "d.load where gate = $zone then max every 1d"}
        """;
    server.post("/api/v1/definitions", "application/yaml", text);
    var path = "/dashboards/named/panels/days";
    var range = new String[] {"from", "-3d", "to", "now"};
    long tokyo = firstDay(path + "?zone=north-1&copy=zone=south-1", range, "Asia/Tokyo");
    assertThat(tokyo).isEqualTo(firstDay(path, range, "Asia/Tokyo"));
    assertThat(firstDay(path + "?zone=Europe/Oslo&zone=north-1", range, "Asia/Tokyo"))
        .isEqualTo(tokyo);
    assertThat(
            html(
                post(path + "?zone=north-1&copy=zone=south-1")
                    .param("from", "-1h")
                    .param("to", "now")))
        .contains("1 series");
  }

  /** What documents called the kinds before is edited in today's words. */
  @Test
  void anEarlierDocumentIsEditedInTodaysWords() throws Exception {
    var text =
        """
        kind: dashboard
        name: earlier
        title: Earlier
        panels:
        - {title: A, at: [1, 1, 6, 6], query: d.load, show: number}
        - {title: B, at: [1, 7, 6, 6], query: d.load, legend: names}
        """;
    server.post("/api/v1/definitions", "application/yaml", text);
    var panels =
        json(pages.send(get("/dashboards/earlier/document"))).get("document").get("panels");
    assertThat(panels.get(0).get("kind").asString()).isEqualTo("number");
    assertThat(panels.get(1).get("options").get("legend").asString()).isEqualTo("names");
    assertThat(panels.toString()).doesNotContain("\"show\"");
  }

  @Test
  void controlsThatAreWrongAreNamedWithTheirPath() {
    var wrong =
        """
        kind: dashboard
        name: wrong
        title: Wrong
        controls:
        - {name: a, metric: m, query: m}
        - {name: b}
        - {name: c, metric: m, where: "x ="}
        - {name: d, query: m then}
        - {name: e, intervals: [soon]}
        - {name: e, values: [x]}
        panels:
        - {title: P, at: [1, 1, 6, 6], query: m, repeat: nobody}
        """;
    var answer = server.post("/api/v1/definitions", "application/yaml", wrong);
    assertThat(answer.statusCode()).isEqualTo(422);
    assertThat(answer.body())
        .contains("controls[0]", "controls[1]", "controls[2].where", "controls[3].query")
        .contains("controls[4].intervals[0]");
    assertThat(definitions().dashboard("wrong")).isNull();
  }

  @Test
  void dashboardsGoOutAsFilesAndComeBackWithOtherStores() throws Exception {
    var text =
        """
        kind: dashboard
        name: carried
        title: Carried
        controls:
        - {name: gate, query: d.load in nowhere then max by gate}
        panels:
        - title: P
          at: [1, 1, 6, 6]
          query: |
            a: d.load in nowhere where gate = 'in nowhere' then mean
            b: sql 'shop' \"\"\"select 1\"\"\"
            c: events in nowhere then count every 1m
        - {title: Q, at: [1, 7, 6, 6], query: "d.load   in main"}
        """;
    var looked = html(post("/dashboards/import").param("text", text));
    assertThat(looked).contains("<span>created</span>", "store.nowhere", "store.shop");
    assertThat(definitions().dashboard("carried")).isNull();
    // Without what stands for each store, nothing is imported.
    html(post("/dashboards/import").param("text", text).param("apply", "true"));
    assertThat(definitions().dashboard("carried")).isNull();
    var request =
        post("/dashboards/import")
            .param("text", text)
            .param("apply", "true")
            .param("store.nowhere", "main")
            .param("store.shop", "vintrel");
    // What would happen to it was not listed: it is, first.
    assertThat(html(request)).contains("the text changed after the check", "name=\"seen.carried\"");
    assertThat(definitions().dashboard("carried")).isNull();
    request.param("seen.carried", "0");
    assertThat(pages.send(request).getRedirectedUrl()).isEqualTo("/dashboards?chosen=carried");
    var made = definitions().dashboard("carried");
    assertThat(made.panels().getFirst().query())
        .contains("d.load in main where gate = 'in nowhere'", "sql 'vintrel'", "events in main");
    assertThat(made.panels().getLast().query()).isEqualTo("d.load   in main");
    assertThat(made.controls().getFirst().query()).contains("in main");
    // As a file, YAML and JSON, it is the same again.
    for (var format : List.of("yaml", "json")) {
      var file = html(get("/dashboards/export?name=carried&format=" + format));
      assertThat(html(post("/dashboards/import").param("text", file)))
          .as(format)
          .contains("<span>unchanged</span>");
    }
    // A name that is taken: the changes are listed, and both can be kept.
    var other =
        html(get("/dashboards/export?name=carried")).replace("title: Carried", "title: Other");
    assertThat(html(post("/dashboards/import").param("text", other)))
        .contains("carried-2", "Other")
        // What is here stays, unless somebody says otherwise.
        .containsPattern("(?s)<select[^>]*name=\"do.carried\"[^>]*>\\s*<option value=\"both\"");
    // Somebody saved it after the list was made.
    var late =
        post("/dashboards/import")
            .param("text", other)
            .param("apply", "true")
            .param("seen.carried", "0");
    assertThat(html(late)).contains("another user saved");
    assertThat(definitions().dashboard("carried").title()).isEqualTo("Carried");
    pages.send(
        post("/dashboards/import")
            .param("text", other)
            .param("apply", "true")
            .param("seen.carried", "1")
            .param("do.carried", "both"));
    assertThat(definitions().dashboard("carried").title()).isEqualTo("Carried");
    assertThat(definitions().dashboard("carried-2").title()).isEqualTo("Other");
    var all = html(get("/dashboards/export"));
    assertThat(all).contains("name: carried\n", "name: carried-2\n");
    var moved =
        server.post(
            "/api/v1/definitions?store=nowhere=main&store=shop=vintrel",
            "application/yaml",
            text.replace("name: carried", "name: by-api"));
    assertThat(moved.statusCode()).isEqualTo(200);
    assertThat(definitions().dashboard("by-api").panels())
        .extracting(p -> p.query())
        .containsExactlyElementsOf(
            definitions().dashboard("carried").panels().stream().map(p -> p.query()).toList());
    for (var wrong : List.of("kind: rule", "", "kind: dashboard\nname: x", "[1, 2")) {
      assertThat(html(post("/dashboards/import").param("text", wrong))).contains("class=\"fault\"");
    }
  }

  @Test
  void daysFollowThePersonsZoneUnlessTheDashboardFixesOne() throws Exception {
    var text =
        """
        kind: dashboard
        name: zoned
        title: Zoned
        panels:
        - {title: Days, at: [1, 1, 6, 6], query: d.load then max every 1d}
        """;
    server.post("/api/v1/definitions", "application/yaml", text);
    var days = "/dashboards/zoned/panels/days";
    var range = new String[] {"from", "-3d", "to", "now"};
    assertThat(midnight(days, range, "Asia/Tokyo")).isEqualTo(0);
    assertThat(midnight(days, range, "America/New_York")).isEqualTo(0);
    // What the dashboard fixes holds for everybody.
    pages.send(
        post("/dashboards/zoned/about").param("title", "Zoned").param("zone", "Australia/Perth"));
    assertThat(definitions().dashboard("zoned").zone()).isEqualTo("Australia/Perth");
    assertThat(firstDay(days, range, "Asia/Tokyo")).isEqualTo(firstDay(days, range, "UTC"));
    assertThat(html(get("/dashboards/zoned?from=-3d&to=now")))
        .contains("data-zone=\"Australia/Perth\"", "data-fixed-zone");
    var wrong = post("/dashboards/zoned/about").param("title", "Zoned").param("zone", "Moon/Base");
    pages.send(wrong);
    assertThat(definitions().dashboard("zoned").zone()).isEqualTo("Australia/Perth");
    assertThat(
            pages.send(post("/prefs/zone").param("zone", "Europe/Oslo")).getCookie("vintrel-zone"))
        .matches(c -> c.getValue().equals("Europe%2FOslo"));
    assertThat(server.bean(PersonZones.class).zone("kim")).isEqualTo(ZoneId.of("Europe/Oslo"));
    assertThat(pages.send(post("/prefs/zone").param("zone", "Moon/Base")).getStatus())
        .isEqualTo(400);
    pages.send(post("/prefs/zone"));
    assertThat(server.bean(PersonZones.class).zone("kim")).isNull();
  }

  /** The local hour and minute, in ms, at which the first whole day of a panel begins. */
  private static long midnight(String path, String[] range, String zone) throws Exception {
    var at = java.time.Instant.ofEpochMilli(firstDay(path, range, zone)).atZone(ZoneId.of(zone));
    return at.toLocalTime().toSecondOfDay();
  }

  private static long firstDay(String path, String[] range, String zone) throws Exception {
    var request =
        post(path)
            .param(range[0], range[1])
            .param(range[2], range[3])
            .cookie(new jakarta.servlet.http.Cookie("vintrel-zone", zone.replace("/", "%2F")));
    var times =
        json(pages.send(request)).get("drawing").get("picture").get("traces").get(0).get("times");
    return times.get(times.size() - 1).asLong();
  }

  @Test
  void theListShowsTheLastAnswersAndWhatIsRaised() throws Exception {
    for (var name : List.of("watched", "unwatched")) {
      var metric = name.equals("watched") ? "d.load" : "d.other";
      server.post(
          "/api/v1/definitions",
          "application/yaml",
          "kind: dashboard\nname: %s\ntitle: Is %s\npanels:\n- {title: P, at: [1, 1, 6, 6], query: %s}\n"
              .formatted(name, name, metric));
    }
    assertThat(thumb("Is watched")).contains("<rect").doesNotContain("<path");
    // Nobody has opened it: its card asks for the picture, once.
    assertThat(html(get("/dashboards/watched/card"))).containsPattern("<path d=\"M[0-9.]+");
    assertThat(html(get("/dashboards/unwatched/card"))).doesNotContain("<path d=");
    assertThat(thumb("Is watched")).containsPattern("<path d=\"M[0-9.]+ [0-9.]+h0.1");
    pages.send(post("/dashboards/watched/panels/p").param("from", "-1h").param("to", "now"));
    assertThat(thumb("Is watched")).containsPattern("<path d=\"M[0-9.]+ [0-9.]+h0.1");
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: rule\n"
            + "name: heavy\n"
            + "query: d.load then max every 1h\n"
            + "limits: [{above: 1, priority: high}]\n"
            + "every: 5s\n");
    RunningServer.await(
        "the alert", () -> !server.bean(vintrel.server.watch.AlertLog.class).lamp().isEmpty());
    assertThat(html(get("/dashboards?q=Is watched"))).contains("active alerts, high");
    assertThat(html(get("/dashboards?q=Is unwatched"))).doesNotContain("active alerts, high");
    assertThat(html(get("/dashboards?folder=*raised")))
        .contains("Is watched")
        .doesNotContain("Is unwatched");
  }

  private static String thumb(String title) throws Exception {
    var page = html(get("/dashboards?q=" + title));
    int at = page.indexOf("class=\"thumb\"");
    return page.substring(at, page.indexOf("</svg>", at));
  }
}
