package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import vintrel.core.series.Admission;

/**
 * Writes the statement that pick lists describe. Names are quoted as the database spells them, and
 * values that are no numbers too, so that no choice can end a name or a text early and no name is
 * taken for a word of SQL; the statement is checked again when it runs.
 */
final class SqlBuilder {
  private static final List<String> AGGREGATES = List.of("avg", "sum", "min", "max", "count");

  /** What MySQL's date_format cuts a time to. */
  private static final Map<String, String> CUTS =
      Map.of("minute", "%H:%i:00", "hour", "%H:00:00", "day", "00:00:00");

  private SqlBuilder() {}

  /**
   * What was picked; empty texts were not.
   *
   * @param every minute, hour or day
   * @param column which must equal {@code is}
   * @param order by time, or largest first
   */
  record Parts(
      String table,
      String time,
      String aggregate,
      String value,
      String group,
      String every,
      String column,
      String is,
      String order) {
    Parts {
      table = given(table);
      time = given(time);
      aggregate = given(aggregate);
      value = given(value);
      group = given(group);
      every = given(every);
      column = given(column);
      is = given(is);
      order = given(order);
    }

    /** A parameter that a request does not have. */
    private static String given(String text) {
      return text == null ? "" : text;
    }
  }

  /**
   * The statement.
   *
   * @param dialect h2, postgresql or mysql
   * @throws IllegalArgumentException if a part is missing or unknown
   */
  static String of(String dialect, Parts p) {
    if (p.table().isBlank()) {
      throw new IllegalArgumentException("pick a table");
    }
    if (!AGGREGATES.contains(p.aggregate())) {
      throw new IllegalArgumentException("the aggregate must be avg, sum, min, max or count");
    }
    if (!CUTS.containsKey(p.every())) {
      throw new IllegalArgumentException("`every` must be minute, hour or day");
    }
    boolean count = p.aggregate().equals("count");
    if (!count && p.value().isBlank()) {
      throw new IllegalArgumentException("pick a value, or count the rows");
    }
    var q = new Quotes(dialect);
    var time = p.time().isBlank() ? "" : q.name(p.time());
    var at = time.isEmpty() ? "" : cut(dialect, time, p.every());
    var group = p.group().isBlank() ? "" : q.name(p.group());
    var value = count ? "count(*)" : p.aggregate() + "(" + q.name(p.value()) + ")";
    var columns = some(at.isEmpty() ? "" : at + " as at", group, value + " as reading");
    var tests =
        some(
            time.isEmpty()
                ? ""
                : time + " >= " + first(dialect, p.every()) + " and " + time + " < :to",
            p.column().isBlank() || p.is().isBlank()
                ? ""
                : q.name(p.column()) + " = " + q.value(p.is().strip()));
    var groups = some(at, group);
    boolean byTime = p.order().equals("by time") && !time.isEmpty();
    return String.join(
        "\n",
        some(
            "select " + String.join(", ", columns),
            "from " + q.name(p.table()),
            tests.isEmpty() ? "" : "where " + String.join(" and ", tests),
            groups.isEmpty() ? "" : "group by " + String.join(", ", groups),
            byTime ? "order by 1" : "order by reading desc"));
  }

  private static List<String> some(String... parts) {
    var out = new ArrayList<String>();
    for (var part : parts) {
      if (!part.isEmpty()) {
        out.add(part);
      }
    }
    return out;
  }

  private static String cut(String dialect, String time, String every) {
    return dialect.equals("mysql")
        ? "timestamp(date_format(%s, '%%Y-%%m-%%d %s'))".formatted(time, CUTS.get(every))
        : "date_trunc('%s', %s)".formatted(every, time);
  }

  /** Where the first bucket begins: it is read whole, though the range begins within it. */
  private static String first(String dialect, String every) {
    return cut(dialect, dialect.equals("mysql") ? ":from" : "cast(:from as timestamp)", every);
  }

  private record Quotes(String dialect) {
    String name(String name) {
      if (!Admission.text(name)) {
        throw new IllegalArgumentException("a name has characters that can't be there");
      }
      var quote = dialect.equals("mysql") ? "`" : "\"";
      return quote + name.replace(quote, quote + quote) + quote;
    }

    String value(String value) {
      if (value.matches("-?\\d{1,18}(\\.\\d{1,18})?")) {
        return value;
      }
      var text = value.replace("'", "''");
      return "'" + (dialect.equals("mysql") ? text.replace("\\", "\\\\") : text) + "'";
    }
  }
}
