package vintrel.server.define;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.concurrent.Callable;
import java.util.concurrent.Executors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;
import vintrel.server.watch.AlertLog;

/** Definitions one by one: versions, history, restoring, references. */
class DefinitionApiTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static HttpResponse<String> send(
      String method, String path, String body, String... headers) {
    var request =
        server
            .to("/api/v1/definitions/" + path)
            .header("Content-Type", "application/yaml")
            .method(
                method,
                body == null
                    ? HttpRequest.BodyPublishers.noBody()
                    : HttpRequest.BodyPublishers.ofString(body));
    for (int i = 0; i < headers.length; i += 2) {
      request.header(headers[i], headers[i + 1]);
    }
    return server.send(request);
  }

  private static JsonNode json(HttpResponse<String> answer) {
    return JsonMapper.shared().readTree(answer.body());
  }

  private static String dashboard(String title) {
    return "title: " + title + "\npanels: [{title: CPU, at: [1, 1, 6, 6], query: cpu}]\n";
  }

  private static String tag(HttpResponse<String> answer) {
    return answer.headers().firstValue("ETag").orElse("");
  }

  @Test
  void aDefinitionIsMadeReadChangedDeletedAndRestored() {
    var made = send("PUT", "dashboard/one", dashboard("One"));
    assertThat(made.statusCode()).isEqualTo(201);
    assertThat(tag(made)).isEqualTo("\"1\"");
    assertThat(json(made).path("what").asString()).isEqualTo("made");
    var read = send("GET", "dashboard/one", null);
    assertThat(json(read).path("kind").asString()).isEqualTo("dashboard");
    assertThat(json(read).path("panels").path(0).path("query").asString()).isEqualTo("cpu");
    var yaml = send("GET", "dashboard/one", null, "Accept", "application/yaml");
    assertThat(yaml.body()).startsWith("kind: dashboard\nname: one\ntitle: One\n");
    assertThat(yaml.headers().firstValue("Content-Type").orElse("")).contains("yaml");
    var same = send("PUT", "dashboard/one", yaml.body(), "If-Match", "\"1\"");
    assertThat(same.statusCode()).isEqualTo(200);
    assertThat(json(same).path("what").asString()).isEqualTo("left");
    assertThat(tag(same)).isEqualTo("\"1\"");
    var changed = send("PUT", "dashboard/one", dashboard("Two"), "If-Match", "\"1\"");
    assertThat(tag(changed)).isEqualTo("\"2\"");
    assertThat(send("DELETE", "dashboard/one", null, "If-Match", "\"1\"").statusCode())
        .isEqualTo(412);
    assertThat(send("DELETE", "dashboard/one", null, "If-Match", "\"2\"").statusCode())
        .isEqualTo(204);
    assertThat(send("GET", "dashboard/one", null).statusCode()).isEqualTo(404);
    assertThat(send("DELETE", "dashboard/one", null).statusCode()).isEqualTo(404);

    server.stop();
    server.start();
    var history = json(send("GET", "dashboard/one/history", null)).path("revisions");
    assertThat(history.size()).isEqualTo(3);
    assertThat(history.path(0).path("deleted").asBoolean()).isTrue();
    assertThat(history.path(1).path("text").asString()).contains("title: Two");
    assertThat(history.path(1).path("from").asString()).isEqualTo("api");
    assertThat(history.path(1).path("by").asString()).isNotBlank();
    assertThat(history.path(2).path("version").asInt()).isEqualTo(1);

    var restored = send("POST", "dashboard/one/restore", null);
    assertThat(tag(restored)).as(restored.body()).isEqualTo("\"4\"");
    assertThat(json(send("GET", "dashboard/one", null)).path("title").asString()).isEqualTo("Two");
    var first =
        server.post(
            "/api/v1/definitions/dashboard/one/restore", "application/json", "{\"version\": 1}");
    assertThat(first.statusCode()).as(first.body()).isEqualTo(200);
    assertThat(json(send("GET", "dashboard/one", null)).path("title").asString()).isEqualTo("One");
    assertThat(
            server
                .post(
                    "/api/v1/definitions/dashboard/one/restore",
                    "application/json",
                    "{\"version\": 99}")
                .statusCode())
        .isEqualTo(404);
  }

  @Test
  void anOldVersionIsRefusedWithWhatChangedSince() {
    send("PUT", "dashboard/stale", dashboard("A"));
    send("PUT", "dashboard/stale", dashboard("B"));
    var refused = send("PUT", "dashboard/stale", dashboard("C"), "If-Match", "\"1\"");
    assertThat(refused.statusCode()).isEqualTo(412);
    assertThat(tag(refused)).isEqualTo("\"2\"");
    var since = json(refused).path("since").path(0);
    assertThat(since.path("path").asString()).isEqualTo("title");
    assertThat(since.path("before").asString()).isEqualTo("A");
    assertThat(json(refused).path("error").path("text").asString()).contains("A → B");
    for (var wrong : new String[] {"W/\"2\"", "\"x\"", "\"1\", \"3\""}) {
      assertThat(send("PUT", "dashboard/stale", dashboard("C"), "If-Match", wrong).statusCode())
          .as(wrong)
          .isEqualTo(412);
    }
    assertThat(send("PUT", "dashboard/stale", dashboard("C"), "If-Match", "2").statusCode())
        .isEqualTo(400);
    assertThat(send("PUT", "dashboard/stale", dashboard("C"), "If-None-Match", "*").statusCode())
        .isEqualTo(412);
    assertThat(send("PUT", "dashboard/none", dashboard("C"), "If-Match", "*").statusCode())
        .isEqualTo(412);
    assertThat(
            send("PUT", "dashboard/stale", dashboard("C"), "If-Match", "\"1\", \"2\"").statusCode())
        .isEqualTo(200);
    assertThat(send("PUT", "dashboard/stale", dashboard("D"), "If-Match", "*").statusCode())
        .isEqualTo(200);
  }

  @Test
  void ofWritersWithOneVersionOneWins() throws Exception {
    send("PUT", "dashboard/race", dashboard("Start"));
    try (var threads = Executors.newFixedThreadPool(8)) {
      var tasks =
          IntStream.range(0, 8)
              .mapToObj(
                  i ->
                      (Callable<Integer>)
                          () ->
                              send("PUT", "dashboard/race", dashboard("T" + i), "If-Match", "\"1\"")
                                  .statusCode())
              .toList();
      int won = 0;
      for (var each : threads.invokeAll(tasks)) {
        won += each.get() == 200 ? 1 : 0;
      }
      assertThat(won).isEqualTo(1);
    }
    assertThat(json(send("GET", "dashboard/race/history", null)).path("revisions").size())
        .isEqualTo(2);
  }

  @Test
  void addressAndDocumentMustAgreeAndFaultsHaveTheirPlace() {
    assertThat(send("PUT", "rule/x", "kind: dashboard\ntitle: T\n").body())
        .contains("is 'dashboard', but the address has 'rule'");
    assertThat(send("PUT", "rule/x", "name: y\nquery: m\n").statusCode()).isEqualTo(422);
    assertThat(send("PUT", "rule/x", "query: m\n").body()).contains("a rule needs one to 3 limits");
    assertThat(send("PUT", "thing/x", "query: m\n").body()).contains("must be dashboard, rule");
    assertThat(send("PUT", "rule/x", "[1]").statusCode()).isEqualTo(422);
    assertThat(send("PUT", "rule/x", "a: 1\n---\nb: 2\n").statusCode()).isEqualTo(422);
    assertThat(send("GET", "rule/none/history", null).statusCode()).isEqualTo(404);
  }

  @Test
  void recipientsThatRoutesNameMustExist() {
    var routing = "routes: [{name: all, to: [watch-room]}]\n";
    var refused = send("PUT", "routing/refs", routing);
    assertThat(refused.statusCode()).isEqualTo(422);
    assertThat(refused.body()).contains("no recipient named `watch-room`");
    var both =
        "kind: recipient\nname: watch-room\nchannels: [{mail: a@b.example}]\n---\n"
            + "kind: routing\nname: refs\n"
            + routing;
    assertThat(server.post("/api/v1/definitions", "application/yaml", both).statusCode())
        .isEqualTo(200);
    var used = send("DELETE", "recipient/watch-room", null);
    assertThat(used.statusCode()).isEqualTo(409);
    assertThat(used.body()).contains("routing refs, row all");
    assertThat(send("DELETE", "routing/refs", null).statusCode()).isEqualTo(204);
    assertThat(send("DELETE", "recipient/watch-room", null).statusCode()).isEqualTo(204);
    assertThat(send("POST", "routing/refs/restore", null).statusCode())
        .as("its recipient is gone")
        .isEqualTo(422);
  }

  @Test
  void aControlOverAMetricThatWasNeverSeenIsAdvice() {
    var body = "title: C\ncontrols: [{name: site, metric: never.seen}]\n";
    assertThat(json(send("PUT", "dashboard/advice", body)).path("advice").path(0).asString())
        .contains("no samples of `never.seen` yet");
  }

  @Test
  void whatIsNotInTheBundleIsPrunedFromItsFolder() {
    for (var each : new String[] {"a Quay", "b Quay", "c Other"}) {
      var parts = each.split(" ");
      send("PUT", "dashboard/prune-" + parts[0], dashboard(each) + "folder: " + parts[1] + "\n");
    }
    var bundle = "kind: dashboard\nname: prune-a\ntitle: a Quay\nfolder: Quay\n";
    var dry =
        server.post("/api/v1/definitions?prune=Quay&dry-run=true", "application/yaml", bundle);
    assertThat(dry.body()).contains("\"prune-b\",\"what\":\"removed\"").doesNotContain("prune-c");
    assertThat(send("GET", "dashboard/prune-b", null).statusCode()).isEqualTo(200);
    server.post("/api/v1/definitions?prune=folder", "application/yaml", bundle);
    assertThat(send("GET", "dashboard/prune-b", null).statusCode()).isEqualTo(404);
    assertThat(send("GET", "dashboard/prune-c", null).statusCode()).isEqualTo(200);
    assertThat(send("POST", "dashboard/prune-b/restore", null).statusCode()).isEqualTo(200);
  }

  @Test
  void noVersionShowsASecret() {
    send(
        "PUT",
        "recipient/secret",
        "channels: [{webhook: 'https://hooks.example/T0/very-secret'}]\n");
    for (var path : new String[] {"recipient/secret", "recipient/secret/history"}) {
      assertThat(send("GET", path, null).body()).contains("secret://").doesNotContain("very");
    }
  }

  @Test
  void aRemovedRuleIsNotWatchedAnyMoreAndItsAlertIsCleared() {
    var rule = "query: removed.m\nevery: 5s\nbehind: 0s\nlimits: [{above: 5}]\n";
    send("PUT", "rule/removed", rule);
    server.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=removed.m&value=9");
    RunningServer.await("raised", () -> raised() == 1);
    long id = server.bean(AlertLog.class).of("removed").getFirst().id();
    var labels = server.bean(AlertLog.class).of("removed").getFirst().labels();
    send("DELETE", "rule/removed", null);
    RunningServer.await(
        "cleared",
        () ->
            server
                .bean(AlertLog.class)
                .history("removed", labels, 9)
                .getFirst()
                .why()
                .equals("the rule was removed"));
    assertThat(server.bean(AlertLog.class).byId(id)).isNull();
    send("POST", "rule/removed/restore", null);
    RunningServer.await("raised again", () -> raised() == 1);
  }

  private static long raised() {
    return server.bean(AlertLog.class).of("removed").stream()
        .filter(a -> a.state().isActive())
        .count();
  }

  @Test
  void theSchemaIsServed() {
    var answer = server.send(server.to("/api/v1/schema/definitions.json"));
    assertThat(answer.statusCode()).isEqualTo(200);
    assertThat(json(answer).path("$defs").path("rule").path("properties").path("limits").isObject())
        .isTrue();
  }

  @Test
  void aRuleThatAnEarlierVersionTookStaysInForceWithoutWhatIsRefusedNow() {
    var row = new DefinitionRow();
    row.kind = "rule";
    row.name = "earlier";
    row.text =
        "kind: rule\nname: earlier\ntitle: '%s'\nquery: m\nrunbook: wiki/page\nsummary: '{{>x}}'\n"
                .formatted("t".repeat(300))
            + "limits:\n- above: 5\n  priority: high\n";
    row.changedBy = "test";
    server.bean(Database.class).run(s -> s.insert(row));
    server.stop();
    server.start();
    var rule =
        server.bean(Definitions.class).rules().stream()
            .filter(r -> r.name().equals("earlier"))
            .findFirst()
            .orElseThrow();
    assertThat(rule.runbook()).isEmpty();
    assertThat(rule.summary()).isEmpty();
    assertThat(rule.title()).hasSize(200);
    assertThat(rule.limits()).hasSize(1);
  }

  @Test
  void definitionsAreTakenWholeOrNotAtAllAndADryRunChangesNothing() {
    var one = "kind: recipient\nname: a\nchannels: [{mail: a@b.example}]\n";
    assertThat(server.post("/api/v1/definitions?dry-run=true", "application/yaml", one).body())
        .contains("made");
    assertThat(server.bean(Definitions.class).find("recipient", "a")).isNull();
    assertThat(
            server
                .post("/api/v1/definitions", "application/yaml", one + "---\nkind: rule\nname: r\n")
                .statusCode())
        .isEqualTo(422);
    assertThat(server.bean(Definitions.class).find("recipient", "a")).isNull();
    server.post("/api/v1/definitions", "application/yaml", one);
    assertThat(server.post("/api/v1/definitions", "application/yaml", one).body()).contains("left");
    assertThat(server.send(server.to("/api/v1/definitions")).body()).contains("name: a");
  }
}
