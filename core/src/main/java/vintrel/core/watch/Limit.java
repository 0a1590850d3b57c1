package vintrel.core.watch;

import vintrel.core.unit.Durations;

/**
 * What a series should not do.
 *
 * @param onDelay ms beyond the limit before the alert is raised
 * @param offDelay ms back before it is cleared
 * @param times of the last {@code outOf} checks, how many must be beyond the limit
 * @param outOf at least {@code times}, at most {@link #MAX_CHECKS}
 */
public record Limit(
    LimitTest test, Priority priority, long onDelay, long offDelay, int times, int outOf) {
  /** Checks that are remembered at most. */
  public static final int MAX_CHECKS = 30;

  public Limit {
    if (onDelay < 0 || offDelay < 0) {
      throw new IllegalArgumentException("delays can't be negative");
    }
    if (times < 1 || outOf < times || outOf > MAX_CHECKS) {
      throw new IllegalArgumentException(
          "of the last checks, 1 to " + MAX_CHECKS + " count, and not more than there are");
    }
  }

  /** By each check alone. */
  public Limit(LimitTest test, Priority priority, long onDelay, long offDelay) {
    this(test, priority, onDelay, offDelay, 1, 1);
  }

  /** A threshold. */
  public static Limit of(
      LimitTest.Direction direction,
      double value,
      Priority priority,
      double deadband,
      long onDelay,
      long offDelay) {
    return new Limit(
        new LimitTest.Threshold(direction, value, deadband), priority, onDelay, offDelay);
  }

  /** Whether no value between two, both included, leaves a trace in a limit that is quiet. */
  boolean isCalm(double least, double greatest) {
    if (test instanceof LimitTest.OutsideBand) {
      return false;
    }
    var low = test.of(new CheckResult.Value(least), 0);
    var high = test.of(new CheckResult.Value(greatest), 0);
    // What is not past a limit is an interval, and so is what is back: its ends tell of all.
    return outOf == 1
        ? low != LimitTest.Verdict.PASSED && high != LimitTest.Verdict.PASSED
        : low == LimitTest.Verdict.BACK && high == LimitTest.Verdict.BACK;
  }

  /** The least value, beside which a quiet limit stays as it is up to {@link #calmTo}. */
  double calmFrom() {
    if (outOf > 1) {
      return Double.POSITIVE_INFINITY;
    }
    return switch (test) {
      case LimitTest.Threshold t when t.direction() == LimitTest.Direction.BELOW -> t.value();
      case LimitTest.Threshold t when t.direction() == LimitTest.Direction.AT_MOST ->
          Math.nextUp(t.value());
      case LimitTest.Outside o -> o.low();
      case LimitTest.OutsideBand b -> Double.POSITIVE_INFINITY;
      default -> Double.NEGATIVE_INFINITY;
    };
  }

  /** The greatest one. */
  double calmTo() {
    if (outOf > 1) {
      return Double.NEGATIVE_INFINITY;
    }
    return switch (test) {
      case LimitTest.Threshold t when t.direction() == LimitTest.Direction.ABOVE -> t.value();
      case LimitTest.Threshold t when t.direction() == LimitTest.Direction.AT_LEAST ->
          Math.nextDown(t.value());
      case LimitTest.Outside o -> o.high();
      case LimitTest.OutsideBand b -> Double.NEGATIVE_INFINITY;
      default -> Double.POSITIVE_INFINITY;
    };
  }

  /** In words: above 90 % for 1 min, in 3 of 5 checks. */
  public String words(String unit) {
    return test.words(unit)
        + (onDelay > 0 ? " for " + Durations.words(onDelay) : "")
        + (outOf > 1 ? ", in " + times + " of " + outOf + " checks" : "");
  }
}
