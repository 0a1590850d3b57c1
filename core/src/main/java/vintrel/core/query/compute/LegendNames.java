package vintrel.core.query.compute;

import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import vintrel.core.query.plan.SeriesSet.Row;

/** What series are called in a legend: as short as is needed to distinguish them. */
public final class LegendNames {
  private static final Pattern HOLE = Pattern.compile("\\{([^{}]+)}");

  /** Among more labels than this no pairs are tried. */
  private static final int MAX_PAIRED = 8;

  private LegendNames() {}

  /** {label} → its value, or nothing if the series has no such label; {metric} is the name. */
  static String fill(String template, Row row) {
    return HOLE.matcher(template)
        .replaceAll(
            m -> {
              var value = m.group(1).equals("metric") ? row.metric() : row.labels().get(m.group(1));
              return Matcher.quoteReplacement(value == null ? "" : value);
            });
  }

  /**
   * The names of the series of a line: a given name, else the values of the fewest labels that tell
   * the series apart (one or two if those do, by their order), else of all labels in which they
   * differ, else the line's or the metric's name.
   */
  public static List<String> of(String line, List<Row> rows) {
    var telling = telling(rows);
    return rows.stream()
        .map(
            row -> {
              if (row.name() != null && !row.name().isBlank()) {
                return row.name();
              }
              var name = joined(row, telling);
              return !name.isEmpty()
                  ? name
                  : !line.isEmpty() ? line : row.metric().isEmpty() ? "value" : row.metric();
            })
        .toList();
  }

  private static String joined(Row row, List<String> labels) {
    return labels.stream()
        .map(row.labels()::get)
        .filter(v -> v != null)
        .collect(Collectors.joining(" · "));
  }

  private static List<String> telling(List<Row> rows) {
    var varying = varying(rows);
    for (var one : varying) {
      if (apart(rows, List.of(one))) {
        return List.of(one);
      }
    }
    for (int i = 0; i < varying.size() && varying.size() <= MAX_PAIRED; i++) {
      for (int j = i + 1; j < varying.size(); j++) {
        var two = List.of(varying.get(i), varying.get(j));
        if (apart(rows, two)) {
          return two;
        }
      }
    }
    return varying;
  }

  /** Whether all series have these labels, and no two of them the same values. */
  private static boolean apart(List<Row> rows, List<String> labels) {
    var seen = new HashSet<String>();
    return rows.stream()
        .allMatch(
            r ->
                labels.stream().allMatch(l -> r.labels().get(l) != null)
                    && seen.add(joined(r, labels)));
  }

  /** Labels in whose value, or in whether they have it, series differ; sorted. */
  private static List<String> varying(List<Row> rows) {
    var values = new TreeMap<String, Set<String>>();
    var carriers = new HashMap<String, Integer>();
    for (var row : rows) {
      for (var name : row.labels().names()) {
        values.computeIfAbsent(name, k -> new HashSet<>()).add(row.labels().get(name));
        carriers.merge(name, 1, Integer::sum);
      }
    }
    return values.keySet().stream()
        .filter(n -> values.get(n).size() > 1 || carriers.get(n) < rows.size())
        .toList();
  }
}
