package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleBatch;
import vintrel.server.Pages;
import vintrel.server.Raw;
import vintrel.server.RunningServer;
import vintrel.server.store.DurableStore;
import vintrel.server.watch.AlertLog;
import vintrel.server.web.Duties;

/** What takes long or never ends holds back nothing but itself. */
class HangingTest {
  @RegisterExtension
  static final RunningServer server = new RunningServer("--vintrel.query.max-millis=4000");

  private static void define(String yaml) {
    var answer = server.post("/api/v1/definitions", "application/yaml", yaml);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
  }

  private static void publish(String metric, double value) {
    var answer =
        server.post(
            "/api/v1/samples",
            "application/x-www-form-urlencoded",
            "metric=" + metric + "&value=" + value);
    assertThat(answer.body()).contains("\"accepted\":1");
  }

  /** Half a million samples a second apart. */
  private static void fill(String metric) {

    var store = server.bean(DurableStore.class);
    int id = store.resolve(new SeriesKey(metric, Labels.NONE), MetricKind.GAUGE, "");
    long now = System.currentTimeMillis();
    var batch = new SampleBatch();
    for (int i = 180_000; i > 0; i--) {
      batch.add(id, now - i * 1000L, i % 61);
    }
    store.append(batch);
  }

  @Test
  void questionsWithoutEndHoldBackNeitherHealthNorIngestNorRules() throws Exception {
    fill("hang.m");
    define(
        """
        kind: rule
        name: beside
        query: hang.beside
        every: 5s
        behind: 0s
        limits: [{above: 5, priority: low}]
        """);
    var heavy = "hang.m then smooth over 12h then smooth over 12h";
    try (var asking = Executors.newVirtualThreadPerTaskExecutor()) {
      var answers = new ArrayList<CompletableFuture<Integer>>();
      for (int i = 0; i < 10; i++) {
        answers.add(
            CompletableFuture.supplyAsync(
                () ->
                    server
                        .post(
                            "/api/v1/query",
                            "application/json",
                            "{\"query\": \"%s\", \"from\": \"-1d\", \"step\": \"1s\"}"
                                .formatted(heavy))
                        .statusCode(),
                asking));
      }
      var turns = server.bean(vintrel.server.web.Pools.class).queries();
      RunningServer.await("questions wait for their turn", () -> turns.waiting() > 4);
      assertThat(server.send(server.to("/health/ready")).statusCode()).isEqualTo(200);
      publish("hang.beside", 9);
      RunningServer.await(
          "the rule is checked meanwhile",
          () ->
              server.bean(AlertLog.class).notNormal().stream()
                  .anyMatch(a -> a.rule().name().equals("beside")));
      assertThat(answers).as("all of this while they were under way").anyMatch(a -> !a.isDone());
      for (var answer : answers) {
        assertThat(answer.join()).isIn(200, 422, 503);
      }
    }
    assertThat(server.bean(vintrel.server.ask.QuestionMemory.class).taken()).isZero();
  }

  private static List<Map<?, ?>> deliveries() {
    var body = server.send(server.to("/api/v1/deliveries")).body();
    List<Map<?, ?>> out = new ArrayList<>();
    for (var d : tools.jackson.databind.json.JsonMapper.shared().readValue(body, List.class)) {
      out.add((Map<?, ?>) d);
    }
    return out;
  }

  @Test
  void webhooksThatHangHoldBackNobodyElse() throws IOException {
    var told = new AtomicInteger();
    var good = Raw.taking(told::incrementAndGet);
    try (var hanging = Raw.hanging()) {
      var recipients =
          IntStream.range(0, 60)
              .mapToObj(
                  i ->
                      "---\nkind: recipient\nname: h%d\nchannels: [{webhook: '%s/%d'}]\n"
                          .formatted(i, hanging.url(), i))
              .collect(Collectors.joining());
      var names = IntStream.range(0, 60).mapToObj(i -> "h" + i).collect(Collectors.joining(", "));
      define(
          recipients
              + """
              ---
              kind: recipient
              name: good
              channels: [{webhook: 'http://127.0.0.1:%d/'}]
              ---
              kind: routing
              name: main
              routes: [{name: all, to: [%s, good]}]
              ---
              kind: rule
              name: told
              query: hang.told
              every: 5s
              behind: 0s
              limits: [{above: 5, priority: low}]
              """
                  .formatted(good.getAddress().getPort(), names));
      publish("hang.told", 9);
      RunningServer.await(
          "the good one is told of the rule and of the alert", () -> told.get() >= 2);
      var states =
          deliveries().stream()
              .collect(Collectors.groupingBy(d -> (String) d.get("state"), Collectors.counting()));
      assertThat(states).as("the others are still on their way").containsKey("sending");
      assertThat(
              new Pages(server, "VIEWER")
                  .text(
                      org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get(
                          "/notify/deliveries")))
          .contains("sending")
          .doesNotContain(hanging.url() + "/1");
    } finally {
      good.stop(0);
      define("kind: routing\n" + "name: main\n" + "routes: [{name: all, to: [good]}]\n");
    }
  }

  @Test
  void targetsThatStallOrNeverEndAreMarkedDownAgainAndAgain() throws IOException {
    try (var stalled = Raw.hanging();
        var endless = Raw.endless()) {
      define(
          "kind: job\nname: stalls\nevery: 1s\ntimeout: 1s\ntargets: ['%s/stalled', '%s/endless']\n"
              .formatted(stalled.url(), endless.url()));
      RunningServer.await(
          "fetched again", () -> stalled.connections() >= 2 && endless.connections() >= 2);
      RunningServer.await(
          "marked down",
          () -> {
            var up =
                server
                    .query("scrape.up where job = 'stalls' then count every 1h", "-1h", "now")
                    .body();
            return up.contains("/stalled") && up.contains("/endless");
          });
      var ups = "scrape.up where job = 'stalls' then max every 1d then keep when > 0";
      assertThat(server.found(ups, "-1h", "now")).as("never up").doesNotContain(",1.0", "[1.0");
    }
    assertThat(
            server
                .post(
                    "/api/v1/definitions",
                    "application/yaml",
                    "kind: job\nname: odd\ntargets: ['http://[::1']\n")
                .body())
        .contains("is not an http or https address");
  }

  @Test
  void anAcknowledgementThatComesTooLateSaysSo() {
    define(
        """
        kind: rule
        name: twice
        query: hang.twice
        every: 5s
        behind: 0s
        limits: [{above: 5, priority: low}]
        """);
    publish("hang.twice", 9);
    var log = server.bean(AlertLog.class);
    RunningServer.await(
        "raised", () -> log.notNormal().stream().anyMatch(a -> a.rule().name().equals("twice")));
    long id = log.of("twice").getFirst().id();
    var page = new Pages(server, "EDITOR");
    var post =
        org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post(
            "/watch/alerts/" + id + "/acknowledge");
    assertThat(page.send(post).getStatus()).isEqualTo(200);
    assertThat(log.byId(id).acknowledged()).isTrue();
    var again =
        page.send(
            org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post(
                "/watch/alerts/" + id + "/acknowledge"));
    assertThat(again.getStatus()).isEqualTo(409);
  }

  @Test
  void whatStopsToGoOnIsNamedByHealth() {
    var duties = server.bean(Duties.class);
    assertThat(server.send(server.to("/health/ready")).statusCode()).isEqualTo(200);
    var duty = duties.add("a thread that has died", 0);
    var answer = server.send(server.to("/health/ready"));
    assertThat(answer.statusCode()).isEqualTo(503);
    assertThat(answer.body()).contains("a thread that has died");
    assertThat(server.send(server.to("/health/live")).statusCode()).isEqualTo(200);
    duty.over();
    assertThat(server.send(server.to("/health/ready")).statusCode()).isEqualTo(200);
  }
}
