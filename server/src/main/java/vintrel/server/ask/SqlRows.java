package vintrel.server.ask;

import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Types;
import java.time.LocalDate;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Calendar;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TimeZone;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.MemoryClaim;

/** A result set → a frame: temporal columns as times, numbers as numbers, the rest as texts. */
final class SqlRows {
  /** Bytes of a cell beside its text. */
  private static final int CELL = 16;

  private SqlRows() {}

  static String kind(int type) {
    return switch (type) {
      case Types.TIMESTAMP, Types.TIMESTAMP_WITH_TIMEZONE, Types.DATE -> "time";
      case Types.TINYINT,
          Types.SMALLINT,
          Types.INTEGER,
          Types.BIGINT,
          Types.REAL,
          Types.FLOAT,
          Types.DOUBLE,
          Types.NUMERIC,
          Types.DECIMAL,
          Types.BIT,
          Types.BOOLEAN ->
          "number";
      default -> "text";
    };
  }

  /**
   * @param maxBytes of all texts together
   * @param memory asked for each row
   * @throws QueryException with code {@code limit.rows} if there are more than {@code most}, with
   *     code {@code limit.bytes} if they are larger
   */
  static Frame read(String store, ResultSet rows, int max, long maxBytes, MemoryClaim memory)
      throws SQLException {
    var meta = rows.getMetaData();
    int n = meta.getColumnCount();
    var cells = new ArrayList<List<Object>>();
    var types = new int[n];
    for (int c = 0; c < n; c++) {
      need(meta, c + 1);
      types[c] = meta.getColumnType(c + 1);
      cells.add(new ArrayList<>());
    }
    int count = 0;
    long bytes = 0;
    while (rows.next()) {
      if (++count > max) {
        throw new QueryException(
            "limit.rows",
            "the SQL store '"
                + store
                + "' returned more than "
                + max
                + " rows; aggregate in the statement or add `limit :limit`",
            0,
            0);
      }
      long before = bytes;
      for (int c = 0; c < n; c++) {
        var cell = cell(rows, c + 1, types[c]);
        cells.get(c).add(cell);
        bytes += CELL + (cell instanceof String text ? text.length() : 0);
      }
      memory.take(bytes - before + (long) n * CELL);
      if (bytes > maxBytes) {
        throw new QueryException(
            "limit.bytes",
            "the SQL store '%s' returned more than %,d bytes; take fewer columns or rows"
                .formatted(store, maxBytes),
            0,
            0);
      }
    }
    boolean folds = rows.getStatement().getConnection().getMetaData().storesUpperCaseIdentifiers();
    var columns = new ArrayList<Column>();
    for (int c = 0; c < n; c++) {
      columns.add(
          column(
              name(meta.getColumnLabel(c + 1), folds),
              kind(meta.getColumnType(c + 1)),
              cells.get(c)));
    }
    return new Frame(store, columns);
  }

  /** A database that folds names to capitals gives back what was written in small letters so. */
  private static String name(String label, boolean folds) {
    boolean capitals = label.equals(label.toUpperCase(Locale.ROOT));
    return folds && capitals ? label.toLowerCase(Locale.ROOT) : label;
  }

  /** Types that are read as texts by every driver, without making objects of what was sent. */
  private static final Set<Integer> TEXTS =
      Set.of(
          Types.CHAR,
          Types.VARCHAR,
          Types.LONGVARCHAR,
          Types.NCHAR,
          Types.NVARCHAR,
          Types.LONGNVARCHAR,
          Types.CLOB,
          Types.NCLOB,
          Types.TIME,
          Types.TIME_WITH_TIMEZONE);

  /** Types of single databases that are texts. */
  private static final Set<String> NAMED =
      Set.of("UUID", "JSON", "JSONB", "INET", "CIDR", "MACADDR", "XML", "ENUM", "YEAR");

  private static void need(ResultSetMetaData meta, int c) throws SQLException {
    int type = meta.getColumnType(c);
    var named = meta.getColumnTypeName(c).toUpperCase(Locale.ROOT);
    boolean read =
        !kind(type).equals("text")
            || TEXTS.contains(type)
            || NAMED.contains(named)
            || named.startsWith("INTERVAL");
    if (!read) {
      throw new QueryException(
          "sql",
          "the column '%s' is of the type %s, which is not read here; cast it to a text"
              .formatted(meta.getColumnLabel(c), named.toLowerCase(Locale.ROOT)),
          0,
          0);
    }
  }

  /** Never by getObject without a class: that could make objects of what the other side sends. */
  private static Object cell(ResultSet rows, int c, int type) throws SQLException {
    Object out =
        switch (kind(type)) {
          case "time" -> millis(rows, c, type);
          case "number" ->
              type == Types.BIT || type == Types.BOOLEAN
                  ? (rows.getBoolean(c) ? 1.0 : 0.0)
                  : rows.getDouble(c);
          default -> rows.getString(c);
        };
    return out == null || rows.wasNull() ? null : out;
  }

  private static Long millis(ResultSet rows, int c, int type) throws SQLException {
    if (type == Types.TIMESTAMP_WITH_TIMEZONE) {
      var time = rows.getObject(c, OffsetDateTime.class);
      return time == null ? null : time.toInstant().toEpochMilli();
    }
    if (type == Types.DATE) {
      var date = rows.getObject(c, LocalDate.class);
      return date == null ? null : date.atStartOfDay(ZoneOffset.UTC).toInstant().toEpochMilli();
    }
    // Without a zone it is UTC, as the session is; with one the calendar is not used.
    var time = rows.getTimestamp(c, Calendar.getInstance(TimeZone.getTimeZone("UTC")));
    return time == null ? null : time.getTime();
  }

  private static Column column(String name, String kind, List<Object> cells) {
    return switch (kind) {
      case "time" -> {
        var out = new long[cells.size()];
        Arrays.setAll(out, i -> cells.get(i) == null ? Long.MIN_VALUE : (Long) cells.get(i));
        yield new Column.Time(name, out);
      }
      case "number" -> {
        var out = new double[cells.size()];
        Arrays.setAll(out, i -> cells.get(i) == null ? Double.NaN : (Double) cells.get(i));
        yield Column.Number.of(name, "", out);
      }
      default -> {
        var out = new String[cells.size()];
        Arrays.setAll(out, i -> cells.get(i) == null ? "" : (String) cells.get(i));
        yield new Column.Text(name, out);
      }
    };
  }
}
