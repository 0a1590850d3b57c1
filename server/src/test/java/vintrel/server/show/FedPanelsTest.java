package vintrel.server.show;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.mock.web.MockHttpServletResponse;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.Pages;
import vintrel.server.RunningServer;

/** Settings that lines feed, and sections, as pages get them. */
class FedPanelsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  private static final long END = System.currentTimeMillis() / 60_000 * 60_000;
  private static Pages pages;

  @BeforeAll
  static void samples() {
    pages = new Pages(server, "EDITOR");
    for (int i = 1; i <= 10; i++) {
      for (var ship : new String[] {"Tern", "Plover"}) {
        server.post(
            "/api/v1/samples",
            "application/json",
            "{\"metric\": \"f.load\", \"value\": %d, \"unit\": \"t\", \"labels\": {\"ship\": \"%s\"}, \"time\": %d}"
                .formatted(ship.equals("Tern") ? i : 100 + i, ship, END - 60_000L * i));
      }
    }
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: dashboard
        name: fed
        title: Fed
        controls:
        - {name: ship, title: Ship, metric: f.load}
        sections:
        - {title: "Deck of {ship}", row: 8, repeat: ship, folded: true}
        panels:
        - {title: Top, at: [1, 1, 12, 7], query: f.load}
        - {title: Deck, at: [1, 9, 12, 7], query: f.load where ship = $ship then max}
        """);
  }

  private static JsonNode json(MockHttpServletResponse response) throws Exception {
    return JsonMapper.shared().readTree(response.getContentAsString());
  }

  private static JsonNode draft(String query, String more) throws Exception {
    var panel =
        "{\"title\": \"P\", \"at\": [1, 1, 6, 6], \"query\": \"%s\", %s}"
            .formatted(query.replace("\n", "\\n"), more);
    return json(
        pages.send(
            post("/dashboards/fed/draft")
                .param("draft", panel)
                .param("from", "" + (END - 600_000))
                .param("to", "" + END)));
  }

  private static final String LINES =
      "load: f.load where ship = 'Plover' then max every 1m\n"
          + "hidden ceiling: f.load where ship = 'Tern' then max every 1m";

  @Test
  void aLimitTakesTheLastValueOfAHiddenLine() throws Exception {
    var data =
        draft(LINES, "\"limits\": [{\"above\": \"= ceiling or 50\", \"priority\": \"high\"}]");
    var fed = data.path("fed").path("limits[0]");
    // The newest minute has the sample with 1.
    assertThat(fed.path("text").asString()).isEqualTo("1 t");
    assertThat(fed.path("at").asLong()).isEqualTo(END - 60_000);
    assertThat(fed.path("words").asString()).isEqualTo("1 to 10 t in this range");
    assertThat(fed.has("fault")).isFalse();
    var limit = data.path("drawing").path("limits").path(0);
    assertThat(limit.path("at").asDouble()).isEqualTo(1, within(1e-9));
    assertThat(limit.path("text").asString()).isEqualTo("above ceiling, 1 t");
    // The line that feeds is not drawn.
    assertThat(data.path("drawing").path("styles").size()).isEqualTo(1);
  }

  @Test
  void aLimitFollowsEachMoment() throws Exception {
    var data = draft(LINES, "\"limits\": [{\"above\": \"= each ceiling or 50\"}]");
    var course = data.path("drawing").path("limits").path(0).path("course");
    assertThat(course.path("values").size()).isEqualTo(10);
    assertThat(course.path("values").path(0).asDouble()).isEqualTo(10);
    assertThat(course.path("values").path(9).asDouble()).isEqualTo(1);
  }

  @Test
  void whatALineDoesNotGiveIsSaidAndTheOtherNumberHolds() throws Exception {
    var several =
        LINES.replace("where ship = 'Tern' then max every 1m", "then max every 1m by ship");
    var data = draft(several, "\"options\": {\"to\": \"= ceiling or 200\"}");
    var fed = data.path("fed").path("to");
    assertThat(fed.path("text").asString()).isEqualTo("200 t");
    assertThat(fed.path("fault").asString()).contains("2 series");
    assertThat(data.path("drawing").path("picture").path("axis").path("max").asDouble())
        .isEqualTo(200);
    var none =
        draft(LINES.replace("Tern", "Nobody"), "\"options\": {\"to\": \"= ceiling or auto\"}");
    assertThat(none.path("fed").path("to").path("text").asString()).isEqualTo("auto");
    assertThat(none.path("fed").path("to").path("fault").asString()).contains("no series");
    var missing = draft(LINES, "\"options\": {\"to\": \"= roof or 3\"}");
    assertThat(missing.path("fault").asString())
        .isEqualTo("options.to: no line of the query is named `roof`");
  }

  @Test
  void aSectionIsShownForEachValueAndItsPanelsAskForTheirs() throws Exception {
    var html = pages.html(get("/dashboards/fed"));
    assertThat(html).contains("Deck of Plover", "Deck of Tern", "data-folded=\"yes\"", "no alerts");
    assertThat(html).contains("data-copy-of=\"ship=Tern\"", "data-copy-of=\"ship=Plover\"");
    var one =
        json(
            pages.send(
                post("/dashboards/fed/panels/deck")
                    .param("panel-copy", "ship=Tern")
                    .param("from", "" + (END - 600_000))
                    .param("to", "" + END)));
    assertThat(one.path("drawing").path("words").asString())
        .contains("1 series")
        .doesNotContain("10");
  }

  @Test
  void whatTwoPeopleChangedIsMergedAndNothingIsSaved() throws Exception {
    var now = json(pages.send(get("/dashboards/fed/document")));
    var basis = now.path("document").toString();
    var mine = basis.replace("\"title\":\"Top\"", "\"title\":\"Top, mine\"");
    var merged =
        json(
            pages.send(
                post("/dashboards/fed/merge")
                    .param("basis", basis.replace("f.load then", "f.load then"))
                    .param("mine", mine)));
    assertThat(merged.path("document").toString()).contains("Top, mine", "\"sections\"");
    assertThat(merged.path("version").asInt()).isEqualTo(now.path("version").asInt());
    assertThat(json(pages.send(get("/dashboards/fed/document"))).path("version"))
        .isEqualTo(now.path("version"));
    for (var bad : new String[] {"[1]", "{", "a: &a [*a]", "null"}) {
      var refused = post("/dashboards/fed/merge").param("basis", basis).param("mine", bad);
      assertThat(pages.send(refused).getStatus()).as(bad).isBetween(400, 422);
    }
  }
}
