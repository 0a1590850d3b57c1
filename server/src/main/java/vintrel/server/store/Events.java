package vintrel.server.store;

import java.sql.SQLException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import org.springframework.stereotype.Service;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.frame.JsonPath;
import vintrel.core.query.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.series.Labels;
import vintrel.server.keep.Database;
import vintrel.server.web.Settings;

/** Log records: kept in rows by time, found by reading a range and testing each. Any thread. */
@Service
public class Events {
  private static final int FETCHED = 1000;
  private static final JsonMapper JSON = JsonMapper.shared();

  private final Database database;
  private final NamedStores stores;
  private final long retention;

  /** The same few label sets come with every record. */
  private final Map<String, Labels> known = new ConcurrentHashMap<>();

  Events(Database database, NamedStores stores, Settings settings) {
    this.database = database;
    this.stores = stores;
    this.retention = settings.events().retention().toMillis();
  }

  /** Keeps records; they are durable when this returns. */
  public void keep(String store, List<Event> events, String who) {
    stores.ensure(store, who);
    database.run(
        s ->
            s.doWork(
                connection -> {
                  try (var insert =
                      connection.prepareStatement(
                          "insert into event (store, at, level, text, labels, fields) values (?, ?,"
                              + " ?, ?, ?, ?)")) {
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
                }));
    database.force();
  }

  /**
   * Records of [from, to) that fulfil a condition, by rising time, to one taker.
   *
   * @param store empty: all
   * @param most that may be read, whether they fulfil it or not
   * @throws QueryException with code {@code limit.samples} where more are in the range
   */
  public void read(
      String store, Condition where, long from, long to, long most, Consumer<Event> taker) {
    walk(store, where, from, to, most, false, taker);
  }

  /** The newest records of [from, to) that fulfil a condition, newest first. */
  public List<Event> newest(
      String store, Condition where, long from, long to, int wanted, long most) {
    var out = new ArrayList<Event>();
    walk(
        store,
        where,
        from,
        to,
        most,
        true,
        e -> {
          out.add(e);
          if (out.size() == wanted) {
            throw new Enough();
          }
        });
    return out;
  }

  private static final class Enough extends RuntimeException {
    Enough() {
      super(null, null, false, false);
    }
  }

  private void walk(
      String store,
      Condition where,
      long from,
      long to,
      long most,
      boolean newestFirst,
      Consumer<Event> taker) {
    var direction = newestFirst ? " desc" : "";
    var sql =
        "select id, store, at, level, text, labels, fields from event where at >= ? and at < ?"
            + (store.isEmpty() ? "" : " and store = ?")
            + " order by at"
            + direction
            + ", id"
            + direction;
    try {
      database.run(
          s ->
              s.doWork(
                  connection -> {
                    try (var select = connection.prepareStatement(sql)) {
                      select.setFetchSize(FETCHED);
                      select.setLong(1, from);
                      select.setLong(2, to);
                      if (!store.isEmpty()) {
                        select.setString(3, store);
                      }
                      pass(select.executeQuery(), where, most, taker);
                    }
                  }));
    } catch (Enough e) {
      // The taker has what it wanted.
    }
  }

  private void pass(java.sql.ResultSet rows, Condition where, long most, Consumer<Event> taker)
      throws SQLException {
    long read = 0;
    while (rows.next()) {
      if (++read > most) {
        throw new QueryException(
            "limit.samples", "more than " + most + " records lie in this range; shorten it", 0, 0);
      }
      var event =
          new Event(
              rows.getLong(1),
              rows.getString(2),
              rows.getLong(3),
              rows.getString(4),
              rows.getString(5),
              known.computeIfAbsent(rows.getString(6), LabelText::read),
              rows.getString(7));
      if (where.equals(Condition.ALL) || matches(event, where)) {
        taker.accept(event);
      }
    }
  }

  /** A condition may name the level, the text, labels, and fields by their path. */
  static boolean matches(Event event, Condition where) {
    var values = new TreeMap<String, String>();
    for (var name : names(where)) {
      var value = value(event, name);
      if (value != null && !value.isEmpty()) {
        values.put(name, value);
      }
    }
    return where.test(Labels.of(values));
  }

  private static String value(Event event, String name) {
    return switch (name) {
      case "level" -> event.level();
      case "text" -> event.text();
      default -> {
        var label = event.labels().get(name);
        var field =
            label != null ? null : JsonPath.find(event.fields(), List.of(name.split("\\.")));
        yield field == null ? label : field.text();
      }
    };
  }

  private static java.util.Set<String> names(Condition where) {
    var out = new java.util.TreeSet<String>();
    switch (where) {
      case Condition.And and -> and.parts().forEach(p -> out.addAll(names(p)));
      case Condition.Or or -> or.parts().forEach(p -> out.addAll(names(p)));
      case Condition.Not not -> out.addAll(names(not.part()));
      case Condition.Test t -> out.add(t.label());
    }
    return out;
  }

  /** The fields of a record by their paths, as texts; empty where there are none. */
  public static Map<String, String> fields(Event event) {
    var out = new LinkedHashMap<String, String>();
    if (!event.fields().isEmpty()) {
      try {
        flatten("", JSON.readTree(event.fields()), out);
      } catch (JacksonException e) {
        out.put("fields", event.fields());
      }
    }
    return out;
  }

  private static void flatten(String path, JsonNode node, Map<String, String> out) {
    if (node.isObject() && !node.isEmpty()) {
      node.properties()
          .forEach(
              p ->
                  flatten(
                      path.isEmpty() ? p.getKey() : path + "." + p.getKey(), p.getValue(), out));
    } else {
      out.put(path, node.isString() ? node.asString() : node.toString());
    }
  }

  /** The time of the newest record, or 0. */
  public long newest() {
    var at =
        database.with(
            s ->
                s.createSelectionQuery("select max(e.at) from Event e", Long.class)
                    .getSingleResultOrNull());
    return at == null ? 0 : at;
  }

  /** Drops what is older than records are kept; returns how many. */
  int drop(long now) {
    return database.with(
        s ->
            s.createMutationQuery("delete from Event e where e.at < :limit")
                .setParameter("limit", now - retention)
                .executeUpdate());
  }
}
