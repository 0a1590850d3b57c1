package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.condition.EnabledIf;
import org.junit.jupiter.api.io.TempDir;
import org.mockito.Mockito;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.store.SampleStore;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.database.Database;
import vintrel.server.database.SampleOwner;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.store.LocalPostgres;

/** Two whole servers on one database. */
@EnabledIf("installed")
class TwoServersTest {
  private static final SettableClock CLOCK = new SettableClock();

  static class Beans {
    @Bean
    @Primary
    Clock settable() {
      return CLOCK;
    }
  }

  /** As once every server has samples of its own. */
  static class BothTake extends Beans {
    @Bean
    @Primary
    SampleOwner both() {
      var out = Mockito.mock(SampleOwner.class);
      Mockito.when(out.takes()).thenReturn(true);
      return out;
    }
  }

  private LocalPostgres postgres;
  private RunningServer a;
  private RunningServer b;
  @TempDir private Path folder;

  static boolean installed() {
    return LocalPostgres.programs() != null;
  }

  @BeforeEach
  void start() throws Exception {
    postgres = LocalPostgres.start();
  }

  private RunningServer started(String name, Class<?> beans) throws Exception {
    var data = folder.resolve(name);
    Files.createDirectories(data);
    var out =
        new RunningServer(
                "--vintrel.database.url=" + postgres.url(), "--vintrel.database.username=vintrel")
            .with(beans);
    out.startIn(data);
    return out;
  }

  @AfterEach
  void stop() throws Exception {
    for (var server : List.of(a, b)) {
      if (server.context().isActive()) {
        server.stop();
      }
    }
    postgres.close();
  }

  private static long shares(RunningServer server) {
    var shares = server.bean(RuleShares.class);
    return IntStream.range(0, RuleShares.COUNT).filter(shares::holds).count();
  }

  private static void define(RunningServer at, String name, double limit) {
    var yaml =
        """
        kind: rule
        name: %s
        query: two.m where rule = '%s'
        every: 5s
        behind: 0s
        limits: [{above: %s, priority: high}]
        """
            .formatted(name, name, limit);
    var answer = at.post("/api/v1/definitions", "application/yaml", yaml);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
  }

  private static HttpResponse<String> publish(RunningServer to, String rule, double value) {
    return to.post(
        "/api/v1/samples",
        "application/x-www-form-urlencoded",
        "metric=two.m&rule=" + rule + "&value=" + value);
  }

  private static WatchState state(RunningServer at, String rule) {
    var all = at.bean(AlertLog.class).of(rule);
    return all.isEmpty() ? null : all.getFirst().state();
  }

  /** Sends a value to those that check, again and again until all know what comes of it. */
  private void become(WatchState wanted, double value, String rule, RunningServer... checking) {
    RunningServer.await(
        rule + " is " + wanted,
        CLOCK,
        () -> {
          for (var server : checking) {
            publish(server, rule, value);
          }
          return state(a, rule) == wanted && state(b, rule) == wanted;
        });
    // A value of the same five seconds is averaged with the next.
    CLOCK.forward(Duration.ofSeconds(5));
  }

  private static List<Change> changes(RunningServer at, String rule) {
    return at.bean(AlertLog.class).history(rule, Labels.of("rule", rule), 100).stream()
        .map(AlertLog.Past::change)
        .filter(c -> c != Change.REGISTERED)
        .toList()
        .reversed();
  }

  /** Counts messages once all that happened is routed. */
  private static long deliveries(RunningServer at, String rule, Change change) {
    RunningServer.await(
        "all is routed",
        () ->
            at.bean(Database.class)
                    .with(
                        s ->
                            s.createSelectionQuery(
                                    "select count(*) from Notice where state = 'NEW'", Long.class)
                                .getSingleResult())
                == 0);
    return at.bean(Database.class)
        .with(
            s ->
                s.createSelectionQuery(
                        "select count(*) from Delivery where rule = :rule and change = :change",
                        Long.class)
                    .setParameter("rule", rule)
                    .setParameter("change", change.text())
                    .getSingleResult());
  }

  private void recipient() {
    var answer =
        a.post(
            "/api/v1/definitions",
            "application/yaml",
            """
            kind: recipient
            name: quay
            title: Quay
            channels: [{mail: quay@marrowsound.example}]
            ---
            kind: routing
            name: main
            routes: [{name: All, to: [quay]}]
            """);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
  }

  private static void awaitRule(RunningServer at, String rule) {
    RunningServer.await("the rule is known", () -> at.bean(Watcher.class).rule(rule) != null);
  }

  /** One takes samples and checks; on the other, people read and work. */
  @Test
  void oneTakesSamplesAndChecksAndPeopleWorkOnBoth() throws Exception {
    a = started("a", Beans.class);
    recipient();
    define(a, "one", 5);
    b = started("b", Beans.class);
    assertThat(shares(b)).isZero();
    var refused = publish(b, "one", 9);
    assertThat(refused.statusCode()).isEqualTo(503);
    assertThat(refused.body()).contains("takes no samples");
    become(WatchState.RAISED, 9, "one", a);
    var id = b.bean(AlertLog.class).of("one").getFirst().id();
    b.post("/api/v1/alerts/" + id + "/acknowledge", "application/json", "");
    RunningServer.await("known to both", () -> state(a, "one") == WatchState.ACKNOWLEDGED);
    define(b, "one", 50);
    become(WatchState.NORMAL, 9, "one", a);
    define(b, "two", 5);
    awaitRule(a, "two");
    become(WatchState.RAISED, 9, "two", a);

    // What the other one does at its end and at a new start leaves the samples as they are.
    long before = samples(a);
    b.stop();
    // The clock ran fast: the first is not to seem silent.
    awaitMark(a);
    b.start();
    publish(a, "two", 8);
    a.stop();
    a.start();
    assertThat(samples(a)).isEqualTo(before + 1);
    assertThat(changes(a, "one"))
        .containsExactlyInAnyOrder(Change.RAISED, Change.ACKNOWLEDGED, Change.CLEARED);
    assertThat(deliveries(a, "one", Change.RAISED)).isEqualTo(1);
    assertThat(deliveries(a, "one", Change.CLEARED)).isEqualTo(1);

    // Once the first has ended, the second takes its place at its next start.
    a.stop();
    b.stop();
    b.start();
    assertThat(samples(b)).isEqualTo(before + 1);
    awaitCleared(b, "two");
    a.start();
    assertThat(publish(a, "two", 9).statusCode()).isEqualTo(503);
  }

  private static void awaitMark(RunningServer at) {
    RunningServer.await(
        "it says that it is there",
        () ->
            at.bean(Database.class)
                    .with(
                        s ->
                            s.createSelectionQuery(
                                    "select until from Lease where name = 'samples'", Long.class)
                                .getSingleResult())
                > CLOCK.millis() + 25_000);
  }

  private static void awaitCleared(RunningServer at, String rule) {
    RunningServer.await(
        "cleared",
        CLOCK,
        () -> {
          publish(at, rule, 1);
          return state(at, rule) == WatchState.NORMAL;
        });
  }

  private static long samples(RunningServer at) {
    var store = at.bean(SampleStore.class);
    return store.read(store.select("", "two.m", Condition.ALL), 0, Long.MAX_VALUE).stream()
        .mapToLong(Samples::count)
        .sum();
  }

  /** As once each server has samples of its own: here, both are sent all. */
  @Test
  void rulesAreSharedByServersThatTakeSamples() throws Exception {
    a = started("a", BothTake.class);
    var ofA = named("first", 0, 5);
    var ofB = named("second", 6, 11);
    // Before the other reads the series: each would give new ones ids of its own.
    publish(a, ofA, 1);
    publish(a, ofB, 1);
    recipient();
    b = started("b", BothTake.class);
    RunningServer.await("equal shares", CLOCK, () -> shares(a) == 6 && shares(b) == 6);
    define(a, ofA, 5);
    define(a, ofB, 5);
    awaitRule(b, ofA);
    awaitRule(b, ofB);
    become(WatchState.RAISED, 9, ofA, a, b);
    become(WatchState.RAISED, 9, ofB, a, b);

    // Acknowledged where it is not checked.
    var id = a.bean(AlertLog.class).of(ofB).getFirst().id();
    a.post("/api/v1/alerts/" + id + "/acknowledge", "application/json", "");
    RunningServer.await(
        "the one that checks knows", () -> state(b, ofB) == WatchState.ACKNOWLEDGED);
    become(WatchState.NORMAL, 1, ofB, a, b);
    assertThat(changes(a, ofB))
        .containsExactlyInAnyOrder(Change.RAISED, Change.ACKNOWLEDGED, Change.CLEARED);

    // Edited where it is not checked: the value is within the new limit.
    define(b, ofA, 50);
    become(WatchState.NORMAL, 9, ofA, a, b);
    assertThat(changes(b, ofA)).containsExactly(Change.RAISED, Change.CLEARED);

    // Nobody is told twice.
    for (var rule : List.of(ofA, ofB)) {
      for (var change : List.of(Change.RAISED, Change.CLEARED, Change.REGISTERED)) {
        assertThat(deliveries(a, rule, change)).as(rule + " " + change).isEqualTo(1);
      }
    }

    // One that is removed where it is not checked is closed once, and may come again.
    become(WatchState.RAISED, 9, ofB, a, b);
    a.bean(Definitions.class).remove("rule", ofB, 1, "kim", Origin.PAGE);
    int known = changes(a, ofB).size();
    RunningServer.await("closed", CLOCK, () -> changes(a, ofB).size() > known);
    define(b, ofB, 5);
    awaitRule(a, ofB);
    become(WatchState.RAISED, 9, ofB, a, b);
    long checked = b.bean(Watcher.class).rule(ofB).checkedUntil;
    RunningServer.await(
        "checked on",
        CLOCK,
        () -> {
          publish(b, ofB, 9);
          return b.bean(Watcher.class).rule(ofB).checkedUntil > checked + 15_000;
        });
    assertThat(state(a, ofB)).isEqualTo(WatchState.RAISED);
    assertThat(changes(a, ofB))
        .containsExactlyInAnyOrder(
            Change.RAISED,
            Change.ACKNOWLEDGED,
            Change.CLEARED,
            Change.RAISED,
            Change.CLEARED,
            Change.RAISED);

    // When one ends, the other checks everything, from the states that were stored.
    b.stop();
    RunningServer.await("all shares", CLOCK, () -> shares(a) == RuleShares.COUNT);
    awaitCleared(a, ofB);
  }

  private static String named(String word, int fromShare, int toShare) {
    return IntStream.range(0, 1_000)
        .mapToObj(i -> word + "-" + i)
        .filter(n -> RuleShares.of(n) >= fromShare && RuleShares.of(n) <= toShare)
        .findFirst()
        .orElseThrow();
  }
}
