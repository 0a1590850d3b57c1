package vintrel.server.ask;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import jakarta.annotation.PreDestroy;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.SQLTimeoutException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Properties;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import java.util.regex.Pattern;
import org.springframework.stereotype.Service;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.MemoryClaim;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Settings;

/**
 * Asks SQL databases in place: small pools, read-only connections, prepared statements, limits on
 * time and rows. H2, PostgreSQL, and what speaks MySQL's protocol. Any thread.
 */
@Service
public class SqlStores {
  private static final Pattern URL =
      Pattern.compile("jdbc:(postgresql|mariadb|mysql)://([^/:?,]+)(:\\d+)?/([\\w.-]*)(\\?(.*))?");
  private static final Pattern H2 = Pattern.compile("jdbc:h2:tcp://([^/:;]+)(:\\d+)?/[\\w./~:-]+");

  /** Others can read files, run code or send data to other hosts. */
  private static final Set<String> PARAMETERS =
      Set.of("ssl", "sslmode", "sslMode", "useSsl", "currentSchema", "connectTimeout");

  private static final Pattern VALUE = Pattern.compile("[\\w.-]*");

  private static final int CONNECTIONS = 4;

  /** For connecting, signing in and finding out what the user may do, together. */
  private static final long CONNECT_MS = 10_000;

  private static final int MAX_TABLES = 200;
  private static final Set<String> OWN = Set.of("information_schema", "pg_catalog");
  private static final int FETCHED = 1000;
  private static final int POLL_INTERVAL_MS = 100;
  private static final String CANCELLED = "the query was cancelled";

  private final OutboundGuard guard;
  private final int maxRows;
  private final int seconds;
  private final long maxBytes;
  private final Map<String, HikariDataSource> pools = new ConcurrentHashMap<>();

  SqlStores(OutboundGuard guard, Settings settings) {
    this.guard = guard;
    this.maxRows = settings.query().sqlRows();
    this.seconds = settings.query().sqlSeconds();
    this.maxBytes = settings.query().sqlBytes();
  }

  /**
   * @throws IllegalArgumentException saying what an address may be
   */
  void checkUrl(String url) {
    var m = URL.matcher(url.strip());
    var h2 = H2.matcher(url.strip());
    if (!m.matches() && !h2.matches()) {
      throw new IllegalArgumentException(
          "the address must have the form jdbc:postgresql://HOST/NAME, …"
              + " jdbc:postgresql://HOST/NAME, jdbc:mariadb://HOST/NAME and"
              + " jdbc:h2:tcp://HOST/NAME");
    }
    if (m.matches() && m.group(6) != null) {
      checkParameters(m.group(6));
    }
    guard.check("http://" + (m.matches() ? m.group(2) : h2.group(1)));
  }

  /** Each once, and with plain values: drivers differ in which of several counts. */
  static void checkParameters(String text) {
    var seen = new HashSet<String>();
    for (var parameter : text.split("&", -1)) {
      var parts = parameter.split("=", 2);
      if (!PARAMETERS.contains(parts[0])) {
        throw new IllegalArgumentException(
            "the parameter `"
                + parts[0]
                + "` is not allowed; allowed: "
                + String.join(", ", PARAMETERS.stream().sorted().toList()));
      }
      if (!seen.add(parts[0].toLowerCase(Locale.ROOT))) {
        throw new IllegalArgumentException("the parameter `" + parts[0] + "` is there twice");
      }
      if (parts.length == 2 && !VALUE.matcher(parts[1]).matches()) {
        throw new IllegalArgumentException(
            "the value of `" + parts[0] + "` may have letters, digits, dots and hyphens");
      }
    }
  }

  /** Whether the other side's certificate is checked against the host's name. */
  static boolean isVerified(String url) {
    int at = url.indexOf('?');
    return at >= 0
        && Arrays.stream(url.substring(at + 1).split("&"))
            .anyMatch(p -> p.toLowerCase(Locale.ROOT).equals("sslmode=verify-full"));
  }

  /** Forgets the connections of a store. */
  void forget(String name) {
    var pool = pools.remove(name);
    if (pool != null) {
      pool.close();
    }
  }

  @PreDestroy
  void close() {
    pools.keySet().forEach(this::forget);
  }

  private HikariDataSource pool(ExternalStores.Access access) {
    return pools.computeIfAbsent(access.name(), k -> open(access));
  }

  private HikariDataSource open(ExternalStores.Access access) {
    var config = new HikariConfig();
    boolean h2 = access.url().startsWith("jdbc:h2:");
    boolean postgres = access.url().startsWith("jdbc:postgresql:");
    config.setDataSource(new GuardedConnections(this, access));
    config.setMaximumPoolSize(CONNECTIONS);
    config.setMinimumIdle(0);
    config.setIdleTimeout(60_000);
    config.setConnectionTimeout(CONNECT_MS + 1_000);
    config.setInitializationFailTimeout(-1);
    config.setReadOnly(true);
    config.setAutoCommit(false);
    config.setConnectionInitSql(
        h2 || postgres ? "set time zone 'UTC'" : "set time_zone = '+00:00'");
    config.setPoolName("sql " + access.name());
    return new HikariDataSource(config);
  }

  /**
   * A connection to an address that is checked just now, of a user who may only read, unless an
   * administrator has accepted another.
   */
  Connection connect(ExternalStores.Access access) throws SQLException {
    return Deadline.within(CONNECT_MS, () -> connectNow(access));
  }

  private Connection connectNow(ExternalStores.Access access) throws SQLException {
    var connection = raw(access);
    try {
      if (!access.accepted() && canWrite(connection)) {
        throw new SQLException("its user could change data there, which nobody has accepted");
      }
      connection.setAutoCommit(true);
      return connection;
    } catch (SQLException | RuntimeException e) {
      connection.close();
      throw e;
    }
  }

  private Connection raw(ExternalStores.Access access) throws SQLException {
    try {
      var properties = new Properties();
      properties.put("user", access.username());
      properties.put("password", access.secret());
      if (access.url().startsWith("jdbc:postgresql:")) {
        properties.put("connectTimeout", "5");
        properties.put("loginTimeout", "10");
        properties.put("socketTimeout", Integer.toString(seconds + 10));
      } else if (!access.url().startsWith("jdbc:h2:")) {
        properties.put("connectTimeout", "5000");
        properties.put("socketTimeout", Integer.toString((seconds + 10) * 1000));
      }
      return DriverManager.getConnection(pinned(access), properties);
    } catch (IllegalArgumentException e) {
      throw new SQLException(e.getMessage(), "08001");
    }
  }

  /**
   * The JDBC URL with the address that was checked in the host's place. Where a certificate is
   * checked against the name, that stays: it holds the other side to it.
   */
  private String pinned(ExternalStores.Access access) {
    var m = URL.matcher(access.url());
    var h2 = H2.matcher(access.url());
    boolean other = m.matches();
    if (!other && !h2.matches()) {
      throw new IllegalArgumentException("this address is not allowed");
    }
    var host = other ? m.group(2) : h2.group(1);
    var address = guard.resolve(host)[0].getHostAddress();
    var literal = address.contains(":") ? "[" + address.replaceFirst("%.*", "") + "]" : address;
    if (other && m.group(6) != null) {
      // Also of stores that were added before.
      checkParameters(m.group(6));
    }
    var url =
        isVerified(access.url())
            ? access.url()
            : access.url().replaceFirst("//" + Pattern.quote(host), "//" + literal);
    if (!other) {
      return url + ";IFEXISTS=TRUE";
    }
    if (url.startsWith("jdbc:postgresql:")) {
      return url + (url.contains("?") ? "&" : "?") + "maxResultBuffer=" + 2 * maxBytes;
    }
    return url.replace("jdbc:mysql:", "jdbc:mariadb:");
  }

  /** Work with a pooled connection, rolled back at its end. */
  private <T> T with(ExternalStores.Access access, Work<T> work) {
    return with(access, () -> pool(access).getConnection(), work);
  }

  private interface Opening {
    Connection open() throws SQLException;
  }

  private <T> T with(ExternalStores.Access access, Opening opening, Work<T> work) {
    try (var connection = opening.open()) {
      try {
        return work.on(connection);
      } finally {
        connection.rollback();
      }
    } catch (SQLTimeoutException e) {
      throw failed("limit.time", access, "took longer than " + seconds + " s");
    } catch (SQLException e) {
      boolean away = e.getSQLState() == null || e.getSQLState().startsWith("08");
      boolean late = String.valueOf(e.getSQLState()).equals("57014");
      var root = e.getCause() != null && away ? e.getCause().getMessage() : e.getMessage();
      throw late
          ? failed("limit.time", access, "took longer than " + seconds + " s")
          : failed(away ? "unreachable" : "sql", access, oneLine(root));
    }
  }

  private interface Work<T> {
    T on(Connection connection) throws SQLException;
  }

  private static QueryException failed(String code, ExternalStores.Access access, String why) {
    return new QueryException(code, "the SQL store '" + access.name() + "': " + why, 0, 0);
  }

  private static String oneLine(String message) {
    return message == null ? "no reason given" : message.lines().findFirst().orElse("");
  }

  /**
   * Rows of a statement; {@code :from} and {@code :to} are timestamps, {@code :step} seconds,
   * {@code :limit} the most rows.
   *
   * @param cancelled polled while it runs; true ends it
   * @throws QueryException if it fails, takes too long, is cancelled, or gives too many rows
   */
  Frame ask(
      ExternalStores.Access access,
      String statement,
      long from,
      long to,
      long stepMillis,
      BooleanSupplier cancelled) {
    return ask(access, statement, from, to, stepMillis, cancelled, MemoryClaim.NONE);
  }

  /**
   * As above.
   *
   * @param memory asked for the rows as they come
   */
  Frame ask(
      ExternalStores.Access access,
      String statement,
      long from,
      long to,
      long stepMillis,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var named = NamedSql.of(statement);
    if (access.url().startsWith("jdbc:h2:")) {
      named.checkForH2();
    }
    return with(
        access,
        connection -> {
          try (var prepared = connection.prepareStatement(named.sql());
              var watch = new Watch(prepared, cancelled)) {
            prepared.setQueryTimeout(seconds);
            prepared.setMaxRows(maxRows + 1);
            prepared.setFetchSize(Math.min(FETCHED, maxRows));
            named.bind(prepared, from, to, stepMillis, maxRows);
            try (var rows = prepared.executeQuery()) {
              return SqlRows.read(access.name(), rows, maxRows, maxBytes, memory);
            } catch (SQLException e) {
              if (watch.ended()) {
                throw new QueryException("cancelled", CANCELLED, 0, 0);
              }
              throw e;
            }
          }
        });
  }

  /** Cancels a statement that no page is waiting for. */
  private static final class Watch implements AutoCloseable {
    private final CountDownLatch done = new CountDownLatch(1);
    private volatile boolean ended;

    Watch(Statement statement, BooleanSupplier cancelled) {
      Thread.ofVirtual().name("watch sql").start(() -> look(statement, cancelled));
    }

    private void look(Statement statement, BooleanSupplier cancelled) {
      try {
        while (!done.await(POLL_INTERVAL_MS, TimeUnit.MILLISECONDS)) {
          if (cancelled.getAsBoolean()) {
            ended = true;
            statement.cancel();
            return;
          }
        }
      } catch (InterruptedException | SQLException e) {
        // The statement's own time limit ends it then.
      }
    }

    boolean ended() {
      return ended;
    }

    @Override
    public void close() {
      done.countDown();
    }
  }

  /**
   * Whether the user of a store could change data there: tried with deletions of nothing, in a
   * transaction that is rolled back.
   */
  boolean canWrite(ExternalStores.Access access) {
    // A pool would try a wrong password again and again.
    try {
      return Deadline.within(
          CONNECT_MS, () -> with(access, () -> raw(access), SqlStores::canWrite));
    } catch (SQLException e) {
      throw failed("unreachable", access, oneLine(e.getMessage()));
    }
  }

  private static boolean canWrite(Connection connection) throws SQLException {
    connection.setAutoCommit(false);
    var meta = connection.getMetaData();
    if (meta.getDatabaseProductName().equals("H2") && isAdmin(connection)) {
      return true;
    }
    var quote = meta.getIdentifierQuoteString();
    for (var table : tables(connection, "TABLE", "BASE TABLE")) {
      connection.rollback();
      connection.setReadOnly(false);
      try (var statement = connection.createStatement()) {
        statement.executeUpdate("delete from " + table.quoted(quote) + " where 1 = 0");
        return true;
      } catch (SQLException e) {
        // Refused, as it should be.
      } finally {
        connection.rollback();
        connection.setReadOnly(true);
      }
    }
    return false;
  }

  /** An administrator of H2 could read files and run code there. */
  private static boolean isAdmin(Connection connection) throws SQLException {
    try (var statement = connection.createStatement();
        var rows =
            statement.executeQuery(
                "select is_admin from information_schema.users where user_name = current_user")) {
      return rows.next() && rows.getBoolean(1);
    }
  }

  /** {@code schema} is null if the database has none. */
  private record Table(String schema, String name) {
    String quoted(String quote) {
      return (schema == null ? "" : quote + schema + quote + ".") + quote + name + quote;
    }
  }

  /** What a store's user can see, the database's own tables left out. */
  private static List<Table> tables(Connection connection, String... kinds) throws SQLException {
    var out = new ArrayList<Table>();
    try (var rows = connection.getMetaData().getTables(connection.getCatalog(), null, "%", kinds)) {
      while (rows.next() && out.size() < MAX_TABLES) {
        var schema = rows.getString("TABLE_SCHEM");
        if (schema == null || !OWN.contains(schema.toLowerCase(Locale.ROOT))) {
          out.add(new Table(schema, rows.getString("TABLE_NAME")));
        }
      }
    }
    return out;
  }

  /** A table with its columns, for the builder. */
  public record TableInfo(String name, List<ColumnInfo> columns) {}

  /**
   * @param kind time, number or text
   */
  public record ColumnInfo(String name, String kind) {}

  /** The tables and views that a store's user can see. */
  List<TableInfo> describe(ExternalStores.Access access) {
    return with(
        access,
        connection -> {
          var out = new ArrayList<TableInfo>();
          for (var t : tables(connection, "TABLE", "BASE TABLE", "VIEW")) {
            out.add(new TableInfo(t.name(), columns(connection, t.schema(), t.name())));
          }
          return out;
        });
  }

  private static List<ColumnInfo> columns(Connection connection, String schema, String table)
      throws SQLException {
    var out = new ArrayList<ColumnInfo>();
    try (var rows =
        connection.getMetaData().getColumns(connection.getCatalog(), schema, table, "%")) {
      while (rows.next()) {
        out.add(
            new ColumnInfo(rows.getString("COLUMN_NAME"), SqlRows.kind(rows.getInt("DATA_TYPE"))));
      }
    }
    return out;
  }
}
