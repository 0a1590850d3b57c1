package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Clock;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import vintrel.core.series.Labels;
import vintrel.core.watch.Transition.Change;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;

/** Rules that need more than a check may have. */
class RuleCostTest {
  private static final SettableClock CLOCK = new SettableClock();

  static class Beans {
    @Bean
    @Primary
    Clock settable() {
      return CLOCK;
    }
  }

  @RegisterExtension
  static final RunningServer server =
      new RunningServer("--vintrel.query.max-series=3").with(Beans.class);

  private static String rule(String name, String query) {
    var yaml =
        "kind: rule\nname: %s\nquery: %s\nevery: 5s\nbehind: 0s\nlimits: [{above: 5}]\n"
            .formatted(name, query);
    var answer = server.post("/api/v1/definitions", "application/yaml", yaml);
    return answer.statusCode() + " " + answer.body();
  }

  private static void publish(String metric, int hosts) {
    for (int i = 0; i < hosts; i++) {
      server.post(
          "/api/v1/samples",
          "application/x-www-form-urlencoded",
          "metric=%s&value=9&host=h%d".formatted(metric, i));
    }
  }

  private static WatchedRule watched(String rule) {
    return server.bean(Watcher.class).rules().stream()
        .filter(w -> w.name.equals(rule))
        .findFirst()
        .orElseThrow();
  }

  @Test
  void aRuleThatIsTooExpensiveIsNotSaved() {
    publish("dear.m", 5);
    assertThat(rule("dear", "dear.m")).startsWith("4").contains("series");
    publish("cheap.m", 1);
    assertThat(rule("cheap", "cheap.m")).startsWith("200");
    // What does not exist yet may come to be.
    assertThat(rule("later", "later.m")).startsWith("200");
    var other = server.send(server.to("/api/v1/definitions/rule/dear"));
    assertThat(other.statusCode()).isEqualTo(404);
  }

  @Test
  void oneThatTurnsTooExpensiveIsPausedAndSaysSoOnce() {
    publish("grows.m", 2);
    assertThat(rule("grows", "grows.m")).startsWith("200");
    RunningServer.await("checked", CLOCK, () -> watched("grows").registeredAt > 0);
    publish("grows.m", 6);
    RunningServer.await("paused", CLOCK, () -> !watched("grows").pause.isEmpty());
    assertThat(watched("grows").pause).contains("series");
    var log = server.bean(AlertLog.class);
    RunningServer.await("told", () -> !log.history("grows", Labels.NONE, 10).isEmpty());
    assertThat(log.history("grows", Labels.NONE, 10))
        .extracting(AlertLog.Past::change)
        .containsExactly(Change.PAUSED);
    long until = watched("grows").checkedUntil;
    // Its series keep what is known of them, and an edit starts it again.
    assertThat(watched("grows").series).hasSize(2);
    assertThat(rule("grows", "grows.m where host = 'h1'")).startsWith("200");
    RunningServer.await(
        "checked again",
        CLOCK,
        () -> watched("grows").checkedUntil > until && watched("grows").pause.isEmpty());
    assertThat(log.history("grows", Labels.NONE, 10)).hasSize(1);
  }
}
