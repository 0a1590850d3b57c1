package vintrel.server.tell;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Clock;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import org.hibernate.StatelessSession;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Primary;
import vintrel.core.series.Labels;
import vintrel.server.RunningServer;
import vintrel.server.define.Definitions;
import vintrel.server.watch.AlertLog;
import vintrel.server.web.Duties;

/** Whatever is wrong with a message: the state changes, and the fault is counted. */
class NoMessageTest {
  private static final AtomicInteger TRIED = new AtomicInteger();

  static class Beans {
    @Bean
    @Primary
    Outbox broken(Definitions definitions, Clock clock) {
      return new Outbox(definitions, null, clock) {
        @Override
        public void add(StatelessSession session, Draft draft) {
          TRIED.incrementAndGet();
          var summary = draft.content().get("summary");
          if (draft.rule().equals("plain")
              && "The full message could not be stored.".equals(summary)) {
            super.add(session, draft);
            return;
          }
          var row = new DeliveryRow();
          row.recipient = "r".repeat(500);
          // The database refuses it, which spoils the transaction.
          session.insert(row);
        }
      };
    }
  }

  @RegisterExtension static final RunningServer server = new RunningServer().with(Beans.class);

  @Test
  void aChangeOfStateIsKeptWithoutItsMessage() {
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: rule\nname: mute\nquery: mute.m\nevery: 5s\nbehind: 0s\nlimits: [{above: 5}]\n");
    server.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=mute.m&value=9");
    var log = server.bean(AlertLog.class);
    RunningServer.await(
        "raised", () -> log.notNormal().stream().anyMatch(a -> a.rule().name().equals("mute")));
    assertThat(TRIED.get()).isPositive();
    assertThat(server.bean(Duties.class).faults()).isPositive();
    assertThat(log.history("mute", Labels.NONE, 10)).isNotEmpty();
    var id = log.of("mute").getFirst().id();
    server.stop();
    server.start();
    var again = server.bean(AlertLog.class);
    assertThat(again.of("mute")).as("once, also after a restart").hasSize(1);
    assertThat(again.of("mute").getFirst().id()).isEqualTo(id);
  }

  @Test
  void aPlainMessageGoesInPlaceOfOneThatIsRefused() {
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        """
        kind: recipient
        name: duty
        channels: [{webhook: 'http://127.0.0.1:9/'}]
        ---
        kind: routing
        name: main
        routes: [{name: all, to: [duty]}]
        ---
        kind: rule
        name: plain
        query: plain.m
        every: 5s
        behind: 0s
        limits: [{above: 5, priority: high}]
        """);
    server.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=plain.m&value=9");
    RunningServer.await(
        "a message",
        () -> server.send(server.to("/api/v1/deliveries")).body().contains("raised (high): plain"));
  }

  @Test
  void oneOfEachAddressGoesBeforeASecondOfAny() {
    var waiting =
        List.of(
            new Object[] {1L, "webhook", "a"},
            new Object[] {2L, "webhook", "a"},
            new Object[] {3L, "webhook", "a"},
            new Object[] {4L, "webhook", "a"},
            new Object[] {5L, "mail", "b"},
            new Object[] {6L, "webhook", "c"});
    assertThat(Fair.choose(waiting, java.util.Map.of(), 2, 100).keySet())
        .containsExactly(1L, 5L, 6L, 2L);
    assertThat(Fair.choose(waiting, java.util.Map.of(), 2, 3).keySet()).containsExactly(1L, 5L, 6L);
    var flying = java.util.Map.of(1L, "webhook a", 9L, "webhook a", 5L, "mail b");
    assertThat(Fair.choose(waiting, flying, 2, 100).keySet()).containsExactly(6L);
    assertThat(Fair.choose(waiting, flying, 2, 3)).isEmpty();
  }
}
