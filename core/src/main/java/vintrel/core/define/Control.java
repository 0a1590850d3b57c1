package vintrel.core.define;

import java.util.List;

/**
 * A choice at the top of a dashboard, which the lines of its panels use as {@code $name}.
 *
 * @param name letters, digits and underscores
 * @param title its name on the page
 * @param kind where its choices come from, and what they do
 * @param label whose values it offers, of a metric or of the result of a query
 * @param metric that has the label; else empty
 * @param where a condition on the metric's series, in which other controls may be named; or empty
 * @param query whose result it offers; else empty
 * @param values of a fixed list; widths of buckets, as durations
 * @param several whether more than one value can be chosen
 * @param initial what is chosen if the address says nothing
 */
public record Control(
    String name,
    String title,
    Kind kind,
    String label,
    String metric,
    String where,
    String query,
    List<String> values,
    boolean several,
    List<String> initial) {

  /** Where choices come from. */
  public enum Kind {
    /** The values of a label. */
    LABEL,
    /** The result of a query. */
    QUERY,
    /** A fixed list. */
    LIST,
    /** What is typed. */
    TEXT,
    /** The stores: what is chosen is read by lines that name none. */
    STORE,
    /** Widths of buckets: what is chosen is the width of all panels. */
    INTERVAL;

    /** Whether lines can name it. */
    public boolean isNamed() {
      return this != STORE && this != INTERVAL;
    }
  }

  public Control {
    values = List.copyOf(values);
    initial = List.copyOf(initial);
  }

  /** The values of a label of a metric. */
  public static Control ofLabel(String name, String title, String label, String metric) {
    return new Control(name, title, Kind.LABEL, label, metric, "", "", List.of(), false, List.of());
  }

  Control asking(String other) {
    return new Control(name, title, kind, label, metric, where, other, values, several, initial);
  }

  /** Whether its choices depend on what is chosen in another. */
  public boolean dependsOn(String other) {
    return uses(where, other) || uses(query, other);
  }

  private static boolean uses(String text, String name) {
    for (int at = text.indexOf('$' + name); at >= 0; at = text.indexOf('$' + name, at + 1)) {
      int end = at + 1 + name.length();
      if (end == text.length()
          || !Character.isLetterOrDigit(text.charAt(end)) && text.charAt(end) != '_') {
        return true;
      }
    }
    return false;
  }
}
