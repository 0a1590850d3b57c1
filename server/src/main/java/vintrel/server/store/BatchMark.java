package vintrel.server.store;

import java.sql.Connection;
import java.sql.SQLException;

/**
 * The number of a request whose sender sends its requests one after the other, and again until one
 * is answered: kept in the transaction of its records, so that they are stored once, whatever stops
 * between. Only the last number of a sender is kept, since no earlier one can come again.
 *
 * @param sender who numbers, at most {@value #MAX_SENDER} characters
 * @param number at most {@value #MAX_NUMBER} characters
 * @param at ms
 */
public record BatchMark(String sender, String number, long at) {
  public static final int MAX_SENDER = 300;
  public static final int MAX_NUMBER = 100;

  /** A sender that is silent for so long is forgotten, ms. */
  private static final long FORGOTTEN = 90L * 86_400_000;

  /**
   * Keeps this number in the transaction of a connection.
   *
   * @return false if it was kept before: the request came again
   */
  boolean keep(Connection connection) throws SQLException {
    try (var find =
        connection.prepareStatement("select last from batch_mark where sender = ? for update")) {
      find.setString(1, sender);
      var found = find.executeQuery();
      if (!found.next()) {
        add(connection);
        return true;
      }
      if (found.getString(1).equals(number)) {
        return false;
      }
    }
    try (var update =
        connection.prepareStatement("update batch_mark set last = ?, at = ? where sender = ?")) {
      update.setString(1, number);
      update.setLong(2, at);
      update.setString(3, sender);
      update.executeUpdate();
    }
    return true;
  }

  private void add(Connection connection) throws SQLException {
    try (var old = connection.prepareStatement("delete from batch_mark where at < ?")) {
      old.setLong(1, at - FORGOTTEN);
      old.executeUpdate();
    }
    try (var insert =
        connection.prepareStatement("insert into batch_mark (sender, last, at) values (?, ?, ?)")) {
      insert.setString(1, sender);
      insert.setString(2, number);
      insert.setLong(3, at);
      insert.executeUpdate();
    }
  }
}
