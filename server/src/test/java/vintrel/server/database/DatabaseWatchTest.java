package vintrel.server.database;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;
import vintrel.server.web.Duties;
import vintrel.server.web.Restart;

/** A database file that has closed itself, as it does on a full disk. */
class DatabaseWatchTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private final AtomicBoolean again = new AtomicBoolean();

  @AfterEach
  void nothingElseIsStarted() {
    Restart.startedBy(null);
  }

  @Test
  void theServerSaysSoAndStartsAnew() {
    Restart.startedBy(() -> again.set(true));
    server.post(
        "/api/v1/samples", "application/x-www-form-urlencoded", "metric=closed.m&value=9&host=a");
    var duties = server.bean(Duties.class);
    try {
      server
          .bean(Database.class)
          .run(s -> s.doWork(c -> c.createStatement().execute("SHUTDOWN IMMEDIATELY")));
    } catch (RuntimeException e) {
      // It is gone under the session's feet.
      assertThat(Database.sqlState(e)).isNotNull();
    }
    var refused =
        server.post(
            "/api/v1/definitions", "application/yaml", "kind: dashboard\nname: d\ntitle: D\n");
    assertThat(refused.statusCode()).as(refused.body()).isEqualTo(503);
    assertThat(refused.body()).contains("nothing was changed");
    RunningServer.await("it is started again", again::get);
    assertThat(duties.troubles()).hasSize(1).first().asString().contains("database");
    assertThat(duties.behind()).contains("database");
    server.start();
    assertThat(server.send(server.to("/health/ready")).statusCode()).isEqualTo(200);
    assertThat(server.found("closed.m then max then max", "-1h", "now")).contains("9.0");
  }
}
