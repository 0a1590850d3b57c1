package vintrel.server.show;

import java.sql.Connection;
import java.sql.SQLException;
import java.time.Clock;
import java.util.HashMap;
import java.util.Map;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/**
 * Which dashboards a person opened, when, which have her star, and how often all people open them.
 * Any thread.
 */
@Service
class DashboardUse {
  private static final Logger log = LoggerFactory.getLogger(DashboardUse.class);

  /** Opening one again sooner is not written down. */
  private static final long SOON = Durations.MINUTE;

  /** Days of use that are shown. */
  static final int DAYS = 7;

  private static final int KEPT_DAYS = 90;

  private final Database database;
  private final Clock clock;

  DashboardUse(Database database, Clock clock) {
    this.database = database;
    this.clock = clock;
  }

  /**
   * @param openedAt ms; 0: never
   */
  record Use(boolean starred, long openedAt) {
    static final Use NONE = new Use(false, 0);
  }

  /** By dashboard. */
  Map<String, Use> of(String person) {
    return database.with(s -> s.doReturningWork(c -> read(c, person)));
  }

  private static Map<String, Use> read(Connection c, String person) throws SQLException {
    try (var select =
        c.prepareStatement(
            "select dashboard, starred, opened_at from dashboard_use where person = ?")) {
      select.setString(1, person);
      var rows = select.executeQuery();
      var out = new HashMap<String, Use>();
      while (rows.next()) {
        out.put(rows.getString(1), new Use(rows.getBoolean(2), rows.getLong(3)));
      }
      return out;
    }
  }

  void opened(String person, String dashboard) {
    var before = of(person).getOrDefault(dashboard, Use.NONE);
    if (clock.millis() - before.openedAt() < SOON) {
      return;
    }
    try {
      write(person, dashboard, new Use(before.starred(), clock.millis()));
      count(dashboard, day());
    } catch (RuntimeException e) {
      // Two pages opened at once: the other has written it.
      log.debug("not noted that {} was opened: {}", dashboard, e.toString());
    }
  }

  private long day() {
    return Math.floorDiv(clock.millis(), Durations.DAY);
  }

  private void count(String dashboard, long day) {
    database.run(
        s ->
            s.doWork(
                c -> {
                  var more =
                      "update dashboard_opening set openings = openings + 1"
                          + " where dashboard = ? and epoch_day = ?";
                  var first =
                      "insert into dashboard_opening (dashboard, epoch_day, openings)"
                          + " values (?, ?, 1)";
                  if (execute(c, more, dashboard, day) == 0) {
                    execute(c, first, dashboard, day);
                    execute(
                        c,
                        "delete from dashboard_opening where dashboard = ? and epoch_day < ?",
                        dashboard,
                        day - KEPT_DAYS);
                  }
                }));
  }

  private static int execute(Connection c, String sql, String dashboard, long day)
      throws SQLException {
    try (var statement = c.prepareStatement(sql)) {
      statement.setString(1, dashboard);
      statement.setLong(2, day);
      return statement.executeUpdate();
    }
  }

  /**
   * How often each dashboard was opened by anybody on the last {@link #DAYS} days, oldest first.
   */
  Map<String, int[]> openings() {
    long first = day() - DAYS + 1;
    return database.with(s -> s.doReturningWork(c -> openings(c, first)));
  }

  private static Map<String, int[]> openings(Connection c, long first) throws SQLException {
    try (var select =
        c.prepareStatement(
            "select dashboard, epoch_day, openings from dashboard_opening where epoch_day >= ?")) {
      select.setLong(1, first);
      var rows = select.executeQuery();
      var out = new HashMap<String, int[]>();
      while (rows.next()) {
        int at = (int) (rows.getLong(2) - first);
        if (at < DAYS) {
          out.computeIfAbsent(rows.getString(1), k -> new int[DAYS])[at] = rows.getInt(3);
        }
      }
      return out;
    }
  }

  void star(String person, String dashboard, boolean on) {
    var before = of(person).getOrDefault(dashboard, Use.NONE);
    write(person, dashboard, new Use(on, before.openedAt()));
  }

  private void write(String person, String dashboard, Use use) {
    database.run(
        s ->
            s.doWork(
                c -> {
                  try (var old =
                      c.prepareStatement(
                          "delete from dashboard_use where person = ? and dashboard = ?")) {
                    old.setString(1, person);
                    old.setString(2, dashboard);
                    old.executeUpdate();
                  }
                  try (var insert =
                      c.prepareStatement(
                          "insert into dashboard_use (person, dashboard, starred, opened_at)"
                              + " values (?, ?, ?, ?)")) {
                    insert.setString(1, person);
                    insert.setString(2, dashboard);
                    insert.setBoolean(3, use.starred());
                    insert.setLong(4, use.openedAt());
                    insert.executeUpdate();
                  }
                }));
  }
}
