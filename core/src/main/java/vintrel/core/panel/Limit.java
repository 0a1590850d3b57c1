package vintrel.core.panel;

import java.util.List;

/**
 * A value that a series should not pass.
 *
 * @param above whether values above it are out of order, else those below it
 * @param priority decides the colour
 */
public record Limit(double value, boolean above, String priority) {
  private static final List<String> ORDER = List.of("low", "medium", "high", "critical");

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
