package vintrel.server.show;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.util.Arrays;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.define.Definitions;

/** The list of dashboards: ways to narrow it, what is done to several, what is said of one. */
class DashboardListTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  private final Pages pages = new Pages(server, "EDITOR");

  private static void define(String name, String folder, String metric) {
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: dashboard
        name: %s
        title: Of %s
        folder: %s
        panels:
        - {title: P, at: [1, 1, 6, 6], query: %s}
        """
            .formatted(name, name, folder, metric));
  }

  private List<String> listed(String query) {
    return server.bean(DashboardList.class).page("", query, "name").rows().stream()
        .map(DashboardList.Row::name)
        .filter(n -> n.startsWith("l-"))
        .toList();
  }

  @Test
  void theListIsNarrowedByFolderMetricAndOrigin() {
    define("l-deck", "Ships", "l.deck");
    define("l-engine", "Ships", "l.engine");
    define("l-gate", "Quays", "l.deck");
    assertThat(listed("Ships")).containsExactly("l-deck", "l-engine");
    assertThat(listed("*metric:l.deck")).containsExactly("l-deck", "l-gate");
    assertThat(listed("*here")).contains("l-deck", "l-engine", "l-gate");
    assertThat(listed("*file")).isEmpty();
    assertThat(pages.text(get("/dashboards?folder=Ships")))
        .contains("Of l-engine")
        .doesNotContain("Of l-gate");
    // Who changed it last is found too: these came by the token of the test.
    var by = server.bean(Definitions.class).lastChanges("dashboard").get("l-deck").by();
    assertThat(server.bean(DashboardList.class).page(by, "", "name").rows()).isNotEmpty();
  }

  @Test
  void severalAreMovedStarredDeletedAndCanBeRestored() {
    for (var name : List.of("s-one", "s-two", "s-three")) {
      define(name, "Here", "s.metric");
    }
    var definitions = server.bean(Definitions.class);
    var move =
        post("/dashboards/several")
            .param("names", "s-one", "s-two", "s-none")
            .param("act", "MOVE")
            .param("folder", " There ");
    assertThat(pages.send(move).getRedirectedUrl())
        .isEqualTo("/dashboards?done=move&dashboard=2+dashboards");
    assertThat(definitions.dashboard("s-one").folder()).isEqualTo("There");
    assertThat(definitions.dashboard("s-three").folder()).isEqualTo("Here");
    pages.send(post("/dashboards/several").param("names", "s-one", "s-three").param("act", "STAR"));
    var use = server.bean(DashboardUse.class).of("kim");
    assertThat(use.get("s-one").starred()).isTrue();
    assertThat(use.get("s-three").starred()).isTrue();
    assertThat(use).doesNotContainKey("s-two");
    pages.send(post("/dashboards/several").param("names", "s-one", "s-two").param("act", "DELETE"));
    assertThat(definitions.dashboard("s-two")).isNull();
    assertThat(pages.text(get("/dashboards?folder=*deleted"))).contains("s-one", "s-two");
    pages.send(post("/definitions/dashboard/s-two/restore"));
    assertThat(definitions.dashboard("s-two").folder()).isEqualTo("There");
    assertThat(pages.text(get("/dashboards?folder=*deleted"))).doesNotContain("s-two");
  }

  @Test
  void openingsOfAllPeopleAreCountedByDay() {
    define("u-often", "", "u.metric");
    define("u-never", "", "u.metric");
    for (var person : List.of("ann", "bo", "cy")) {
      server.bean(DashboardUse.class).opened(person, "u-often");
      // Again within the minute: the same visit.
      server.bean(DashboardUse.class).opened(person, "u-often");
    }
    var days = server.bean(DashboardUse.class).openings();
    assertThat(Arrays.stream(days.get("u-often")).sum()).isEqualTo(3);
    assertThat(days).doesNotContainKey("u-never");
    var used =
        server.bean(DashboardList.class).page("u-", "", "used").rows().stream()
            .map(DashboardList.Row::name)
            .toList();
    assertThat(used).startsWith("u-often");
  }

  @Test
  void theCardTellsWhatChangedAndEscapesIt() {
    define("c-card", "", "c.metric");
    pages.send(
        post("/dashboards/c-card/about")
            .param("title", "<b>Bold</b>")
            .param("description", "What <i>the</i> card says"));
    var html = pages.html(get("/dashboards/c-card/card"));
    assertThat(html)
        .contains(
            "&lt;b&gt;Bold&lt;/b&gt;",
            "What &lt;i&gt;the&lt;/i&gt; card says",
            "kim",
            "title &#39;Of c-card&#39; → &lt;b&gt;",
            // The panel's title, in the small picture.
            ">P</text>")
        .doesNotContain("<b>Bold");
    assertThat(pages.send(get("/dashboards/c-none/card")).getStatus()).isEqualTo(404);
  }
}
