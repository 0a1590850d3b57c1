package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.Map;
import org.flywaydb.core.Flyway;
import org.flywaydb.core.api.configuration.FluentConfiguration;
import org.junit.jupiter.api.Test;

class UniqueWatchedSeriesTest {
  private static final String URL = "jdbc:h2:mem:migration;DB_CLOSE_DELAY=-1";

  private static FluentConfiguration flyway() {
    return Flyway.configure().dataSource(URL, "sa", "").placeholders(Map.of("bytes", "varbinary"));
  }

  @Test
  void theLatestOfTwoRowsOfASeriesIsKept() throws SQLException {
    flyway().target("5").load().migrate();
    try (var connection = DriverManager.getConnection(URL, "sa", "");
        var s = connection.createStatement()) {
      for (var row : new String[] {"'r', 'a', 1", "'r', 'a', 2", "'r', 'b', 3", "'q', 'a', 4"}) {
        s.execute(
            "insert into watched_series (rule, labels, since, state, raised_at, acknowledged,"
                + " limits, limit_index, reading, last_value_at, missing_since) values ("
                + row
                + ", 'RAISED', 1, false, 'ACTIVE@0', 0, 9, 1, 0)");
      }
      flyway().javaMigrations(new UniqueWatchedSeries()).load().migrate();
      var left = s.executeQuery("select since, labels_hash from watched_series order by since");
      for (int since = 2; since <= 4; since++) {
        assertThat(left.next()).isTrue();
        assertThat(left.getInt(1)).isEqualTo(since);
        assertThat(left.getString(2)).hasSize(64);
      }
      assertThat(left.next()).isFalse();
    }
  }
}
