package vintrel.core.define;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Limit;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.LimitTest.Direction;
import vintrel.core.watch.Priority;

/** The limits of rules, as documents write them. Any thread. */
public final class RuleLimits {
  private static final String OUTSIDE = "outside";
  private static final String OUTSIDE_BAND = "outside-band";
  private static final String STALE = "stale";
  private static final String ABSENT = "absent";
  private static final String CHECKS = "checks";

  static final Shape.Fields SHAPE =
      new Shape.Fields(
              Field.of("above", Shape.number(), "Raised by values above this."),
              Field.of("at least", Shape.number(), "Passed by this value and those above."),
              Field.of("below", Shape.number(), "Passed by values below this."),
              Field.of("at most", Shape.number(), "Passed by this value and those below."),
              Field.of(
                  OUTSIDE,
                  new Shape.ListOf(
                      Shape.number(), 2, 2, false, "must be two values, the lower one first"),
                  "Passed by values below the first or above the second."),
              Field.of(
                  OUTSIDE_BAND,
                  new Shape.Number(0, LimitTest.OutsideBand.MOST),
                  "Passed by values so many standard deviations from what is expected at that time"
                      + " of day and week."),
              Field.of(
                  STALE,
                  new Shape.Duration(1_000),
                  "Passed by a series that has had no value for so long."),
              Field.of(
                  ABSENT,
                  new Shape.Truth(),
                  "Passed while there is no value, also if there never was one."),
              Field.of("priority", Shape.choice(Priority.class), "Unique within the rule.")
                  .or("medium"),
              Field.of(
                      "deadband",
                      new Shape.Number(0),
                      "How far inside the limit a value must be to clear the alert.")
                  .or(0),
              Field.of("on-delay", new Shape.Duration(0), "Time over the limit until it is raised.")
                  .or("0s"),
              Field.of("off-delay", new Shape.Duration(0), "Time back until it is cleared.")
                  .or("0s"),
              Field.of(
                      CHECKS,
                      new Shape.Text(
                          8,
                          "([1-9]|[12][0-9]|30) of ([1-9]|[12][0-9]|30)",
                          "must be how many of the last checks count, such as 3 of 5, at most 30"),
                      "How many of the last checks must be past the limit, such as 3 of 5.")
                  .or("1 of 1"))
          .oneOf("above", "at least", "below", "at most", OUTSIDE, OUTSIDE_BAND, STALE, ABSENT);

  private RuleLimits() {}

  /**
   * @throws IllegalArgumentException in words, for what its fields allow and it does not
   */
  static Limit read(Node l) {
    var checks = l.text(CHECKS, "1 of 1").split(" of ");
    return new Limit(
        test(l),
        l.choice("priority", Priority.class),
        l.duration("on-delay"),
        l.duration("off-delay"),
        Integer.parseInt(checks[0]),
        Integer.parseInt(checks[1]));
  }

  /** The limit that {@link #write} made a map of. */
  public static Limit of(Map<String, Object> written) {
    return read(new Node(written, SHAPE));
  }

  private static LimitTest test(Node l) {
    double deadband = l.number("deadband");
    for (var direction : Direction.values()) {
      if (l.has(direction.text())) {
        return new LimitTest.Threshold(direction, l.number(direction.text()), deadband);
      }
    }
    if (l.has(OUTSIDE)) {
      var ends = (List<?>) l.map().get(OUTSIDE);
      return new LimitTest.Outside(number(ends.get(0)), number(ends.get(1)), deadband);
    }
    if (l.has(OUTSIDE_BAND)) {
      return new LimitTest.OutsideBand(l.number(OUTSIDE_BAND), deadband);
    }
    if (l.has(STALE)) {
      return new LimitTest.Stale(l.duration(STALE));
    }
    if (!l.truth(ABSENT)) {
      throw new IllegalArgumentException("`absent` is true or left out");
    }
    return new LimitTest.Absent();
  }

  private static double number(Object value) {
    return ((Number) value).doubleValue();
  }

  /** A limit as a part of a document. */
  public static Map<String, Object> write(Limit limit) {
    var out = new LinkedHashMap<String, Object>();
    switch (limit.test()) {
      case LimitTest.Threshold t -> {
        out.put(t.direction().text(), t.value());
      }
      case LimitTest.Outside o -> {
        out.put(OUTSIDE, List.of(o.low(), o.high()));
      }
      case LimitTest.OutsideBand b -> {
        out.put(OUTSIDE_BAND, b.width());
      }
      case LimitTest.Stale s -> out.put(STALE, Durations.text(s.after()));
      case LimitTest.Absent a -> out.put(ABSENT, true);
    }
    out.put("priority", limit.priority().text());
    Kinds.put(out, "deadband", limit.test().deadband(), 0.0);
    Kinds.put(out, "on-delay", Durations.text(limit.onDelay()), "0s");
    Kinds.put(out, "off-delay", Durations.text(limit.offDelay()), "0s");
    Kinds.put(out, CHECKS, limit.times() + " of " + limit.outOf(), "1 of 1");
    return out;
  }
}
