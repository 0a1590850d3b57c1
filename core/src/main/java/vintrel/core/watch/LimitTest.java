package vintrel.core.watch;

import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** What a limit asks of the result of a check. Pure; any thread. */
public sealed interface LimitTest {
  /** What a result says of a limit. */
  enum Verdict {
    /** Beyond the limit. */
    PASSED,
    /** Inside, but nearer than the deadband: an alert that is active stays so. */
    NEAR,
    /** Inside by the deadband. */
    BACK,
    /** The result says nothing of this limit: it stays as it is. */
    UNKNOWN
  }

  /**
   * @param missingFor ms since the first check that found no value; 0 if this one found one
   */
  Verdict of(CheckResult result, long missingFor);

  /** In words: above 90 %. */
  String words(String unit);

  /** How far a value is inside the limit, in its unit; negative beyond it; NaN if that is none. */
  double room(CheckResult.Value value);

  /** How far back inside a value must come before it counts as back; 0 where none is meant. */
  default double deadband() {
    return 0;
  }

  /** Whether the lack of a value passes it. */
  default boolean isOfAbsence() {
    return false;
  }

  /** The side of a threshold that is out of order. */
  enum Direction {
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

    /** Whether what lies above is out of order. */
    public boolean isUp() {
      return this == ABOVE || this == AT_LEAST;
    }
  }

  /**
   * @param deadband how far back inside a value must come before it counts as back; ≥ 0
   */
  record Threshold(Direction direction, double value, double deadband) implements LimitTest {
    public Threshold {
      need(deadband);
    }

    private boolean passed(double v) {
      return switch (direction) {
        case ABOVE -> v > value;
        case AT_LEAST -> v >= value;
        case BELOW -> v < value;
        case AT_MOST -> v <= value;
      };
    }

    @Override
    public Verdict of(CheckResult result, long missingFor) {
      if (!(result instanceof CheckResult.Value r)) {
        return Verdict.UNKNOWN;
      }
      double v = r.value();
      return verdict(passed(v), passed(direction.isUp() ? v + deadband : v - deadband));
    }

    @Override
    public String words(String unit) {
      return direction.text() + " " + Units.format(value, unit);
    }

    @Override
    public double room(CheckResult.Value r) {
      return direction.isUp() ? value - r.value() : r.value() - value;
    }
  }

  /**
   * Below one value or above another.
   *
   * @param deadband as of a threshold, at both sides
   */
  record Outside(double low, double high, double deadband) implements LimitTest {
    public Outside {
      need(deadband);
      if (!(low < high)) {
        throw new IllegalArgumentException("the lower end must be less than the upper one");
      }
    }

    @Override
    public Verdict of(CheckResult result, long missingFor) {
      return result instanceof CheckResult.Value r
          ? outside(r.value(), low, high, deadband)
          : Verdict.UNKNOWN;
    }

    @Override
    public String words(String unit) {
      return "outside " + Units.format(low, unit) + " to " + Units.format(high, unit);
    }

    @Override
    public double room(CheckResult.Value r) {
      return Math.min(r.value() - low, high - r.value());
    }
  }

  /**
   * Outside what is expected at this time, as the check says it. Where nothing is known of that, it
   * says nothing.
   *
   * @param width how many standard deviations the band reaches to each side, above 0
   * @param deadband as of a threshold, at both sides
   */
  record OutsideBand(double width, double deadband) implements LimitTest {
    /** The widest one. */
    public static final double MOST = 100;

    public OutsideBand {
      need(deadband);
      if (!(width > 0 && width <= MOST)) {
        throw new IllegalArgumentException(
            "`outside-band` must be above 0 and at most %.0f".formatted(MOST));
      }
    }

    /** The lower end of the band; NaN if nothing is known. */
    public double low(CheckResult.Value r) {
      return r.expected() - width * r.sigma();
    }

    /** The upper end of the band; NaN if nothing is known. */
    public double high(CheckResult.Value r) {
      return r.expected() + width * r.sigma();
    }

    @Override
    public Verdict of(CheckResult result, long missingFor) {
      return result instanceof CheckResult.Value r && low(r) <= high(r)
          ? outside(r.value(), low(r), high(r), deadband)
          : Verdict.UNKNOWN;
    }

    @Override
    public String words(String unit) {
      return "outside the expected band";
    }

    @Override
    public double room(CheckResult.Value r) {
      return Math.min(r.value() - low(r), high(r) - r.value());
    }
  }

  /**
   * A series that is known sends nothing any more.
   *
   * @param after ms without a value
   */
  record Stale(long after) implements LimitTest {
    public Stale {
      if (after <= 0) {
        throw new IllegalArgumentException("a series can't be stale at once");
      }
    }

    @Override
    public Verdict of(CheckResult result, long missingFor) {
      return switch (result) {
        case CheckResult.Value v -> Verdict.BACK;
        case CheckResult.Missing m -> missingFor >= after ? Verdict.PASSED : Verdict.UNKNOWN;
        case CheckResult.Fault f -> Verdict.UNKNOWN;
      };
    }

    @Override
    public String words(String unit) {
      return "stale for " + Durations.words(after);
    }

    @Override
    public double room(CheckResult.Value r) {
      return Double.NaN;
    }

    @Override
    public boolean isOfAbsence() {
      return true;
    }
  }

  /** There is no value, whether there ever was one or not. */
  record Absent() implements LimitTest {
    @Override
    public Verdict of(CheckResult result, long missingFor) {
      return switch (result) {
        case CheckResult.Value v -> Verdict.BACK;
        case CheckResult.Missing m -> Verdict.PASSED;
        case CheckResult.Fault f -> Verdict.UNKNOWN;
      };
    }

    @Override
    public String words(String unit) {
      return "absent";
    }

    @Override
    public double room(CheckResult.Value r) {
      return Double.NaN;
    }

    @Override
    public boolean isOfAbsence() {
      return true;
    }
  }

  private static Verdict outside(double v, double low, double high, double deadband) {
    return verdict(v < low || v > high, v < low + deadband || v > high - deadband);
  }

  private static Verdict verdict(boolean passed, boolean withinDeadband) {
    return passed ? Verdict.PASSED : withinDeadband ? Verdict.NEAR : Verdict.BACK;
  }

  private static void need(double deadband) {
    if (!(deadband >= 0)) {
      throw new IllegalArgumentException("a deadband can't be negative");
    }
  }
}
