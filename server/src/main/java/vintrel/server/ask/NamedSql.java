package vintrel.server.ask;

import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Pattern;
import vintrel.core.query.syntax.QueryException;

/**
 * A statement with {@code :from}, {@code :to}, {@code :step} and {@code :limit} as the marks of a
 * prepared statement. Texts, quoted names, comments and casts ({@code ::}) are left alone.
 */
record NamedSql(String sql, List<String> parameters) {
  private static final List<String> KNOWN = List.of("from", "to", "step", "limit");

  /** How a statement that reads begins. */
  private static final List<String> READING =
      List.of("select", "with", "values", "table", "show", "(");

  static NamedSql of(String statement) {
    int begins = begins(statement);
    if (READING.stream().noneMatch(w -> statement.regionMatches(true, begins, w, 0, w.length()))) {
      throw new QueryException("sql", "only read statements are allowed; start with select", 0, 0);
    }
    if (statement.contains("/*!") || statement.contains("/*M!")) {
      throw refused("executable comments (/*! … */) are not allowed");
    }
    var out = new StringBuilder();
    var parameters = new ArrayList<String>();
    int i = 0;
    while (i < statement.length()) {
      int end = untouched(statement, i);
      if (end > i) {
        if (statement.charAt(i) == '\'' && statement.charAt(Math.max(i, end - 2)) == '\\') {
          throw refused("escape a quote by doubling it (''), not with a backslash");
        }
        out.append(statement, i, end);
        i = end;
      } else if (statement.charAt(i) == ':' && word(statement, i + 1) > i + 1) {
        end = word(statement, i + 1);
        var name = statement.substring(i + 1, end);
        if (!KNOWN.contains(name)) {
          throw new QueryException(
              "sql", "unknown parameter :" + name + "; use :from, :to, :step or :limit", 0, 0);
        }
        parameters.add(name);
        out.append('?');
        i = end;
      } else if (statement.charAt(i) == ';') {
        throw refused("only one statement is allowed, without a semicolon");
      } else {
        out.append(statement.charAt(i++));
      }
    }
    return new NamedSql(out.toString(), List.copyOf(parameters));
  }

  /** What reads files, runs scripts or reaches other databases on an H2 server. */
  private static final Pattern H2_REACHING =
      Pattern.compile(
          "(?i)\\b(file_read|file_write|csvread|csvwrite|link_schema|runscript|script|call|lock_mode"
              + "|cancel_session|abort_session|database_path|data_source)\\b");

  /**
   * Refuses what does more than read tables, of a statement for an H2 server.
   *
   * @throws QueryException saying so
   */
  void checkForH2() {
    if (H2_REACHING.matcher(sql).find()) {
      throw refused("functions that access files or the network are not allowed");
    }
  }

  private static QueryException refused(String why) {
    return new QueryException("sql", "this statement is not allowed: " + why, 0, 0);
  }

  /** The place of the first word, after blanks and comments. */
  private static int begins(String s) {
    int i = 0;
    while (i < s.length()) {
      boolean comment = s.startsWith("--", i) || s.startsWith("/*", i);
      if (!comment && !Character.isWhitespace(s.charAt(i))) {
        break;
      }
      i = comment ? untouched(s, i) : i + 1;
    }
    return i;
  }

  /** The end of a text, quoted name, comment or cast that begins here; else the place itself. */
  private static int untouched(String s, int i) {
    char c = s.charAt(i);
    if (c == '\'' || c == '"' || c == '`') {
      int end = s.indexOf(c, i + 1);
      return end < 0 ? s.length() : end + 1;
    }
    if (s.startsWith("--", i)) {
      int end = s.indexOf('\n', i);
      return end < 0 ? s.length() : end;
    }
    if (s.startsWith("/*", i)) {
      int end = s.indexOf("*/", i + 2);
      return end < 0 ? s.length() : end + 2;
    }
    return s.startsWith("::", i) ? i + 2 : i;
  }

  private static int word(String s, int i) {
    int end = i;
    while (end < s.length() && (Character.isLetterOrDigit(s.charAt(end)) || s.charAt(end) == '_')) {
      end++;
    }
    return end > i && Character.isLetter(s.charAt(i)) ? end : i;
  }

  /** Times as UTC, which the connection's session is set to. */
  void bind(PreparedStatement statement, long from, long to, long stepMillis, int limit)
      throws SQLException {
    for (int i = 0; i < parameters.size(); i++) {
      switch (parameters.get(i)) {
        case "from" -> statement.setObject(i + 1, utc(from));
        case "to" -> statement.setObject(i + 1, utc(to));
        case "step" -> statement.setLong(i + 1, Math.max(1, stepMillis / 1000));
        default -> statement.setInt(i + 1, limit);
      }
    }
  }

  private static LocalDateTime utc(long millis) {
    return LocalDateTime.ofInstant(Instant.ofEpochMilli(millis), ZoneOffset.UTC);
  }
}
