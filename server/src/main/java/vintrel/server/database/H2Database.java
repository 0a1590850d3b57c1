package vintrel.server.database;

import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import org.h2.engine.SessionLocal;
import org.h2.jdbc.JdbcConnection;
import org.h2.mvstore.MVStore;

/** H2 in a file of the data directory: a commit must be forced, and the file tidied, by us. */
final class H2Database implements DatabaseKind {
  private static final int FILLED = 90;
  private static final int AT_ONCE = 4_000_000;

  private volatile MVStore opened;

  private record Column(String table, String name, long next) {}

  @Override
  public String dialect() {
    return "org.hibernate.dialect.H2Dialect";
  }

  @Override
  public String bytes() {
    return "varbinary(1000000)";
  }

  @Override
  public String idTable() {
    return "table(id int = ?) t";
  }

  @Override
  public boolean isFile() {
    return true;
  }

  @Override
  public void force(Connection connection) throws SQLException {
    try (var statement = connection.createStatement()) {
      statement.execute("CHECKPOINT SYNC");
    }
  }

  /** H2 offers this for an open database only inside; WRITE_DELAY=0 ends its own thread. */
  private static MVStore file(Connection connection) throws SQLException {
    var inside = (SessionLocal) connection.unwrap(JdbcConnection.class).getSession();
    return inside.getDatabase().getStore().getMvStore();
  }

  @Override
  public void tidy(Connection connection, int millis) throws SQLException {
    var file = file(connection);
    long end = System.nanoTime() + millis * 1_000_000L;
    boolean more = true;
    while (more && System.nanoTime() < end) {
      more = file.compact(FILLED, AT_ONCE);
    }
  }

  @Override
  public void backup(Connection connection, Path zip) throws SQLException {
    try (var statement = connection.prepareStatement("BACKUP TO ?")) {
      statement.setString(1, zip.toString());
      statement.execute();
    }
  }

  @Override
  public boolean reopened(Connection connection) throws SQLException {
    return file(connection) != opened;
  }

  @Override
  public List<String> schema(Connection connection) throws SQLException {
    var out = new ArrayList<String>();
    try (var statement = connection.createStatement();
        var rows = statement.executeQuery("SCRIPT NODATA NOPASSWORDS NOSETTINGS")) {
      while (rows.next()) {
        var sql = rows.getString(1);
        // Users are written with their passwords, which a file holds as hashes.
        if (!sql.startsWith("--") && !sql.startsWith("CREATE USER")) {
          out.add(sql);
        }
      }
    }
    return out;
  }

  /**
   * After a kill H2 may hand out numbers that rows have already: the next number of each table is
   * raised above its maximum.
   */
  @Override
  public void opened(Connection connection) throws SQLException {
    opened = file(connection);
    var columns = new ArrayList<Column>();
    try (var statement = connection.createStatement();
        var rows =
            statement.executeQuery(
                "select c.table_name, c.column_name, c.identity_base from"
                    + " information_schema.columns c where c.is_identity = 'YES' and c.table_schema"
                    + " = 'PUBLIC'")) {
      while (rows.next()) {
        columns.add(new Column(rows.getString(1), rows.getString(2), rows.getLong(3)));
      }
    }
    for (var c : columns) {
      long greatest = greatest(connection, c);
      if (greatest >= c.next()) {
        try (var alter = connection.createStatement()) {
          alter.execute(
              "alter table \"%s\" alter column \"%s\" restart with %d"
                  .formatted(c.table(), c.name(), greatest + 1));
        }
      }
    }
  }

  private static long greatest(Connection connection, Column c) throws SQLException {
    try (var statement = connection.createStatement();
        var rows =
            statement.executeQuery(
                "select max(\"%s\") from \"%s\"".formatted(c.name(), c.table()))) {
      rows.next();
      return rows.getLong(1);
    }
  }
}
