package vintrel.core.panel;

/**
 * A limit of a rule that watches what a panel shows.
 *
 * @param line of the panel that shows it; its series are on the axis that it is drawn on
 * @param above whether values above it are out of order, else those below it
 * @param priority decides the colour
 * @param rule its name
 * @param title of the rule
 */
public record WatchedLimit(
    String line, double value, boolean above, String priority, String rule, String title) {
  /** Whether a limit of the panel says the same. */
  boolean isOf(Limit limit) {
    return limit.course() == null && limit.value() == value && limit.above() == above;
  }
}
