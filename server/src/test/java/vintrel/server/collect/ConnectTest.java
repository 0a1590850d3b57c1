package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.net.URI;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Set;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import org.springframework.test.web.servlet.request.AbstractMockHttpServletRequestBuilder;
import vintrel.core.series.Labels;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.access.TokenSpec;
import vintrel.server.access.Tokens;
import vintrel.server.web.TokenCheck.Right;

/** Tokens and their limits, the account of sources, and what a person who connects one sees. */
class ConnectTest {
  private static final SettableClock CLOCK = new SettableClock();

  static class Beans {
    @Bean
    @Primary
    Clock settable() {
      return CLOCK;
    }
  }

  @RegisterExtension static final RunningServer server = new RunningServer().with(Beans.class);

  private static Tokens tokens() {
    return server.bean(Tokens.class);
  }

  private static HttpResponse<String> send(String token, String path, String type, String body) {
    var request =
        HttpRequest.newBuilder(URI.create(server.base() + path))
            .header("Content-Type", type)
            .POST(HttpRequest.BodyPublishers.ofString(body));
    if (token != null) {
      request.header("Authorization", "Bearer " + token);
    }
    return server.send(request);
  }

  private static HttpResponse<String> value(String token, String metric, String labels) {
    return send(
        token,
        "/api/v1/samples",
        "application/json",
        "{\"metric\": \"%s\", \"value\": 1, \"labels\": {%s}}".formatted(metric, labels));
  }

  private static TokenSpec spec(String name, List<String> networks, long expires, int samples) {
    return new TokenSpec(
        name, Set.of(Right.METRICS), "", networks, expires, samples, 0, Labels.NONE);
  }

  private static String html(Pages pages, AbstractMockHttpServletRequestBuilder<?> request)
      throws Exception {
    return pages.send(request).getContentAsString();
  }

  @Test
  void aTokenIsBoundToItsNetworksAndItsTime() {
    long soon = CLOCK.millis() + 60_000;
    var token = tokens().create(spec("here", List.of("127.0.0.0/8"), soon, 0), "test").token();
    assertThat(value(token, "t.a", "").statusCode()).isEqualTo(200);
    var elsewhere = tokens().create(spec("there", List.of("10.20.0.0/16"), 0, 0), "test").token();
    var refused = value(elsewhere, "t.a", "");
    assertThat(refused.statusCode()).isEqualTo(403);
    assertThat(refused.body()).contains("`there`", "10.20.0.0/16", "127.0.0.1");
    CLOCK.forward(Duration.ofMinutes(2));
    var late = value(token, "t.a", "");
    assertThat(late.statusCode()).isEqualTo(401);
    assertThat(late.body()).contains("`here` expired at");
    for (var bad : List.of("10.0.0.0/40", "quay.example", "1.2.3", "::/129")) {
      org.assertj.core.api.Assertions.assertThatThrownBy(
              () -> tokens().create(spec("bad", List.of(bad), 0, 0), "test"))
          .as(bad)
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageContaining(bad);
    }
  }

  @Test
  void aSourceHasAPageWithWhatItSends() {
    var token = tokens().create(spec("paged", List.of(), 0, 0), "test").token();
    value(token, "page.load", "\"pier\": \"3\"");
    var page = "/collect/source?token=paged&way=SAMPLES&service=";
    var viewer = new Pages(server, "VIEWER").text(get(page));
    assertThat(viewer)
        .contains("page.load", "Labels: pier", "127.0.0.1", "1 samples stored, 0 rejected")
        .doesNotContain("Create dashboard");
    assertThat(new Pages(server, "VIEWER").html(get("/collect"))).contains("token=paged&amp;way=");
    var editor = new Pages(server, "EDITOR");
    var made =
        editor.send(post("/collect/source/rule").param("token", "paged").param("way", "SAMPLES"));
    assertThat(made.getRedirectedUrl()).isEqualTo("/watch/rules/paged-silent");
    assertThat(editor.send(get("/collect/source?token=none&way=OTLP")).getStatus()).isEqualTo(404);
  }

  @Test
  void whatIsRejectedBeforeItIsReadIsShownWithItsReason() {
    var elsewhere = tokens().create(spec("far", List.of("10.21.0.0/16"), 0, 0), "test").token();
    for (int i = 0; i < 3; i++) {
      value(elsewhere, "t.a", "");
    }
    value("vt_nobody_knows_this", "t.a", "");
    value(null, "t.a", "");
    for (var page : List.of("/collect", "/collect/tokens")) {
      var text = new Pages(server, "ADMIN").text(get(page));
      assertThat(text)
          .as(page)
          .containsPattern("far 127\\.0\\.0\\.1 [^<]*10\\.21\\.0\\.0/16[^<]* 3 ")
          .containsPattern("none or unknown 127\\.0\\.0\\.1 \\S*[^<]*token")
          .doesNotContain("vt_nobody");
    }
  }

  @Test
  void aRotatedTokenGoesOnForItsOverlapAlone() {
    var old = tokens().create(spec("turn", List.of(), 0, 0), "test");
    var fresh = tokens().rotate(old.id(), 3_600_000, "test");
    assertThat(value(old.token(), "t.r", "").statusCode()).isEqualTo(200);
    assertThat(value(fresh.token(), "t.r", "").statusCode()).isEqualTo(200);
    assertThat(tokens().all().stream().filter(t -> t.name().equals("turn"))).hasSize(2);
    CLOCK.forward(Duration.ofMinutes(61));
    assertThat(value(old.token(), "t.r", "").statusCode()).isEqualTo(401);
    assertThat(value(fresh.token(), "t.r", "").statusCode()).isEqualTo(200);
    tokens().revoke(fresh.id());
    assertThat(value(fresh.token(), "t.r", "").statusCode()).isEqualTo(401);
    var used = tokens().create(spec("used", List.of(), 0, 0), "test");
    value(used.token(), "t.r", "");
    server.stop();
    server.start();
    var known = tokens().all().stream().filter(t -> t.id() == used.id()).findFirst().orElseThrow();
    assertThat(known.usedFrom()).as("known after a restart").isEqualTo("127.0.0.1");
    assertThat(known.usedAt()).isPositive();
    assertThat(value(used.token(), "t.r", "").statusCode()).isEqualTo(200);
  }

  @Test
  void aRotatedTokenIsValidForAsLongAsTheOldOneWas() {
    var spec =
        new TokenSpec(
            "ends",
            Set.of(Right.METRICS),
            "",
            List.of(),
            CLOCK.millis() + 1_000_000,
            0,
            0,
            Labels.NONE);
    var old = tokens().create(spec, "test");
    CLOCK.forward(Duration.ofMillis(400_000));
    var fresh = tokens().rotate(old.id(), 3_600_000, "test");
    var byId =
        tokens().all().stream()
            .collect(java.util.stream.Collectors.toMap(t -> t.id(), t -> t.expiresAt()));
    // The clock goes on meanwhile.
    assertThat(byId.get(fresh.id())).isCloseTo(CLOCK.millis() + 1_000_000, within(30_000L));
    assertThat(byId.get(old.id())).isCloseTo(CLOCK.millis() + 600_000, within(30_000L));
    tokens().revoke("ends");
  }

  @Test
  void aSenderBeyondItsLimitIsToldWhenToComeAgain() {
    var token = tokens().create(spec("fast", List.of(), 0, 1), "test").token();
    int refused = 0;
    HttpResponse<String> last = null;
    for (int i = 0; i < 30; i++) {
      var answer = value(token, "t.fast", "\"i\": \"" + i + "\"");
      if (answer.statusCode() == 429) {
        refused++;
        last = answer;
      }
    }
    assertThat(refused).isBetween(10, 22);
    assertThat(last.headers().firstValue("Retry-After")).isPresent();
    assertThat(last.body()).contains("`fast`", "limit of samples per second");
    CLOCK.forward(Duration.ofSeconds(20));
    assertThat(value(token, "t.fast", "").statusCode()).isEqualTo(200);
    var source = source("fast");
    assertThat(source.rejected.get()).isEqualTo(refused);
    assertThat(source.accepted.get()).isEqualTo(30 - refused + 1);
    // A file is held to it, too.
    var file = "time,metric,value\n" + ",t.file,1\n".repeat(50);
    CLOCK.forward(Duration.ofSeconds(20));
    var path = "/api/v1/import?format=csv";
    assertThat(send(token, path, "text/csv", file).statusCode()).isEqualTo(200);
    assertThat(send(token, path, "text/csv", file).statusCode()).isEqualTo(429);
  }

  private static SourceBook.Source source(String name) {
    return server.bean(SourceBook.class).all().stream()
        .filter(s -> s.name().equals(name))
        .findFirst()
        .orElseThrow();
  }

  @Test
  void servicesOfOneTokenAreSourcesAndTwoThatSendTheSameAreTold() {
    var one = tokens().create(spec("fleet", List.of(), 0, 0), "test").token();
    var two = tokens().create(spec("twin", List.of(), 0, 0), "test").token();
    value(one, "t.load", "\"service\": \"booking\", \"host\": \"a\"");
    value(one, "t.load", "\"service\": \"booking\", \"host\": \"b\"");
    value(one, "t.load", "\"service\": \"tickets\"");
    assertThat(source("booking").series.get()).isEqualTo(2);
    assertThat(source("booking").metrics()).containsOnly(java.util.Map.entry("t.load", 2));
    assertThat(source("tickets").key.token()).isEqualTo("fleet");
    value(two, "t.load", "\"service\": \"booking\", \"host\": \"a\"");
    var twin =
        server.bean(SourceBook.class).all().stream()
            .filter(s -> s.key.token().equals("twin"))
            .findFirst()
            .orElseThrow();
    assertThat(twin.contested).startsWith("booking");
    assertThat(source("booking").series.get() + twin.series.get()).isEqualTo(2);
    var page = new Pages(server, "VIEWER").text(get("/collect"));
    assertThat(page)
        .contains("booking", "single values, token fleet", "sends the same series as booking");
    // Silent for long, it is late; what had sent is known after a restart, too.
    CLOCK.forward(Duration.ofMinutes(20));
    assertThat(new Pages(server, "VIEWER").text(get("/collect"))).contains("late");
  }

  @Test
  void sourcesAreKnownAfterARestart() {
    var token = tokens().create(spec("stays", List.of(), 0, 0), "test").token();
    value(token, "t.stays", "\"service\": \"berth\"");
    server.bean(SelfMonitoring.class).write();
    long last = source("berth").pace.last();
    server.stop();
    server.start();
    assertThat(source("berth").pace.last())
        .isCloseTo(last, org.assertj.core.api.Assertions.within(2L));
    assertThat(source("berth").key.way()).isEqualTo(Way.SAMPLES);
  }

  /** An attempt is noted just after its answer has gone out. */
  private static void shows(Pages pages, String panel, String... texts) {
    RunningServer.await(
        String.join(", ", texts),
        () -> {
          var text = pages.text(get(panel));
          return java.util.Arrays.stream(texts).allMatch(text::contains);
        });
  }

  @Test
  void whatArrivedIsWatchedAndShownAndSilenceIsExplained() throws Exception {
    // What other tests sent is long ago.
    CLOCK.forward(Duration.ofMinutes(10));
    var editor = new Pages(server, "EDITOR");
    var made =
        html(editor, post("/collect/connect/token").param("way", "value").param("name", "tide"));
    var match = Pattern.compile("vt_[A-Za-z0-9_-]{20,}").matcher(made);
    assertThat(match.find()).isTrue();
    var id =
        String.valueOf(
            tokens().all().stream().filter(t -> t.name().equals("tide")).findFirst().get().id());
    var panel = "/collect/connect/arrival?name=tide&id=" + id + "&since=";
    assertThat(editor.text(get(panel + (CLOCK.millis() - 119_000))))
        .doesNotContain("Common causes");
    assertThat(editor.text(get(panel + (CLOCK.millis() - 121_000)))).contains("Common causes");
    assertThat(
            editor
                .send(post("/collect/connect/dashboard").param("name", "tide").param("id", id))
                .getStatus())
        .as("nothing has arrived")
        .isEqualTo(400);
    value(match.group(), "tide.level", "\"quay\": \"north\"");
    shows(editor, panel + CLOCK.millis(), "It arrives", "Labels: quay");
    // One sample shows no interval yet: a day of silence is allowed.
    editor.text(post("/collect/connect/rule").param("name", "tide").param("id", id));
    // Later the interval is known. A second rule gets another name.
    for (int i = 0; i < 6; i++) {
      CLOCK.forward(Duration.ofMinutes(10));
      value(match.group(), "tide.level", "\"quay\": \"north\"");
    }
    editor.text(post("/collect/connect/rule").param("name", "tide").param("id", id));
    var definitions = server.bean(vintrel.server.define.Definitions.class);
    assertThat(definitions.find("rule", "tide-silent").text())
        .contains("token = 'tide' then since", "above: 86400");
    assertThat(definitions.find("rule", "tide-silent-2").text()).contains("above: 1800");
    editor.text(post("/collect/connect/dashboard").param("name", "tide").param("id", id));
    assertThat(definitions.dashboard("tide").panels())
        .extracting(p -> p.query())
        .containsExactly("tide.level");
    // Nobody watches or draws another person's source.
    var lee = new Pages(server, "EDITOR");
    assertThat(
            lee.send(post("/collect/connect/rule").param("name", "other").param("id", "999999"))
                .getStatus())
        .isEqualTo(400);
  }

  @Test
  void thePageTellsWhatCameInsteadUntilItArrives() throws Exception {
    var editor = new Pages(server, "EDITOR");
    var made =
        html(
            editor,
            post("/collect/connect/token")
                .param("way", "application")
                .param("name", "planner")
                .param("labels", "berth = north-2, team=operations"));
    var match = Pattern.compile("vt_[A-Za-z0-9_-]{20,}").matcher(made);
    assertThat(match.find()).isTrue();
    var token = match.group();
    assertThat(made).contains("OTEL_SERVICE_NAME=&#39;planner&#39;", "data-short=\"vt_");
    assertThat(made).contains("berth = north-2", "team = operations");
    long id =
        tokens().all().stream().filter(t -> t.name().equals("planner")).findFirst().get().id();
    var panel =
        "/collect/connect/arrival?name=planner&id=" + id + "&since=" + (CLOCK.millis() - 1000);
    assertThat(editor.text(get(panel))).contains("Waiting for the first sample");
    send(null, "/v1/metrics", "application/x-protobuf", "x");
    shows(editor, panel, "The request had no token", "127.0.0.1");
    var page = "# TYPE berth_queue gauge\nberth_queue{berth=\"N2\"} 4\n";
    send(token, "/v1/metrics", "text/plain", page);
    shows(editor, panel, "Received OpenMetrics text, not OTLP", "berth_queue{berth=", "scrape it");
    send(token, "/v1/metrics", "application/json", "{\"resourceMetrics\": [{]}");
    shows(editor, panel, "Unsupported content");
    var deep = "{\"metric\": \"berth.draught\", \"value\": \"deep\"}";
    send(token, "/api/v1/samples", "application/json", deep);
    shows(editor, panel, "Samples were rejected", "value must be a number, not 'deep'");
    send(token, "/api/v1/samples", "application/x-ndjson", "oops");
    shows(editor, panel, "Samples were rejected", "line 1: is not JSON");
    value(token, "berth.queue", "\"berth\": \"N2\"");
    value(token, "berth.queue", "\"berth\": \"N3\"");
    shows(editor, panel, "It arrives", "2 series", "berth.queue", "Open on the Bench");
    assertThat(editor.text(get(panel)))
        .contains("Labels: berth; added by the token: team", "berth.queue has no unit");
    assertThat(editor.text(get(panel))).doesNotContain(token);
    // Attempts of others with tokens of their own are not shown.
    var other = tokens().create(spec("other", List.of(), 0, 0), "test").token();
    send(other, "/v1/metrics", "text/plain", "secret of another");
    assertThat(editor.text(get(panel))).doesNotContain("secret of another");
    long others =
        tokens().all().stream().filter(t -> t.name().equals("other")).findFirst().get().id();
    assertThat(editor.text(get("/collect/connect/arrival?name=other&id=" + others + "&since=0")))
        .as("another person's token")
        .doesNotContain("secret of another");
    assertThat(new Pages(server, "VIEWER").text(get("/collect/connect")))
        .contains("Ask an editor")
        .doesNotContain("Create token");
  }

  @Test
  void whatWasTypedStaysIfTheTokenCannotBe() throws Exception {
    var editor = new Pages(server, "EDITOR");
    for (var bad : List.of("north-quay", "site=", "=x", "le=1", "a=1, a=2")) {
      var again =
          html(
              editor,
              post("/collect/connect/token")
                  .param("way", "application")
                  .param("name", "kept name")
                  .param("store", "depot")
                  .param("labels", bad)
                  .param("speaks", "json"));
      assertThat(again).as(bad).contains("role=\"alert\"", "kept name", "depot").contains(bad);
      assertThat(again).doesNotContain("id=\"made-token\"");
      assertThat(again).containsPattern("data-choose=\"json\"[^>]*>");
      assertThat(again).containsPattern("aria-pressed=\"true\"[^>]*data-choose=\"json\"");
    }
    assertThat(tokens().all()).noneMatch(t -> t.name().equals("kept name"));
    for (var bad : List.of("", " ", "x".repeat(101))) {
      var unnamed = post("/collect/connect/token").param("way", "value").param("name", bad);
      assertThat(html(editor, unnamed))
          .contains("role=\"alert\"", "Name the source")
          .doesNotContain("token name");
    }
    // One that a program makes can't smuggle in another label.
    var smuggled = spec("kept name", List.of(), 0, 0).adding(Labels.of("a", "1, site=x"));
    org.assertj.core.api.Assertions.assertThatThrownBy(() -> tokens().create(smuggled, "test"))
        .hasMessageContaining("a comma");
    var bound =
        html(
            editor,
            post("/collect/connect/token")
                .param("way", "value")
                .param("name", "bound")
                .param("store", "depot"));
    assertThat(bound).contains("send only, store depot");
    // Without gRPC the page offers what there is.
    assertThat(html(editor, get("/collect/connect"))).doesNotContain("data-choose=\"grpc\"");
  }

  @Test
  void whatIsRejectedDoesNotCountAsArrived() {
    var token = tokens().create(spec("ahead", List.of(), 0, 0), "test").token();
    long far = CLOCK.millis() + 86_400_000;
    var body = "{\"metric\": \"t.ahead\", \"value\": 1, \"time\": %d}".formatted(far);
    send(token, "/api/v1/samples", "application/json", body);
    var source = source("ahead");
    assertThat(source.accepted.get()).isZero();
    assertThat(source.rejected.get()).isEqualTo(1);
    assertThat(source.why).contains("future");
  }

  @Test
  void ownMetricsThatSomebodyElseWroteDoNotHarm() {
    for (var metric : List.of("vintrel.source.samples", "vintrel.source.last")) {
      for (var labels : List.of("", "\"way\": \"otlp\"", "\"token\": \"x\", \"way\": \"?\"")) {
        var body =
            "{\"metric\": \"%s\", \"value\": 1e300, \"labels\": {%s}}".formatted(metric, labels);
        assertThat(
                send(RunningServer.TOKEN, "/api/v1/samples?store=vintrel", "application/json", body)
                    .statusCode())
            .isEqualTo(200);
      }
    }
    assertThat(new Pages(server, "VIEWER").send(get("/collect")).getStatus()).isEqualTo(200);
    server.stop();
    server.start();
    assertThat(new Pages(server, "VIEWER").send(get("/collect")).getStatus()).isEqualTo(200);
  }

  @Test
  void moreServicesThanFitShareTheEntryOfTheirToken() {
    var book = new SourceBook(server.bean(vintrel.core.store.SampleStore.class), CLOCK);
    for (int i = 0; i < SourceBook.MAX_SOURCES + 50; i++) {
      book.restore(new SourceBook.Key("many", Way.OTLP, "s" + i), 1, 0);
    }
    book.restore(new SourceBook.Key("late comer", Way.OTLP, "x"), 1, 0);
    assertThat(book.all()).hasSize(SourceBook.MAX_SOURCES + 2);
    assertThat(book.all()).anyMatch(s -> s.name().equals("late comer"));
  }

  @Test
  void theAdministratorsFormKeepsWhatWasTyped() throws Exception {
    var admin = new Pages(server, "ADMIN");
    var again =
        html(
            admin,
            post("/collect/tokens")
                .param("name", "typed")
                .param("right", "READ")
                .param("networks", "10.0.0.0/99")
                .param("days", "30"));
    assertThat(again)
        .contains("10.0.0.0/99", "is not a network", "value=\"typed\"", "value=\"30\"");
    var made =
        admin.text(
            post("/collect/tokens")
                .param("name", "typed")
                .param("right", "READ", "DEFINE")
                .param("networks", "10.0.0.0/8")
                .param("days", "30")
                .param("maxSamples", "1,000"));
    assertThat(made).contains("vt_", "read, apply definitions", "1,000 samples/s", "10.0.0.0/8");
    assertThat(new Pages(server, "VIEWER").text(get("/collect/tokens")))
        .doesNotContain("10.0.0.0/8", "New token");
  }
}
