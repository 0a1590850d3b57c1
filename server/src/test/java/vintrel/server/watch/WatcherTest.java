package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.series.Labels;
import vintrel.core.tell.AlertKey;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.database.Database;
import vintrel.server.database.Leases;
import vintrel.server.database.SharedLeases;
import vintrel.server.define.Definitions;
import vintrel.server.tell.Outbox;
import vintrel.server.web.Duties;

/** What can go wrong around checks: edits, a failing database, series that vanish. */
class WatcherTest {
  private static final SettableClock CLOCK = new SettableClock();

  static class Beans {
    @Bean
    @Primary
    Clock settable() {
      return CLOCK;
    }

    @Bean
    @Primary
    Leases shared(Database database, Clock clock) {
      return SharedLeases.of(database, clock, "this");
    }
  }

  /** What waits for heartbeats, and what it answers. */
  private static final List<String> BEATS = new CopyOnWriteArrayList<>();

  private static volatile int answers = 200;

  private static String listening() {
    try {
      var http = HttpServer.create(new InetSocketAddress("127.0.0.1", 0), 0);
      http.createContext(
          "/",
          exchange -> {
            BEATS.add(new String(exchange.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
            exchange.sendResponseHeaders(answers, -1);
            exchange.close();
          });
      http.start();
      return "http://127.0.0.1:" + http.getAddress().getPort() + "/beat?token=hidden";
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @RegisterExtension
  static final RunningServer server =
      new RunningServer("--vintrel.watch.heartbeat=" + listening()).with(Beans.class);

  private static void define(String name, String limits, String... more) {
    var yaml =
        "kind: rule\nname: %s\nquery: %s.m\nevery: 5s\nbehind: 0s\nlimits: [%s]\n%s\n"
            .formatted(name, name, limits, String.join("\n", more));
    var answer = server.post("/api/v1/definitions", "application/yaml", yaml);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
  }

  private static void publish(String rule, double value) {
    server.post(
        "/api/v1/samples",
        "application/x-www-form-urlencoded",
        "metric=" + rule + ".m&host=a&value=" + value);
  }

  private static AlertLog.Alert alert(String rule) {
    return server.bean(AlertLog.class).of(rule).stream().findFirst().orElse(null);
  }

  private static List<Change> changes(String rule) {
    return server.bean(AlertLog.class).history(rule, Labels.of("host", "a"), 100).stream()
        .map(AlertLog.Past::change)
        .toList();
  }

  private static WatchedRule watched(String rule) {
    return server.bean(Watcher.class).rules().stream()
        .filter(w -> w.name.equals(rule))
        .findFirst()
        .orElseThrow();
  }

  private static void sql(String text) {
    server.bean(Database.class).run(s -> s.doWork(c -> c.createStatement().executeUpdate(text)));
  }

  private static void raise(String rule) {
    publish(rule, 9);
    RunningServer.await(
        "raised", CLOCK, () -> alert(rule) != null && alert(rule).state() == WatchState.RAISED);
  }

  @Test
  void anEditKeepsTheAlertUnderTheLimitThatIsLeft() {
    define("edited", "{above: 5, priority: high}, {above: 3, priority: low}");
    raise("edited");
    long id = alert("edited").id();
    define("edited", "{above: 3, priority: low}");
    assertThat(alert("edited").priority()).isEqualTo(Priority.LOW);
    assertThat(alert("edited").id()).isEqualTo(id);
    assertThat(changes("edited")).startsWith(Change.EASED, Change.RAISED);
    server.stop();
    server.start();
    assertThat(alert("edited").priority()).isEqualTo(Priority.LOW);
    define("edited", "{above: 8, priority: critical}");
    // The next check may have raised it again already.
    assertThat(changes("edited")).contains(Change.CLEARED);
    RunningServer.await("raised again", CLOCK, () -> alert("edited").state() == WatchState.RAISED);
    assertThat(watched("edited").fault).isEmpty();
  }

  @Test
  void aServerThatGetsTheLeaseBackGoesOnWithWhatTheOtherStored() {
    define("leased", "{above: 5, priority: high}");
    raise("leased");
    SharedLeases.ELSEWHERE.addAll(RuleShares.JOBS);
    try {
      RunningServer.await("it has noticed", () -> !server.bean(Watcher.class).checksHere());
      // Another server acknowledges meanwhile: this one shows it. And the value falls.
      acknowledgedElsewhere("leased");
      RunningServer.await(
          "the other's state", () -> alert("leased").state() == WatchState.ACKNOWLEDGED);
      publish("leased", 1);
      long checked = watched("leased").checkedUntil;
      CLOCK.forward(Duration.ofSeconds(20));
      RunningServer.await(
          "it looks again", () -> SharedLeases.asked(RuleShares.JOBS.getFirst()) >= 3);
      assertThat(watched("leased").checkedUntil)
          .as("no check without the lease")
          .isEqualTo(checked);
    } finally {
      SharedLeases.ELSEWHERE.removeAll(RuleShares.JOBS);
    }
    RunningServer.await("cleared", CLOCK, () -> alert("leased").state() == WatchState.NORMAL);
    var cleared =
        server.bean(AlertLog.class).history("leased", Labels.of("host", "a"), 1).getFirst();
    assertThat(cleared.from()).as("the other's state").isEqualTo(WatchState.ACKNOWLEDGED);
  }

  private static void acknowledgedElsewhere(String rule) {
    sql(
        "update watched_series set state = 'ACKNOWLEDGED', acknowledged = true, version = version"
            + " + 1 where rule = '%s'".formatted(rule));
    sql(
        "insert into transition (rule, labels, change, from_state, to_state, at, reading, priority,"
            + " why) select rule, labels, 'ACKNOWLEDGED', 'RAISED', 'ACKNOWLEDGED', since,"
            + " 9, 'HIGH', 'acknowledged by kim' from watched_series where rule = '%s'"
                .formatted(rule));
  }

  /** Before the series changes again, as the one that holds the lease would else learn of it. */
  @Test
  void anAcknowledgementElsewhereReachesTheServerThatChecks() {
    define("reached", "{above: 5, priority: high}");
    raise("reached");
    acknowledgedElsewhere("reached");
    RunningServer.await(
        "the other's state", () -> alert("reached").state() == WatchState.ACKNOWLEDGED);
    assertThat(alert("reached").value()).isEqualTo(9);
    publish("reached", 1);
    RunningServer.await("cleared", CLOCK, () -> alert("reached").state() == WatchState.NORMAL);
    assertThat(changes("reached")).startsWith(Change.CLEARED, Change.ACKNOWLEDGED, Change.RAISED);
  }

  /** A series that stands since before the range is on its rule's strip beside one that changes. */
  @Test
  void aRulesStripHasWhatDidNotChangeInTheRangeToo() {
    define("strips", "{above: 5, priority: high}", "missing: hold");
    raise("strips");
    CLOCK.forward(Duration.ofHours(3));
    publish("strips", 9);
    server.post(
        "/api/v1/samples", "application/x-www-form-urlencoded", "metric=strips.m&host=b&value=1");
    RunningServer.await("a second", CLOCK, () -> watched("strips").series.size() == 2);
    var range = new vintrel.core.unit.TimeText.Range(CLOCK.millis() - 3_600_000, CLOCK.millis());
    var row =
        server.bean(RuleList.class).folders(range, java.time.ZoneOffset.UTC).stream()
            .flatMap(f -> f.rows().stream())
            .filter(r -> r.name().equals("strips"))
            .findFirst()
            .orElseThrow();
    assertThat(row.strip()).hasSize(1);
    assertThat(row.strip().getFirst().look()).isEqualTo("raised high");
    assertThat(row.strip().getFirst().width()).isGreaterThan(230);
    assertThat(row.state()).isEqualTo("1 active");
    assertThat(row.alerts()).isEqualTo(1);
  }

  /** Checks go on, and nothing waits for the time before to come again. */
  @Test
  void aClockThatIsSetBackStopsNoRule() {
    define("back", "{above: 5, priority: high, off-delay: 15s}");
    raise("back");
    var before = CLOCK.instant();
    CLOCK.forward(Duration.ofMinutes(40));
    publish("back", 9);
    RunningServer.await(
        "checked ahead",
        CLOCK,
        () -> watched("back").checkedUntil > before.plus(Duration.ofMinutes(39)).toEpochMilli());
    CLOCK.forward(Duration.ofMinutes(-40));
    publish("back", 1);
    RunningServer.await("cleared", CLOCK, () -> alert("back").state() == WatchState.NORMAL);
    assertThat(CLOCK.instant()).isBefore(before.plus(Duration.ofMinutes(20)));
    assertThat(alert("back").since()).isLessThanOrEqualTo(CLOCK.millis());
    server.stop();
    server.start();
    publish("back", 9);
    RunningServer.await("raised again", CLOCK, () -> alert("back").state() == WatchState.RAISED);
    assertThat(CLOCK.instant()).isBefore(before.plus(Duration.ofMinutes(20)));
  }

  /** Limits and raised times of rules on a dashboard, and on the rail. */
  @Test
  void aPanelShowsTheRulesThatWatchIt() throws Exception {
    define("shown", "{above: 5, priority: high}", "title: Too much");
    raise("shown");
    var editor = new Pages(server, "EDITOR");
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: dashboard
        name: shown
        title: Shown
        panels:
        - {title: Same, id: same, kind: time-chart, at: [1, 1, 6, 6], query: shown.m then max}
        - {title: Sum, id: sum, kind: time-chart, at: [1, 7, 6, 6], query: shown.m then sum}
        """);
    var same = panel(editor, "same", "-1h");
    assertThat(same.get("limits")).hasSize(1);
    var limit = same.get("limits").get(0);
    assertThat(limit.get("rule").asString()).isEqualTo("shown");
    assertThat(limit.get("text").asString()).contains("above 5");
    var raised = same.get("raised").get(0);
    long since = alert("shown").since();
    double place = Duration.ofHours(1).toMillis() / 500.0;
    assertThat((double) raised.get("from").asLong())
        .isBetween(since - 2 * place, since + 2 * place);
    assertThat(raised.get("priority").asString()).isEqualTo("high");
    assertThat(raised.get("title").asString()).isEqualTo("Too much");
    // One that stands since before the range is raised in all of it.
    CLOCK.forward(Duration.ofMinutes(20));
    publish("shown", 9);
    RunningServer.await(
        "checked", CLOCK, () -> watched("shown").checkedUntil > CLOCK.millis() - 60_000);
    var later = panel(editor, "same", "-5m");
    assertThat(later.get("raised")).hasSize(1);
    assertThat(later.get("raised").get(0).get("from").asLong())
        .isEqualTo(later.get("picture").get("from").asLong());
    var rail =
        JsonMapper.shared().readTree(editor.send(get("/rail?span=10m")).getContentAsString());
    assertThat(rail.get("raised").get(0).get("from").asLong()).isEqualTo(rail.get("from").asLong());
    // However small a panel is.
    var tiny =
        editor.send(
            post("/dashboards/shown/panels/same")
                .param("from", "-1h")
                .param("to", "now")
                .param("width", "1")
                .param("height", "1"));
    assertThat(tiny.getStatus()).isEqualTo(200);
    // What adds up is another thing than its parts; and a rule that pauses has no limit.
    assertThat(panel(editor, "sum", "-1h").get("limits")).isEmpty();
    define("shown", "{above: 5, priority: high}", "paused: true");
    assertThat(panel(editor, "same", "-1h").get("limits")).isEmpty();
  }

  private static JsonNode panel(Pages pages, String id, String from) throws Exception {
    var answer =
        pages.send(
            post("/dashboards/shown/panels/" + id)
                .param("from", from)
                .param("to", "now")
                .param("width", "600")
                .param("height", "200"));
    return JsonMapper.shared().readTree(answer.getContentAsString()).get("drawing");
  }

  private static long count(String from) {
    return server
        .bean(Database.class)
        .with(
            s -> s.createNativeQuery("select count(*) from " + from, Long.class).getSingleResult());
  }

  private static void delivery(long id, String state, long at) {
    sql(
        "insert into delivery (id, idempotency_key, made_at, rule, series, change, recipient,"
            + " channel, address, subject, body, state, attempts, next_at, answer, done_at) values"
            + " (%d, 'k%d', %d, 'swept', 's', 'raised', 'r', 'mail', 'a', 's', 'b', '%s', 1, %d,"
                .formatted(id, id, at, state, Long.MAX_VALUE)
            + " '', 0)");
    sql(
        "insert into attempt (delivery_id, at, millis, ok, answer) values (%d, %d, 1, true, '')"
            .formatted(id, at));
  }

  /** However many messages there were of another series since. */
  @Test
  void theLatestMessageOfEachSeriesIsKnown() {
    delivery(800_000, "SENT", 1_000);
    sql(
        "insert into delivery (id, idempotency_key, made_at, rule, series, change, recipient,"
            + " channel, address, subject, body, state, attempts, next_at, answer, done_at) select"
            + " 800000 + x, 'n' || x, 1000 + x, 'noisy', 's', 'raised', 'r', 'mail', 'a', 's', 'b',"
            + " 'SENT', 1, 0, '', 5000 + x from system_range(1, 12000)");
    var latest = server.bean(Outbox.class).latest(500);
    assertThat(latest.get(AlertKey.of("swept", "s")).at()).isEqualTo(1_000);
    assertThat(latest.get(AlertKey.of("noisy", "s")).at()).isEqualTo(17_000);
    assertThat(server.bean(Outbox.class).latest(1_001))
        .doesNotContainKey(AlertKey.of("swept", "s"));
    sql("delete from delivery where id >= 800000 and id < 900000");
  }

  /** What is past its retention goes, more than fits into a batch; what still waits stays. */
  @Test
  void recordsEnd() {
    define("swept", "{above: 5, priority: high}");
    raise("swept");
    var day = Duration.ofDays(1).toMillis();
    long now = CLOCK.millis();
    for (long age : new long[] {401, 399}) {
      sql(
          "insert into transition (rule, labels, change, from_state, to_state, at, reading,"
              + " priority, why) select 'swept', 'old', 'RAISED', 'NORMAL', 'RAISED', %d, 1, 'HIGH',"
                  .formatted(now - age * day)
              + " 'w' from system_range(1, 1200)");
      sql(
          "insert into alert_note (series_id, at, author, kind, text, until_at) values (-1, %d,"
                  .formatted(now - age * day)
              + " 'kim', 'NOTE', 't', 0)");
    }
    // Of 30 old versions the latest 20 stay; those of the present rule are young.
    sql(
        "insert into definition_revision (kind, name, version, at, changed_by, origin, text) select"
            + " 'rule', 'swept-away', x, %d, 'kim', 'page', 't' from system_range(1, 30)"
                .formatted(now - 401 * day));
    delivery(900_001, "SENT", now - 91 * day);
    delivery(900_002, "QUEUED", now - 91 * day);
    delivery(900_003, "SENT", now - 89 * day);
    var sweep = server.bean(RecordSweep.class);
    long before = sweep.removed();
    assertThat(sweep.run()).isEqualTo(1_200 + 1 + 1 + 10);
    assertThat(sweep.run()).isZero();
    assertThat(sweep.removed() - before).isEqualTo(1_212);
    assertThat(count("transition where labels = 'old'")).isEqualTo(1_200);
    assertThat(count("alert_note where series_id = -1")).isEqualTo(1);
    assertThat(count("definition_revision where name = 'swept-away' and version > 10"))
        .isEqualTo(20);
    assertThat(count("definition_revision where name = 'swept'")).isEqualTo(1);
    assertThat(count("delivery where id > 900000")).isEqualTo(2);
    assertThat(count("attempt where delivery_id > 900000")).isEqualTo(2);
    assertThat(alert("swept").state()).isEqualTo(WatchState.RAISED);
    sql("delete from delivery where id > 900000");
  }

  @Test
  void whatAnotherServerWroteMeanwhileIsNotOverwritten() {
    define("versions", "{above: 5, priority: high}");
    raise("versions");
    sql(
        "update watched_series set state = 'ACKNOWLEDGED', acknowledged = true, version = version"
            + " + 1 where rule = 'versions'");
    // The next change finds another version, reads it, and goes on from there.
    publish("versions", 1);
    RunningServer.await("cleared", CLOCK, () -> alert("versions").state() == WatchState.NORMAL);
    var cleared =
        server.bean(AlertLog.class).history("versions", Labels.of("host", "a"), 2).getFirst();
    assertThat(cleared.from()).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(changes("versions")).containsExactly(Change.CLEARED, Change.RAISED);
  }

  @Test
  void aRuleOnAbsenceRaisesBeforeThereIsAnything() {
    define("absent", "{absent: true, priority: critical}", "missing: hold");
    RunningServer.await("checked", CLOCK, () -> watched("absent").checkedUntil > 0);
    assertThat(watched("absent").fault).isEmpty();
    RunningServer.await(
        "raised",
        CLOCK,
        () -> alert("absent") != null && alert("absent").state() == WatchState.RAISED);
    assertThat(alert("absent").labels()).isEqualTo(Labels.NONE);
    assertThat(alert("absent").limit()).isEqualTo("absent");
    publish("absent", 1);
    RunningServer.await(
        "cleared",
        CLOCK,
        () -> alert("absent") != null && alert("absent").labels().equals(Labels.of("host", "a")));
    var past = server.bean(AlertLog.class).history("absent", Labels.NONE, 5);
    assertThat(past)
        .extracting(AlertLog.Past::change)
        .containsExactly(Change.CLEARED, Change.RAISED);
    assertThat(past.getFirst().why()).startsWith("data has come");
  }

  @Test
  void aLineWithoutLabelsIsAbsentItself() {
    var yaml =
        """
        kind: rule
        name: whole
        query: whole.m then sum
        every: 5s
        behind: 0s
        missing: hold
        limits: [{absent: true, priority: high}]
        """;
    assertThat(server.post("/api/v1/definitions", "application/yaml", yaml).statusCode())
        .isEqualTo(200);
    RunningServer.await(
        "raised",
        CLOCK,
        () -> alert("whole") != null && alert("whole").state() == WatchState.RAISED);
    long id = alert("whole").id();
    publish("whole", 1);
    RunningServer.await("cleared", CLOCK, () -> alert("whole").state() == WatchState.NORMAL);
    assertThat(alert("whole").id()).as("the same series").isEqualTo(id);
  }

  @Test
  void aFailingQueryIsToldAndEndsByItself() {
    define("failing", "{above: 5, priority: high}", "fault-after: 10s");
    raise("failing");
    // The line that it watches is a table from now on.
    define(
        "failing",
        "{above: 5, priority: high}",
        "fault-after: 10s",
        "title: As a table",
        "watch: rows",
        "labels: {team: quay}");
    RunningServer.await("fault", CLOCK, () -> alert("failing").state() == WatchState.FAULT);
    var fault =
        server.bean(AlertLog.class).history("failing", Labels.of("host", "a"), 1).getFirst();
    assertThat(fault.why()).isEqualTo("the query failed: no line is called 'rows'");
    define("failing", "{above: 5, priority: high}", "fault-after: 10s");
    RunningServer.await("back", CLOCK, () -> alert("failing").state() == WatchState.RAISED);
    assertThat(changes("failing")).containsExactly(Change.BACK, Change.FAULT, Change.RAISED);
  }

  @Test
  void checksThatCountAreKnownAfterARestart() {
    define("counted", "{above: 5, priority: high, checks: 2 of 3}");
    publish("counted", 1);
    RunningServer.await("normal", CLOCK, () -> alert("counted") != null);
    publish("counted", 9);
    RunningServer.await(
        "one check counts",
        CLOCK,
        () ->
            watched("counted").series.values().stream()
                .anyMatch(s -> s.state().limits().getFirst().passed() != 0));
    var before = watched("counted").series.values().iterator().next().state();
    server.stop();
    server.start();
    RunningServer.await("loaded", CLOCK, () -> watched("counted").loaded);
    raise("counted");
    assertThat(before.isRaised() || changes("counted").contains(Change.RAISED)).isTrue();
  }

  @Test
  void anEditWaitsForTheCheckThatRuns() {
    define("waits", "{above: 5, priority: high}");
    raise("waits");
    var before = watched("waits");
    before.lock.lock();
    try {
      define("waits", "{above: 5, priority: low}");
      assertThat(watched("waits")).as("one rule, one lock").isSameAs(before);
      assertThat(before.rule().limits().getFirst().priority()).isEqualTo(Priority.HIGH);
    } finally {
      before.lock.unlock();
    }
    RunningServer.await("the edit", CLOCK, () -> alert("waits").priority() == Priority.LOW);
    assertThat(changes("waits")).startsWith(Change.RAISED, Change.CLEARED, Change.RAISED);
  }

  @Test
  void limitsChangedWhileTheServerWasDownAreTakenOverToo() {
    define("down", "{above: 5, priority: high}, {above: 3, priority: low}");
    raise("down");
    // As version 0.1 wrote them: by position.
    sql("update watched_series set limits = 'ACTIVE@0,ACTIVE@0' where rule = 'down'");
    sql("update watched_rule set limits = null where rule = 'down'");
    server.stop();
    server.start();
    assertThat(alert("down").priority()).isEqualTo(Priority.HIGH);
    sql(
        "update watched_rule set limits = '[{\"direction\":\"ABOVE\",\"value\":1,"
            + "\"priority\":\"HIGH\",\"deadband\":0,\"onDelay\":0,\"offDelay\":0}]'"
            + " where rule = 'down'");
    server.stop();
    server.start();
    assertThat(changes("down")).startsWith(Change.EDITED);
  }

  /** The states of the earlier limits are still there, and the next try knows so. */
  @Test
  void anEditThatTheDatabaseCouldNotTakeIsDoneLater() {
    define("torn", "{above: 5, priority: high}, {above: 3, priority: low}");
    raise("torn");
    sql("alter table watched_rule rename to elsewhere");
    long faults = server.bean(Duties.class).faults();
    define("torn", "{above: 4, priority: low}");
    RunningServer.await(
        "several faults", CLOCK, () -> server.bean(Duties.class).faults() > faults + 2);
    sql("alter table elsewhere rename to watched_rule");
    RunningServer.await("the edit", CLOCK, () -> alert("torn").priority() == Priority.LOW);
    define("torn", "{above: 4, priority: medium}");
    publish("torn", 1);
    RunningServer.await("cleared", CLOCK, () -> alert("torn").state() == WatchState.NORMAL);
    assertThat(watched("torn").fault).isEmpty();
  }

  @Test
  void limitsOfAnEarlierVersionAreNamedOnceAndForAll() {
    define("upgraded", "{above: 5, priority: high}, {above: 300, priority: low}");
    raise("upgraded");
    sql("update watched_series set limits = 'ACTIVE@0,QUIET@0' where rule = 'upgraded'");
    sql("update watched_rule set limits = null where rule = 'upgraded'");
    server.stop();
    server.start();
    // Another order of the same limits changes no state, and writes none.
    define("upgraded", "{above: 300, priority: low}, {above: 5, priority: high}");
    server.stop();
    server.start();
    assertThat(alert("upgraded").priority()).isEqualTo(Priority.HIGH);
  }

  @Test
  void aRuleThatThisVersionCannotReadKeepsItsAlert() {
    define("unread", "{above: 5, priority: high}");
    raise("unread");
    long id = alert("unread").id();
    sql(
        "update definition set text = replace(text, 'unread.m', 'unread.m (') where name ="
            + " 'unread'");
    server.stop();
    server.start();
    assertThat(alert("unread")).as("not current").isNull();
    sql(
        "update definition set text = replace(text, 'unread.m (', 'unread.m') where name ="
            + " 'unread'");
    server.stop();
    server.start();
    assertThat(alert("unread").id()).isEqualTo(id);
  }

  @Test
  void whatTheDatabaseCouldNotTakeIsDoneByTheNextCheck() {
    define("rollback", "{above: 5, priority: high}");
    publish("rollback", 1);
    RunningServer.await(
        "normal",
        CLOCK,
        () -> alert("rollback") != null && alert("rollback").state() == WatchState.NORMAL);
    sql("alter table transition rename to elsewhere");
    publish("rollback", 9);
    RunningServer.await("a fault", CLOCK, () -> !watched("rollback").fault.isEmpty());
    assertThat(alert("rollback").state()).isEqualTo(WatchState.NORMAL);
    sql("alter table elsewhere rename to transition");
    RunningServer.await("raised", CLOCK, () -> alert("rollback").state() == WatchState.RAISED);
    assertThat(changes("rollback")).startsWith(Change.RAISED, Change.REGISTERED);
    assertThat(watched("rollback").fault).isEmpty();
  }

  @Test
  void aSeriesThatVanishedIsClosedAndForgotten() {
    define("gone", "{above: 5, priority: high}", "missing-after: 1m", "close-after: 10m");
    raise("gone");
    CLOCK.forward(Duration.ofMinutes(11));
    RunningServer.await("missing", CLOCK, () -> alert("gone").state() == WatchState.NO_DATA);
    CLOCK.forward(Duration.ofMinutes(11));
    RunningServer.await("closed", CLOCK, () -> alert("gone") == null);
    assertThat(changes("gone")).startsWith(Change.CLEARED, Change.NO_DATA);
    assertThat(watched("gone").series).isEmpty();
    server.stop();
    server.start();
    assertThat(alert("gone")).isNull();
    raise("gone");
  }

  @Test
  void aSeriesIsStoredOncePerRule() {
    define("once", "{above: 5, priority: high}");
    raise("once");
    assertThatThrownBy(
            () ->
                sql(
                    "insert into watched_series (rule, labels, labels_hash, state, since,"
                        + " raised_at, acknowledged, limits, reading, last_value_at, missing_since)"
                        + " select rule, labels, labels_hash, state, since, raised_at,"
                        + " acknowledged, limits, reading, last_value_at, missing_since"
                        + " from watched_series where rule = 'once'"))
        .hasStackTraceContaining("WATCHED_SERIES_ONCE");
  }

  /** Five days of a daily curve, and then a value that is usual at another time of day. */
  @Test
  void aLiveCheckLearnsItsBandFromTheDaysBefore() {
    long now = CLOCK.millis();
    var text = new StringBuilder("time,metric,value,host\n");
    // Just before each quarter of an hour, which is when a band looks.
    for (long t = now / 900_000 * 900_000 - 5 * 86_400_000L; t < now; t += 900_000) {
      double day = 2 * Math.PI * ((now - t) % 86_400_000) / 86_400_000;
      text.append(
          "%d,band.m,%s,a\n".formatted(t - 2_000, 50 + 20 * Math.cos(day) + t / 900_000 % 3));
    }
    assertThat(server.post("/api/v1/import", "text/csv", text.toString()).statusCode())
        .isEqualTo(200);
    define("band", "{outside-band: 4, priority: high}");
    publish("band", 71);
    RunningServer.await(
        "checked",
        CLOCK,
        () -> alert("band") != null && alert("band").state() == WatchState.NORMAL);
    CLOCK.forward(Duration.ofSeconds(20));
    publish("band", 31);
    RunningServer.await("raised", CLOCK, () -> alert("band").state() == WatchState.RAISED);
    var why =
        server.bean(AlertLog.class).history("band", Labels.of("host", "a"), 1).getFirst().why();
    assertThat(why).matches("31; limit: outside the expected band, 6\\d.* to [78]\\d.*");
    // Without these days nothing is expected, and the alert stays as it is.
    define(
        "band",
        "{outside-band: 4, priority: high}",
        "leave-out: ['2020-01-01T00:00Z/2090-01-01T00:00Z']");
    long checked = watched("band").checkedUntil;
    RunningServer.await("again", CLOCK, () -> watched("band").checkedUntil > checked + 5_000);
    assertThat(alert("band").state()).isEqualTo(WatchState.RAISED);
    assertThat(watched("band").bands.of(Labels.of("host", "a"), CLOCK.millis())).isNull();
  }

  @Test
  void alertsAreFoundReadAndActedOnByTheApi() {
    define("api", "{above: 5, priority: high}", "labels: {team: quay}");
    raise("api");
    long id = alert("api").id();
    assertThat(
            server
                .send(server.to("/api/v1/alerts?state=raised&where=team+%3D+%27quay%27").GET())
                .body())
        .contains("\"id\":" + id);
    assertThat(
            server
                .send(
                    server
                        .to("/api/v1/alerts?state=no-data,building&where=rule+%3D+%27api%27")
                        .GET())
                .body())
        .isEqualTo("[]");
    assertThat(server.send(server.to("/api/v1/alerts?where=team+%3D+%27ships%27").GET()).body())
        .doesNotContain("\"id\":" + id);
    assertThat(server.send(server.to("/api/v1/alerts?state=loud").GET()).statusCode())
        .isEqualTo(400);
    assertThat(server.send(server.to("/api/v1/alerts?where=team+%3D").GET()).statusCode())
        .isIn(400, 422);
    var act = "/api/v1/alerts/" + id;
    assertThat(server.post(act + "/note", "application/json", "{}").statusCode()).isEqualTo(400);
    var noted = server.post(act + "/note", "application/json", "{\"note\": \"looking\"}");
    assertThat(noted.body()).contains("\"text\":\"looking\"");
    server.post(act + "/assign", "application/json", "{\"to\": \"kim\"}");
    var answer = server.post(act + "/acknowledge", "application/json", "{\"note\": \"mine\"}");
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    assertThat(answer.body()).contains("Acknowledged", "mine", "\"assigned\":\"kim\"");
    assertThat(alert("api").state()).isEqualTo(WatchState.ACKNOWLEDGED);
    assertThat(server.post(act + "/acknowledge", "application/json", "").statusCode())
        .as("twice")
        .isEqualTo(409);
    for (var path : List.of("/acknowledge", "/note", "/assign")) {
      var none =
          server.post("/api/v1/alerts/999999" + path, "application/json", "{\"note\": \"x\"}");
      assertThat(none.statusCode()).as(path).isEqualTo(404);
    }
    assertThat(server.send(server.to("/api/v1/alerts/999999").GET()).statusCode()).isEqualTo(404);
    assertThat(server.send(server.to(act).GET()).body())
        .contains("\"transitions\":[{", "\"change\":\"raised\"");
  }

  /** Another server writes to the same tables: what it defines is checked here, and not undone. */
  @Test
  void whatAnotherServerDefinesReachesThisOne() {
    define("others", "{above: 5, priority: high}");
    raise("others");
    var definitions = server.bean(Definitions.class);
    var mine = definitions.find("rule", "others");
    writtenElsewhere("others", mine.version() + 1, mine.text().replace("5", "50"));
    RunningServer.await(
        "the other limit is in force",
        CLOCK,
        () -> alert("others") != null && alert("others").state() == WatchState.NORMAL);
    assertThat(definitions.find("rule", "others").version()).isEqualTo(mine.version() + 1);
    // At once, before the next look: whoever based his edit on what was here is told.
    writtenElsewhere("others", mine.version() + 2, mine.text().replace("5", "60"));
    assertThatThrownBy(
            () ->
                definitions.save(
                    mine.text(), mine.version() + 1, "kim", vintrel.server.define.Origin.PAGE))
        .isInstanceOf(vintrel.server.define.StaleVersionException.class);
    assertThat(definitions.find("rule", "others").text()).contains("60");
    // One that this server can't read leaves what was before in force, until a later one comes.
    writtenElsewhere("others", mine.version() + 3, "kind: rule\nname: others\nquery: (\n");
    definitions.save(
        mine.text().replace("others", "beside"), null, "kim", vintrel.server.define.Origin.PAGE);
    assertThat(definitions.find("rule", "others").text()).contains("60");
    writtenElsewhere("others", mine.version() + 4, mine.text().replace("5", "70"));
    RunningServer.await(
        "read again", () -> definitions.find("rule", "others").text().contains("70"));
    sql("delete from definition where kind = 'rule' and name = 'others'");
    RunningServer.await("removed", CLOCK, () -> server.bean(Watcher.class).rule("others") == null);
    RunningServer.await("closed", () -> changes("others").contains(Change.CLOSED));
    sql(
        "insert into definition (kind, name, text, version, changed_at, changed_by) values ('rule',"
            + " 'others', '%s', 9, 0, 'lee')".formatted(mine.text().replace("'", "''")));
    RunningServer.await("made", CLOCK, () -> server.bean(Watcher.class).rule("others") != null);
    assertThat(definitions.find("rule", "others").by()).isEqualTo("lee");
  }

  private static void writtenElsewhere(String rule, int version, String text) {
    sql(
        "update definition set text = '%s', version = %d, changed_by = 'lee' where kind = 'rule' and"
                .formatted(text.replace("'", "''"), version)
            + " name = '%s'".formatted(rule));
  }

  /** Whoever waits for it hears nothing once checks are late, or done elsewhere. */
  @Test
  void aHeartbeatIsSentWhileRulesAreCheckedInTime() {
    define("beats", "{above: 5, priority: high}");
    publish("beats", 1);
    var heart = server.bean(Heartbeat.class);
    RunningServer.await("in time", CLOCK, () -> alert("beats") != null && lag() < 20);
    int before = BEATS.size();
    heart.beat();
    assertThat(BEATS.size()).isGreaterThan(before);
    assertThat(BEATS.getLast()).contains("vintrel.heartbeat", "\"specversion\":\"1.0\"");
    var watched = watched("beats");
    watched.lock.lock();
    try {
      CLOCK.forward(Duration.ofMinutes(3));
      int silent = BEATS.size();
      heart.beat();
      assertThat(BEATS).hasSize(silent);
    } finally {
      watched.lock.unlock();
    }
    RunningServer.await("in time again", CLOCK, () -> lag() < 20);
    long sent = heart.sent();
    heart.beat();
    assertThat(heart.sent()).isGreaterThan(sent);
    answers = 500;
    long failed = heart.failed();
    heart.beat();
    answers = 200;
    assertThat(heart.failed()).isGreaterThan(failed);
  }

  private static double lag() {
    return WatchMetrics.lag(server.bean(Watcher.class).rules(), CLOCK.millis());
  }
}
