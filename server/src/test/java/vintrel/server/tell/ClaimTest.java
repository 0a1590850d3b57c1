package vintrel.server.tell;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;
import vintrel.server.database.SharedLeases;
import vintrel.server.web.Duties;

/** Two servers on one database send each delivery once, and one goes on for the other. */
class ClaimTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  /** Who sent each delivery, by its key. */
  private final Map<String, List<String>> sent = new ConcurrentHashMap<>();

  /** A server's part of sending. */
  private record Sending(Dispatcher dispatcher, SharedLeases leases) {
    void end() {
      dispatcher.stop();
      leases.end();
    }
  }

  private Sending start(String owner) {
    var database = server.bean(Database.class);
    var clock = Clock.systemUTC();
    var leases = SharedLeases.of(database, clock, owner);
    var senders = mock(Senders.class);
    when(senders.send(any()))
        .thenAnswer(
            call -> {
              DeliveryRow d = call.getArgument(0);
              sent.merge(
                  d.idempotencyKey,
                  List.of(owner),
                  (a, b) -> java.util.stream.Stream.of(a, b).flatMap(List::stream).toList());
              return new Senders.Outcome(true, false, "accepted");
            });
    var duties = new Duties();
    var loops = SharedLeases.loops(duties, leases);
    var dispatcher = new Dispatcher(database, senders, duties, loops, clock);
    dispatcher.start();
    return new Sending(dispatcher, leases);
  }

  private void queue(int n) {
    server
        .bean(Database.class)
        .run(
            s -> {
              for (int i = 0; i < n; i++) {
                var row = new DeliveryRow();
                row.idempotencyKey = UUID.randomUUID().toString();
                row.rule = "busy";
                row.series = "host h" + i;
                row.change = "raised";
                row.recipient = "duty";
                row.channel = "webhook";
                row.address = "http://quay-" + i % 5 + ".example/";
                row.subject = "raised";
                row.body = "";
                row.answer = "";
                row.state = DeliveryRow.QUEUED;
                s.insert(row);
              }
            });
  }

  private long queued() {
    return server
        .bean(Database.class)
        .with(
            s ->
                s.createSelectionQuery(
                        "select count(*) from Delivery where state = 'QUEUED'", Long.class)
                    .getSingleResult());
  }

  @Test
  void eachDeliveryIsSentByOneAndTheOtherTakesOver() {
    // The server's own, which owns the file and needs no lease, is out of the way.
    server.bean(Dispatcher.class).stop();
    var a = start("a");
    RunningServer.await("a holds the lease", () -> a.leases().hold("deliveries"));
    var b = start("b");
    queue(60);
    RunningServer.await("all are sent", () -> queued() == 0);
    assertThat(sent).hasSize(60);
    assertThat(sent.values()).containsOnly(List.of("a"));
    a.end();
    queue(20);
    RunningServer.await("the rest is sent", () -> queued() == 0);
    assertThat(sent).hasSize(80);
    assertThat(sent.values()).containsOnly(List.of("a"), List.of("b"));
    b.end();
  }
}
