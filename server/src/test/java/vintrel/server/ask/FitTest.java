package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.http.HttpRequest;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.RunningServer;
import vintrel.server.access.Tokens;
import vintrel.server.web.TokenCheck;

/**
 * Fit and typed edits over HTTP: proposals run, and a bound token learns nothing of other stores.
 */
class FitTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  private static final JsonMapper JSON = new JsonMapper();

  @BeforeAll
  static void samples() {
    long now = System.currentTimeMillis();
    var body = new ArrayList<String>();
    for (int h = 0; h < 40; h++) {
      for (int i = 0; i < 30; i++) {
        body.add(
            "{\"metric\": \"f.busy\", \"unit\": \"%%\", \"value\": %d, \"labels\": {\"host\": \"h%d\","
                    .formatted((h * 7 + i) % 90, h)
                + " \"site\": \"s%d\"}, \"time\": %d}".formatted(h % 3, now - (30 - i) * 60_000L));
      }
    }
    assertThat(
            server
                .post("/api/v1/samples", "application/json", "[" + String.join(",", body) + "]")
                .statusCode())
        .isEqualTo(200);
  }

  private static JsonNode json(String path, Map<String, Object> body) {
    return JSON.readTree(
        server.post(path, "application/json", JSON.writeValueAsString(body)).body());
  }

  @Test
  void proposalsRunAndGiveWhatTheySay() {
    var fit =
        json(
            "/api/v1/fit",
            Map.of("query", "f.busy", "kind", "ranking", "from", "-1h", "to", "now"));
    assertThat(fit.get("needs").asString()).isEqualTo("one number per name");
    assertThat(fit.get("gives").asString()).startsWith("40 series × ");
    assertThat(fit.get("fits").asBoolean()).isFalse();
    assertThat(fit.get("proposals").size()).isEqualTo(3);
    var first = fit.get("proposals").get(0);
    assertThat(first.get("query").asString())
        .isEqualTo(
            "f.busy then group by host: last value then sort by value descending then limit 15");
    assertThat(first.get("gives").asString()).isEqualTo("table 15 × 2");
    for (var p : fit.get("proposals")) {
      var frame =
          json("/api/v1/query", Map.of("query", p.get("query").asString())).get("frames").get(0);
      var types = new ArrayList<String>();
      frame.get("columns").forEach(c -> types.add(c.get("type").asString()));
      assertThat(types).containsExactly("text", "number");
      assertThat(frame.get("values").get(0).size()).isBetween(3, 15);
    }
  }

  @Test
  void aMeanSaysWhatItHides() {
    var fit = json("/api/v1/fit", Map.of("query", "f.busy", "kind", "number"));
    var mean = fit.get("proposals").get(0);
    assertThat(mean.get("query").asString()).isEqualTo("f.busy then mean");
    assertThat(mean.get("hides").asString())
        .matches("The mean hides the maximum: .*h\\d+.*, 89(\\.0)? %\\.");
    assertThat(fit.get("proposals").get(1).get("hides").asString()).isEmpty();
  }

  @Test
  void whatIsAskedWronglyIsNamed() {
    for (var body :
        List.of(
            Map.<String, Object>of("kind", "ranking"),
            Map.<String, Object>of("query", "f.busy"),
            Map.<String, Object>of("query", "f.busy", "kind", "pie"),
            Map.<String, Object>of("query", "f.busy then", "kind", "ranking"),
            Map.<String, Object>of("query", "f.nothing", "kind", "ranking"))) {
      var answer = server.post("/api/v1/fit", "application/json", JSON.writeValueAsString(body));
      assertThat(answer.statusCode()).as(body.toString()).isEqualTo(400);
      assertThat(answer.body()).contains("\"text\":");
    }
    assertThat(json("/api/v1/fit", Map.of("query", "f.busy", "kind", "pie")).toString())
        .contains("no kind of panel named `pie`", "time-chart", "heatmap");
  }

  @Test
  void aBoundTokenSeesItsStoreAlone() {
    var token = server.bean(Tokens.class).make("fit-bound", TokenCheck.Scope.READ, "lab", "test");
    var answer =
        server.send(
            server
                .to("/api/v1/fit")
                .setHeader("Authorization", "Bearer " + token)
                .setHeader("Content-Type", "application/json")
                .POST(
                    HttpRequest.BodyPublishers.ofString(
                        "{\"query\": \"f.busy\", \"kind\": \"ranking\"}")));
    assertThat(answer.statusCode()).isNotEqualTo(200);
    assertThat(answer.body()).doesNotContain("h39", "40 series");
  }
}
