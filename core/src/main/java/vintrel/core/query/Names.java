package vintrel.core.query;

import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import vintrel.core.query.SeriesSet.Row;

/** What series are called in a legend: as short as tells them apart. */
public final class Names {
  private static final Pattern HOLE = Pattern.compile("\\{([^{}]+)}");

  private Names() {}

  /** {label} → its value, or nothing where the series has no such label; {metric} is the name. */
  static String fill(String template, Row row) {
    return HOLE.matcher(template)
        .replaceAll(
            m -> {
              var value = m.group(1).equals("metric") ? row.metric() : row.labels().get(m.group(1));
              return Matcher.quoteReplacement(value == null ? "" : value);
            });
  }

  /**
   * The names of the series of a line: a given name, else the values of the labels in which the
   * series differ, else the line's or the metric's name.
   */
  public static List<String> of(String line, SeriesSet set) {
    var varying = varying(set.rows());
    return set.rows().stream()
        .map(
            row -> {
              if (row.name() != null && !row.name().isBlank()) {
                return row.name();
              }
              var parts =
                  row.labels().names().stream()
                      .filter(varying::contains)
                      .map(row.labels()::get)
                      .toList();
              return !parts.isEmpty()
                  ? String.join(" · ", parts)
                  : !line.isEmpty() ? line : row.metric().isEmpty() ? "value" : row.metric();
            })
        .toList();
  }

  private static Set<String> varying(List<Row> rows) {
    var out = new HashSet<String>();
    for (var row : rows) {
      for (var name : row.labels().names()) {
        if (rows.stream().anyMatch(r -> !row.labels().get(name).equals(r.labels().get(name)))) {
          out.add(name);
        }
      }
    }
    return out;
  }
}
