package vintrel.server.database;

import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.List;

/**
 * What differs between the databases that Vintrel runs on; nothing else asks which one it is. Any
 * thread.
 */
public sealed interface DatabaseKind permits H2Database, PostgreSqlDatabase {
  static DatabaseKind of(String url) {
    return url.startsWith("jdbc:postgresql:") ? new PostgreSqlDatabase() : new H2Database();
  }

  /** The class name of Hibernate's dialect. */
  String dialect();

  /** The column type for bytes. */
  String bytes();

  /** A table t with the ids of an array parameter, to join with. */
  String idTable();

  /** Whether the data is a file in the data directory. */
  boolean isFile();

  /** Called once when the server has opened the database. */
  void opened(Connection connection) throws SQLException;

  /** Whether the file was closed and opened again since, so that commits may have been lost. */
  default boolean reopened(Connection connection) throws SQLException {
    return false;
  }

  /** Forces everything that was committed to the disk. */
  void force(Connection connection) throws SQLException;

  /** The statements that would make this database's objects; none if the data is not a file. */
  default List<String> schema(Connection connection) throws SQLException {
    return List.of();
  }

  /** Rewrites thinly filled parts of the file, so that their space can be used again. */
  void tidy(Connection connection, int millis) throws SQLException;

  /**
   * Writes a consistent copy of the database file to a ZIP while the server keeps running.
   *
   * @throws UnsupportedOperationException if the data is not a file
   */
  void backup(Connection connection, Path zip) throws SQLException;
}
