package vintrel.server.ask;

import java.sql.ResultSet;
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
import java.util.TimeZone;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.QueryException;

/** A result set → a frame: temporal columns as times, numbers as numbers, the rest as texts. */
final class SqlRows {
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
   * @throws QueryException with code {@code limit.rows} where there are more than {@code most}
   */
  static Frame read(String store, ResultSet rows, int most) throws SQLException {
    var meta = rows.getMetaData();
    int n = meta.getColumnCount();
    var cells = new ArrayList<List<Object>>();
    for (int c = 0; c < n; c++) {
      cells.add(new ArrayList<>());
    }
    int count = 0;
    while (rows.next()) {
      if (++count > most) {
        throw new QueryException(
            "limit.rows",
            "the SQL store '"
                + store
                + "' gives more than "
                + most
                + " rows; aggregate there, or add  limit :limit",
            0,
            0);
      }
      for (int c = 0; c < n; c++) {
        cells.get(c).add(cell(rows, c + 1, kind(meta.getColumnType(c + 1))));
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

  private static Object cell(ResultSet rows, int c, String kind) throws SQLException {
    var o = rows.getObject(c);
    if (o == null) {
      return null;
    }
    return switch (kind) {
      case "time" -> millis(rows, c, o);
      case "number" -> o instanceof Boolean b ? (b ? 1.0 : 0.0) : ((Number) o).doubleValue();
      default -> {
        var text = rows.getString(c);
        yield text == null ? "" : text;
      }
    };
  }

  private static long millis(ResultSet rows, int c, Object o) throws SQLException {
    if (o instanceof OffsetDateTime t) {
      return t.toInstant().toEpochMilli();
    }
    if (o instanceof java.sql.Date || o instanceof LocalDate) {
      return rows.getObject(c, LocalDate.class)
          .atStartOfDay(ZoneOffset.UTC)
          .toInstant()
          .toEpochMilli();
    }
    // Without a zone it is UTC, as the session is; with one the calendar is not used.
    return rows.getTimestamp(c, Calendar.getInstance(TimeZone.getTimeZone("UTC"))).getTime();
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
