package vintrel.core.watch;

import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/**
 * A value that a series should not pass.
 *
 * @param deadband how far back inside the limit a value must come before it counts as back; ≥ 0
 * @param onDelay ms over the limit before the alert is raised
 * @param offDelay ms back before it is cleared
 */
public record Limit(
    Direction direction,
    double value,
    Priority priority,
    double deadband,
    long onDelay,
    long offDelay) {

  public enum Direction {
    ABOVE("above"),
    AT_LEAST("at least"),
    BELOW("below"),
    AT_MOST("at most");

    private final String text;

    Direction(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }
  }

  public Limit {
    if (!(deadband >= 0) || onDelay < 0 || offDelay < 0) {
      throw new IllegalArgumentException("deadband and delays can't be negative");
    }
  }

  public boolean passed(double v) {
    return switch (direction) {
      case ABOVE -> v > value;
      case AT_LEAST -> v >= value;
      case BELOW -> v < value;
      case AT_MOST -> v <= value;
    };
  }

  /** Whether a value that had passed counts as back: inside the limit by the deadband. */
  public boolean back(double v) {
    return switch (direction) {
      case ABOVE, AT_LEAST -> !passed(v + deadband);
      case BELOW, AT_MOST -> !passed(v - deadband);
    };
  }

  /** In words: above 90 % for 1 min. */
  public String words(String unit) {
    return direction.text()
        + " "
        + Units.format(value, unit)
        + (onDelay > 0 ? " for " + Durations.words(onDelay) : "");
  }
}
