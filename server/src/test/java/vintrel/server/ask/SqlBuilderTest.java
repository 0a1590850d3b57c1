package vintrel.server.ask;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.sql.DriverManager;
import java.sql.SQLException;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class SqlBuilderTest {
  private static SqlBuilder.Parts parts(String table, String column, String is) {
    return new SqlBuilder.Parts(
        table, "made_at", "sum", "seats", "site", "hour", column, is, "by time");
  }

  @Test
  void partsBecomeAStatement() {
    assertThat(SqlBuilder.of("postgresql", parts("bookings", "site", "mid-isles")))
        .isEqualTo(
            """
            select date_trunc('hour', "made_at") as at, "site", sum("seats") as reading
            from "bookings"
            where "made_at" >= date_trunc('hour', cast(:from as timestamp)) and "made_at" < :to and "site" = 'mid-isles'
            group by date_trunc('hour', "made_at"), "site"
            order by 1\
            """);
    assertThat(SqlBuilder.of("mysql", parts("bookings", "", "")))
        .startsWith("select timestamp(date_format(`made_at`, '%Y-%m-%d %H:00:00')) as at");
    var count = new SqlBuilder.Parts("t", "", "count", "", "", "day", "", "", "largest first");
    assertThat(SqlBuilder.of("h2", count))
        .isEqualTo("select count(*) as reading\nfrom \"t\"\norder by reading desc");
  }

  /** The first bucket is whole, wherever in it the range begins. */
  @ParameterizedTest
  @ValueSource(strings = {"minute", "hour", "day"})
  void theFirstBucketIsWhole(String every) throws SQLException {
    try (var connection = DriverManager.getConnection("jdbc:h2:mem:", "sa", "");
        var s = connection.createStatement()) {
      s.execute("create table t (at timestamp, n int)");
      for (var at : new String[] {"01-31 23:59:59", "02-01 00:00:00", "02-01 18:29:59"}) {
        s.execute("insert into t values (timestamp '2026-" + at + "', 1)");
      }
      s.execute("insert into t values (timestamp '2026-02-01 18:30:00', 1)");
      s.execute("insert into t values (timestamp '2026-02-01 18:30:30', 1)");
      s.execute("insert into t values (timestamp '2026-02-01 18:31:00', 1)");
      var parts = new SqlBuilder.Parts("T", "AT", "count", "", "", every, "", "", "by time");
      var sql =
          SqlBuilder.of("h2", parts)
              .replace(":from", "timestamp '2026-02-01 18:30:10'")
              .replace(":to", "timestamp '2026-02-01 18:30:50'");
      try (var rows = s.executeQuery(sql)) {
        assertThat(rows.next()).isTrue();
        assertThat(rows.getInt(2))
            .isEqualTo(every.equals("minute") ? 2 : every.equals("hour") ? 3 : 4);
        assertThat(rows.next()).isFalse();
      }
    }
  }

  @Test
  void whatIsMissingIsNamed() {
    assertThatThrownBy(() -> SqlBuilder.of("h2", parts("", "", ""))).hasMessage("pick a table");
    var none = new SqlBuilder.Parts(null, null, null, null, null, null, null, null, null);
    assertThatThrownBy(() -> SqlBuilder.of("h2", none)).hasMessage("pick a table");
    var wrong = new SqlBuilder.Parts("t", "", "drop", "x", "", "hour", "", "", "");
    assertThatThrownBy(() -> SqlBuilder.of("h2", wrong)).hasMessageContaining("aggregate must be");
  }

  /** Whatever a table, a column or a value is called: the statement means them and nothing else. */
  @ParameterizedTest
  @ValueSource(
      strings = {"plain", "Odd Name", "a\"b", "x'; drop table safe; --", "select", "ü", "1st"})
  void namesAndValuesStayWhatTheyAre(String odd) throws SQLException {
    try (var connection = DriverManager.getConnection("jdbc:h2:mem:", "sa", "");
        var s = connection.createStatement()) {
      var quoted = "\"" + odd.replace("\"", "\"\"") + "\"";
      s.execute("create table safe (a int)");
      s.execute("create table " + quoted + " (" + quoted + " varchar, n int)");
      try (var insert =
          connection.prepareStatement("insert into " + quoted + " values (?, 7), ('other', 9)")) {
        insert.setString(1, odd);
        insert.execute();
      }
      var parts = new SqlBuilder.Parts(odd, "", "sum", "N", odd, "hour", odd, odd, "largest first");
      try (var rows = s.executeQuery(SqlBuilder.of("h2", parts))) {
        assertThat(rows.next()).isTrue();
        assertThat(rows.getString(1)).isEqualTo(odd);
        assertThat(rows.getInt(2)).isEqualTo(7);
        assertThat(rows.next()).isFalse();
      }
      assertThat(s.executeQuery("select count(*) from safe").next()).isTrue();
    }
  }
}
