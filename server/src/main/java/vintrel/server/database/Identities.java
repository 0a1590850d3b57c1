package vintrel.server.database;

import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;

/**
 * After a kill H2 may hand out numbers again that rows have already: the next of each table is
 * raised above its greatest.
 */
final class Identities {
  private record Column(String table, String name, long next) {}

  private Identities() {}

  static void raise(Connection connection) throws SQLException {
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
