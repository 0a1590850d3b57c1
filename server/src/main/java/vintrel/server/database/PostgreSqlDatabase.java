package vintrel.server.database;

import java.nio.file.Path;
import java.sql.Connection;

/** PostgreSQL, or a database with its protocol: it forces each commit and tidies up by itself. */
final class PostgreSqlDatabase implements DatabaseKind {
  @Override
  public String dialect() {
    return "org.hibernate.dialect.PostgreSQLDialect";
  }

  @Override
  public String bytes() {
    return "bytea";
  }

  @Override
  public String idTable() {
    return "unnest(?) t(id)";
  }

  @Override
  public boolean isFile() {
    return false;
  }

  @Override
  public void opened(Connection connection) {}

  @Override
  public void force(Connection connection) {}

  @Override
  public void tidy(Connection connection, int millis) {}

  @Override
  public void backup(Connection connection, Path zip) {
    throw new UnsupportedOperationException("back up PostgreSQL with its own tools");
  }
}
