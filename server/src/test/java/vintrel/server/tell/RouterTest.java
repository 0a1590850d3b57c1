package vintrel.server.tell;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.database.Database;
import vintrel.server.define.Definitions;

/** From notices in the database to deliveries in the outbox. */
class RouterTest {
  private static final SettableClock CLOCK = new SettableClock();

  static class Beans {
    @Bean
    @Primary
    Clock settable() {
      return CLOCK;
    }
  }

  @RegisterExtension static final RunningServer server = new RunningServer().with(Beans.class);

  /** What is sent fails at once: nobody listens there. */
  private static final String RECIPIENTS =
      """
      kind: recipient
      name: duty
      channels: [{webhook: 'http://127.0.0.1:9/'}]
      ---
      kind: recipient
      name: kim
      title: Kim
      channels: [{webhook: 'http://127.0.0.1:9/'}]
      """;

  private static final AtomicInteger RULES = new AtomicInteger();

  /** Of the current test. */
  private String rule;

  @BeforeEach
  void anotherRule() {
    rule = "r" + RULES.incrementAndGet();
  }

  private static void define(String text) {
    var answer = server.post("/api/v1/definitions", "application/yaml", text);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
  }

  private static void routes(String rows) {
    define(RECIPIENTS + "---\nkind: routing\nname: main\nroutes:\n" + rows);
  }

  private void add(String host, Change change, Priority priority) {
    var draft = draft(host, change, priority);
    server.bean(Database.class).run(s -> server.bean(Outbox.class).add(s, draft));
  }

  private Outbox.Draft draft(String host, Change change, Priority priority) {
    var routed =
        Labels.of(new TreeMap<>(Map.of("host", host, "rule", rule, "priority", priority.text())));
    return new Outbox.Draft(
        rule,
        "host " + host,
        routed,
        change,
        priority,
        CLOCK.millis(),
        Map.of("rule", rule, "series", "host " + host, "change", change.text()));
  }

  private static List<DeliveryRow> deliveries(String rule) {
    return server
        .bean(Database.class)
        .with(
            s ->
                s.createSelectionQuery(
                        "from Delivery where body like :rule order by id", DeliveryRow.class)
                    .setParameter("rule", "%" + rule + "%")
                    .getResultList());
  }

  /** How many messages named an alert in their text, by change. */
  private List<String> subjects() {
    return deliveries(rule).stream().map(d -> d.recipient + ": " + d.subject).toList();
  }

  private String states() {
    List<String> found =
        server
            .bean(Database.class)
            .with(
                s ->
                    s.createSelectionQuery(
                            "select state from Notice where rule = :rule order by id", String.class)
                        .setParameter("rule", rule)
                        .getResultList());
    return String.join(" ", found);
  }

  private static void waitFor(String what, java.util.function.BooleanSupplier condition) {
    RunningServer.await(what, condition);
  }

  @Test
  void alertsThatBelongTogetherShareAMessage() {
    routes("- {name: all, to: [duty], group-by: rule, first-wait: 1m, follow-up: 10m}\n");
    for (int i = 0; i < 12; i++) {
      add("h" + i, Change.RAISED, Priority.HIGH);
    }
    waitFor("routed", () -> states().equals("DONE " + "DONE ".repeat(10) + "DONE"));
    assertThat(subjects()).isEmpty();
    CLOCK.forward(java.time.Duration.ofMinutes(1));
    waitFor("a message", () -> subjects().size() == 1);
    var first = deliveries(rule).getFirst();
    assertThat(first.subject).startsWith("12 raised").contains(rule);
    assertThat(first.body).contains("host h0", "and 2 more", "12 alerts of this group active");
    assertThat(first.alerts).isEqualTo(12);
    server.stop();
    server.start();
    add("h3", Change.CLEARED, Priority.HIGH);
    add("h4", Change.CLEARED, Priority.HIGH);
    CLOCK.forward(java.time.Duration.ofMinutes(11));
    waitFor("the next one", () -> subjects().size() == 2);
    assertThat(subjects().getLast()).startsWith("duty: 2 cleared");
    assertThat(deliveries(rule).getLast().body).contains("10 alerts of this group");
    var about = server.bean(Outbox.class).about(rule, "host h3", 0, 10);
    assertThat(about).extracting(Outbox.Sent::change).containsExactly("cleared", "raised");
    assertThat(server.bean(Outbox.class).about(rule, "host h9", 0, 10)).hasSize(1);
  }

  @Test
  void whatAShelfHeldBackIsToldAtItsEndUnlessItIsOver() {
    routes("- {name: all, to: [duty]}\n");
    var made =
        server.post(
            "/api/v1/shelves",
            "application/json",
            "{\"when\": \"rule = '%s'\", \"reason\": \"painting\", \"until\": \"2h\"}"
                .formatted(rule));
    assertThat(made.statusCode()).as(made.body()).isEqualTo(201);
    var id = made.body().replaceAll(".*\"id\":(\\d+).*", "$1");
    add("a", Change.RAISED, Priority.HIGH);
    add("b", Change.RAISED, Priority.HIGH);
    add("c", Change.RAISED, Priority.CRITICAL);
    waitFor("what is critical passes", () -> subjects().size() == 1);
    waitFor("held", () -> states().equals("HELD HELD DONE"));
    add("b", Change.CLEARED, Priority.HIGH);
    waitFor("over", () -> states().equals("HELD DROPPED DONE DONE"));
    assertThat(server.send(server.to("/api/v1/shelves")).body()).contains("painting");
    var delete =
        server
            .to("/api/v1/shelves/" + id)
            .method("DELETE", java.net.http.HttpRequest.BodyPublishers.noBody());
    assertThat(server.send(delete).statusCode()).isEqualTo(204);
    assertThat(server.send(delete).statusCode()).isEqualTo(404);
    waitFor("told", () -> subjects().size() == 2);
    assertThat(subjects().getLast()).isEqualTo("duty: raised: %s, host a".formatted(rule));
  }

  /** The end of a shelf and that of its alert in one round: nobody is told of what is over. */
  @Test
  void anAlertThatEndsWithItsShelfIsInNoMessage() {
    routes("- {name: all, to: [duty]}\n");
    long id =
        server
            .bean(Shelves.class)
            .shelve("rule = '%s'".formatted(rule), "", "kim", CLOCK.millis() + 3_600_000, false);
    add("a", Change.RAISED, Priority.HIGH);
    waitFor("held", () -> states().equals("HELD"));
    server
        .bean(Database.class)
        .run(
            s -> {
              s.createMutationQuery("update Shelf set untilAt = :now where id = :id")
                  .setParameter("now", CLOCK.millis())
                  .setParameter("id", id)
                  .executeUpdate();
              server.bean(Outbox.class).add(s, draft("a", Change.CLEARED, Priority.HIGH));
            });
    waitFor("over", () -> states().equals("DROPPED DONE"));
    add("b", Change.RAISED, Priority.HIGH);
    waitFor("a later one is told", () -> !subjects().isEmpty());
    assertThat(subjects()).containsExactly("duty: raised: %s, host b".formatted(rule));
  }

  @Test
  void aRaiseThatOutlivesItsWindowIsToldAtItsEnd() {
    var start =
        Instant.ofEpochMilli(CLOCK.millis() - 60_000).atZone(ZoneOffset.UTC).toLocalDateTime();
    define(
        "kind: window\nname: w-%s\nwhen: rule = '%s'\nstarts: '%s'\nlasts: 1h\nrepeats: FREQ=DAILY\n"
            .formatted(rule, rule, start.withNano(0)));
    routes("- {name: all, to: [duty]}\n");
    add("a", Change.RAISED, Priority.LOW);
    waitFor("held", () -> states().equals("HELD"));
    add("a", Change.ESCALATED, Priority.HIGH);
    waitFor("the later one is held", () -> states().equals("DROPPED HELD"));
    CLOCK.forward(java.time.Duration.ofMinutes(30));
    assertThat(subjects()).isEmpty();
    CLOCK.forward(java.time.Duration.ofMinutes(30));
    waitFor("told", () -> subjects().size() == 1);
    add("a", Change.CLEARED, Priority.HIGH);
    waitFor("its end too", () -> subjects().size() == 2);
    assertThat(subjects().getLast()).contains("cleared");
    assertThat(
            server
                .send(
                    server
                        .to("/api/v1/definitions/window/w-" + rule)
                        .method("DELETE", java.net.http.HttpRequest.BodyPublishers.noBody()))
                .statusCode())
        .isEqualTo(204);
  }

  /** What can't be read holds back nothing else, and is not tried for ever. */
  @Test
  void aNoticeThatCantBeRoutedIsPutAside() {
    routes("- {name: all, to: [duty]}\n");
    server
        .bean(Database.class)
        .run(
            s -> {
              var row = new NoticeRow();
              row.alert = "broken";
              row.rule = rule;
              row.series = "";
              row.change = Change.RAISED.name();
              row.priority = Priority.HIGH.name();
              row.labels = "{";
              row.content = "{";
              row.state = NoticeRow.NEW;
              row.source = "";
              row.verdict = "";
              s.insert(row);
            });
    add("a", Change.RAISED, Priority.HIGH);
    waitFor("both are done", () -> states().equals("DONE DONE"));
    waitFor("the other is told", () -> subjects().size() == 1);
  }

  /** Two servers that route at once: nothing is lost, nothing told twice. */
  @Test
  void twoRoutersTellEachAlertOnce() throws Exception {
    routes("- {name: all, to: [duty], group-by: host, first-wait: 0s}\n");
    int count = 300;
    var routers = new ArrayList<Router>();
    for (int i = 0; i < 2; i++) {
      routers.add(
          new Router(
              server.bean(Definitions.class),
              server.bean(Database.class),
              server.bean(Shelves.class),
              server.bean(Outbox.class),
              null,
              CLOCK));
    }
    try (var threads = Executors.newFixedThreadPool(2)) {
      for (var router : routers) {
        threads.submit(
            () -> {
              while (states().contains("NEW") || deliveries(rule).size() < count) {
                try {
                  router.round();
                } catch (RuntimeException e) {
                  // The other one was faster: all of the round is undone.
                }
              }
            });
      }
      for (int i = 0; i < count; i++) {
        add("h" + i, Change.RAISED, Priority.HIGH);
      }
      waitFor("all", () -> !states().contains("NEW") && deliveries(rule).size() >= count);
    }
    var times = new HashMap<String, Integer>();
    deliveries(rule).forEach(d -> times.merge(d.series, 1, Integer::sum));
    assertThat(times).hasSize(count);
    assertThat(times.values()).containsOnly(1);
  }

  @Test
  void tryingSaysWhatBecomesOfEachRow() {
    routes(
        """
        - {name: critical, when: priority = 'critical', to: [kim], more: true}
        - {name: ships, when: team = 'ships', to: [duty], group-by: rule, first-wait: 1m}
        - {name: rest, to: [duty, kim]}
        """);
    var found =
        server.post(
            "/api/v1/notify/try",
            "application/json",
            "{\"labels\": {\"team\": \"ships\", \"priority\": \"high\"}, \"at\":"
                + " \"2026-11-25T08:00:00Z\"}");
    assertThat(found.statusCode()).as(found.body()).isEqualTo(200);
    assertThat(found.body())
        .contains(
            "{\"route\":\"critical\",\"verdict\":\"no\",\"why\":\"priority is high\"}",
            "{\"route\":\"ships\",\"verdict\":\"match\",\"why\":\"\"}",
            "{\"route\":\"rest\",\"verdict\":\"not reached\",\"why\":\"row 2 stops\"}",
            "\"recipient\":\"duty\",\"channel\":\"webhook\",\"at\":\"2026-11-25T08:01:00Z\"");
    assertThat(server.post("/api/v1/notify/try", "application/json", "{}").statusCode())
        .isEqualTo(400);
    assertThat(
            server
                .post("/api/v1/shelves", "application/json", "{\"when\": \"\", \"until\": \"2h\"}")
                .statusCode())
        .isEqualTo(400);
    assertThat(
            server
                .post(
                    "/api/v1/shelves",
                    "application/json",
                    "{\"when\": \"site = \", \"until\": \"2h\"}")
                .statusCode())
        .isIn(400, 422);
    assertThat(
            server
                .post(
                    "/api/v1/shelves",
                    "application/json",
                    "{\"when\": \"site = 'x'\", \"until\": \"9d\"}")
                .body())
        .contains("7 days");
  }
}
