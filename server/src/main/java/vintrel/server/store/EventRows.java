package vintrel.server.store;

import com.github.benmanes.caffeine.cache.Cache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.hibernate.StatelessSession;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.server.database.Database;

/** Log records that are not packed yet, a row each. Any thread. */
final class EventRows {
  private static final int FETCHED = 1000;
  private static final int DELETED = 500;
  private static final int KNOWN = 20_000;
  private static final String SELECT =
      "select id, store, at, level, text, labels, fields from event where ";

  private final Database database;

  /** The same few label sets come with every record. */
  private final Cache<String, Labels> known = Caffeine.newBuilder().maximumSize(KNOWN).build();

  EventRows(Database database) {
    this.database = database;
  }

  /**
   * Inserts records; durable when this returns.
   *
   * @param mark of the request they came with, or null
   * @return false if that request was taken before: nothing is inserted
   */
  boolean insert(String store, List<Event> events, BatchMark mark) {
    boolean isNew =
        database.with(
            s ->
                s.doReturningWork(
                    connection -> {
                      boolean first = mark == null || mark.keep(connection);
                      if (first) {
                        insert(connection, store, events);
                      }
                      return first;
                    }));
    database.force();
    return isNew;
  }

  private static void insert(Connection connection, String store, List<Event> events)
      throws SQLException {
    try (var insert =
        connection.prepareStatement(
            "insert into event (store, at, level, text, labels, fields) values (?, ?, ?, ?, ?,"
                + " ?)")) {
      for (var e : events) {
        insert.setString(1, store);
        insert.setLong(2, e.time());
        insert.setString(3, e.level());
        insert.setString(4, e.text());
        insert.setString(5, LabelText.write(e.labels()));
        insert.setString(6, e.fields());
        insert.addBatch();
      }
      insert.executeBatch();
    }
  }

  /**
   * Those of [from, to).
   *
   * @param store empty: all
   */
  List<Event> within(String store, long from, long to) {
    return select(
        "at >= ? and at < ?" + (store.isEmpty() ? "" : " and store = ?"),
        statement -> {
          statement.setLong(1, from);
          statement.setLong(2, to);
          if (!store.isEmpty()) {
            statement.setString(3, store);
          }
        });
  }

  /** The first that came, by the order of their coming. */
  List<Event> oldest(String store, int max) {
    return select(
        "store = ? order by id fetch first " + max + " rows only",
        statement -> statement.setString(1, store));
  }

  private interface Binding {
    void to(PreparedStatement statement) throws SQLException;
  }

  private List<Event> select(String tail, Binding binding) {
    var out = new ArrayList<Event>();
    database.run(
        s ->
            s.doWork(
                connection -> {
                  try (var select = connection.prepareStatement(SELECT + tail)) {
                    select.setFetchSize(FETCHED);
                    binding.to(select);
                    try (var rows = select.executeQuery()) {
                      while (rows.next()) {
                        out.add(event(rows));
                      }
                    }
                  }
                }));
    return out;
  }

  private Event event(ResultSet row) throws SQLException {
    return new Event(
        row.getLong(1),
        row.getString(2),
        row.getLong(3),
        row.getString(4),
        row.getString(5),
        known.get(row.getString(6), LabelText::read),
        row.getString(7));
  }

  /** How many each store has. */
  Map<String, Long> counts() {
    var out = new HashMap<String, Long>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "select store, count(*) from Event group by store", Object[].class)
                    .getResultList())
        .forEach(r -> out.put((String) r[0], (Long) r[1]));
    return out;
  }

  /** Takes records out, within a transaction. */
  static void delete(StatelessSession session, List<Long> ids) {
    for (int at = 0; at < ids.size(); at += DELETED) {
      session
          .createMutationQuery("delete from Event where id in :ids")
          .setParameterList("ids", ids.subList(at, Math.min(at + DELETED, ids.size())))
          .executeUpdate();
    }
  }

  /** Drops what is older than a time; returns how many. */
  int drop(long limit) {
    return database.with(
        s ->
            s.createMutationQuery("delete from Event where at < :limit")
                .setParameter("limit", limit)
                .executeUpdate());
  }
}
