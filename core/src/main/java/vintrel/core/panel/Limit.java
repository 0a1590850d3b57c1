package vintrel.core.panel;

import java.util.List;
import vintrel.core.chunk.Samples;

/**
 * A value that a series should not pass.
 *
 * @param above whether values above it are out of order, else those below it
 * @param priority decides the colour
 * @param from the line that gave it, or null
 */
public record Limit(double value, boolean above, String priority, From from) {
  private static final List<String> ORDER = List.of("low", "medium", "high", "critical");

  /**
   * @param line its name
   * @param course what the limit was at each moment; null: it is the same over the whole range
   */
  public record From(String line, Samples course) {}

  public Limit(double value, boolean above, String priority) {
    this(value, above, priority, null);
  }

  /** Its course if it has one, else null. */
  Samples course() {
    return from == null ? null : from.course();
  }

  public String direction() {
    return above ? "above" : "below";
  }

  public boolean passed(double v) {
    return above ? v > value : v < value;
  }

  /** The highest priority of the limits that a value passes; empty if it passes none. */
  public static String worst(List<Limit> limits, double v) {
    var out = "";
    for (var l : limits) {
      if (l.passed(v) && ORDER.indexOf(l.priority()) > ORDER.indexOf(out)) {
        out = l.priority();
      }
    }
    return out;
  }
}
