package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.condition.EnabledIf;
import org.junit.jupiter.api.extension.AfterAllCallback;
import org.junit.jupiter.api.extension.BeforeAllCallback;
import org.junit.jupiter.api.extension.ExtensionContext;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

/** The same promises with the database in PostgreSQL; left out if that is not installed. */
@EnabledIf("installed")
class PostgresTest extends StoreContract {
  private static LocalPostgres postgres;
  private static RunningServer running;

  @RegisterExtension static final Cluster cluster = new Cluster();

  static boolean installed() {
    return LocalPostgres.programs() != null;
  }

  private static final class Cluster implements BeforeAllCallback, AfterAllCallback {
    @Override
    public void beforeAll(ExtensionContext context) throws Exception {
      postgres = LocalPostgres.start();
      running =
          new RunningServer(
              "--vintrel.database.url=" + postgres.url(), "--vintrel.database.username=vintrel");
      running.beforeAll(context);
    }

    @Override
    public void afterAll(ExtensionContext context) throws Exception {
      running.afterAll(context);
      postgres.close();
    }
  }

  @Override
  RunningServer server() {
    return running;
  }

  @Test
  void definitionsAlertsAndTokensLieThereToo() {
    var yaml =
        """
        kind: rule
        name: pg
        title: Busy
        query: pg.cpu
        every: 5s
        behind: 0s
        limits: [{above: 90, priority: high}]
        """;
    assertThat(running.post("/api/v1/definitions", "application/yaml", yaml).statusCode())
        .isEqualTo(200);
    running.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=pg.cpu&value=99");
    RunningServer.await(
        "an alert",
        () -> running.send(running.to("/api/v1/alerts")).body().contains("\"rule\":\"pg\""));
    var token = running.post("/api/v1/tokens?name=pg", "application/json", "").body();
    assertThat(token).contains("vt_");
    assertThat(running.post("/api/v1/backup", "application/json", "").body())
        .contains("PostgreSQL's tools");
  }
}
