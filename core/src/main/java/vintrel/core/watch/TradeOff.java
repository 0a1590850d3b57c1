package vintrel.core.watch;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.TreeSet;
import java.util.function.BooleanSupplier;
import vintrel.core.unit.Durations;

/**
 * What waiting costs and spares: a rule rehearsed with a grid of on-delays and deadbands of one of
 * its limits, alerts against how long each took to be seen. Proposed is the setting at the bend: of
 * those that no other beats in both, the one farthest from the chord between the ends, each axis
 * from 0 to 1 (V. Satopää et al., <i>Finding a "Kneedle" in a Haystack</i>, 2011), delays by their
 * logarithm. Of settings that differ by less than one alert in twenty the smaller deadband is
 * taken, since a large one keeps alerts up longer; one that makes the time with an alert half as
 * long again is no cure, nor is one that raises nothing at all.
 */
public final class TradeOff {
  /** On-delays that are tried, ms, beside the limit's own. */
  private static final List<Long> DELAYS =
      List.of(0L, 30_000L, 60_000L, 120_000L, 300_000L, 600_000L, 1_200_000L);

  private static final double[] DEADBANDS = {0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3};

  private static final double LONGER = 1.5;

  private TradeOff() {}

  /**
   * A setting and what it would have done.
   *
   * @param alerts in the range
   * @param raised ms in which an alert was active
   * @param median ms from the first check past the limit to the alert; -1 without alerts
   * @param lost the longest stretch past the limit that no alert would have told of, ms
   */
  public record Point(
      long onDelay, double deadband, int alerts, long raised, long median, long lost) {}

  /**
   * @param points by on-delay, then deadband
   * @param suggested one of them, or null where nothing is raised or there is nothing to gain
   */
  public record Grid(List<Point> points, Point suggested) {
    /** The points of a deadband, by on-delay. */
    public List<Point> of(double deadband) {
      return points.stream().filter(p -> p.deadband() == deadband).toList();
    }
  }

  /** Settings of a grid at most. */
  public static final int MOST_SETTINGS = (7 + 1) * (7 + 1);

  /** Whether a limit has an on-delay and a deadband that can be weighed. */
  public static boolean isFor(Limit limit) {
    return !limit.test().isOfAbsence();
  }

  /**
   * Rehearses the grid.
   *
   * @param limit its place in the rule
   * @param span of the values that the rule watches, greatest less least
   */
  public static Grid of(
      Rule rule,
      int limit,
      double span,
      CheckHistory history,
      CheckHistory.Again again,
      Expectations expectations,
      BooleanSupplier stop) {
    var own = rule.limits().get(limit);
    var delays = new TreeSet<>(DELAYS);
    delays.add(own.onDelay());
    var bands = new TreeSet<Double>();
    for (double share : DEADBANDS) {
      bands.add(nice(share * span));
    }
    bands.add(own.test().deadband());
    var rehearsals = new ArrayList<Rehearsal>();
    for (long delay : delays) {
      for (double band : bands) {
        rehearsals.add(
            Rehearsal.counting(with(rule, limit, delay, band), 0, Long.MAX_VALUE, expectations));
      }
    }
    history.replay(rehearsals, again, stop);
    var points = new ArrayList<Point>();
    int next = 0;
    for (long delay : delays) {
      for (double band : bands) {
        points.add(point(delay, band, rehearsals.get(next++).result()));
      }
    }
    return new Grid(List.copyOf(points), suggested(points));
  }

  private static Point point(long delay, double band, Rehearsal.Result result) {
    var all = result.series().stream().flatMap(s -> s.delays().stream()).sorted().toList();
    long lost = result.series().stream().mapToLong(Rehearsal.OfSeries::unraised).max().orElse(0);
    long median = all.isEmpty() ? -1 : all.get((all.size() - 1) / 2);
    return new Point(delay, band, result.raised(), result.millis(), median, lost);
  }

  static Point suggested(List<Point> points) {
    int most = points.stream().mapToInt(Point::alerts).max().orElse(0);
    int least = points.stream().mapToInt(Point::alerts).min().orElse(0);
    if (most == least) {
      return null;
    }
    double longest = points.stream().mapToDouble(p -> scaled(p.onDelay())).max().orElse(1);
    double near = most / 20.0;
    long usual =
        points.stream().filter(p -> p.deadband() == 0).mapToLong(Point::raised).max().orElse(0);
    // What is above the chord from (0, 1) to (1, 0) costs more than it spares.
    return points.stream()
        .filter(p -> gain(p, most, least, longest) > 0)
        .filter(p -> p.alerts() > 0 && p.raised() <= usual * LONGER)
        .filter(p -> isFront(p, points, near))
        .max(Comparator.comparingDouble(p -> gain(p, most, least, longest)))
        .orElse(null);
  }

  private static double gain(Point p, int most, int least, double longest) {
    return 1 - (double) (p.alerts() - least) / (most - least) - scaled(p.onDelay()) / longest;
  }

  private static double scaled(long delay) {
    return Math.log1p((double) delay / Durations.SECOND / 10);
  }

  /** Whether no other setting with the same on-delay and a smaller deadband does as well. */
  private static boolean isFront(Point p, List<Point> points, double near) {
    return points.stream()
        .noneMatch(
            o ->
                o.onDelay() == p.onDelay()
                    && o.deadband() < p.deadband()
                    && o.alerts() <= p.alerts() + near);
  }

  static Rule with(Rule rule, int at, long onDelay, double deadband) {
    var limits = new ArrayList<>(rule.limits());
    var own = limits.get(at);
    var test =
        switch (own.test()) {
          case LimitTest.Threshold t -> new LimitTest.Threshold(t.direction(), t.value(), deadband);
          case LimitTest.Outside o -> new LimitTest.Outside(o.low(), o.high(), deadband);
          case LimitTest.OutsideBand b -> new LimitTest.OutsideBand(b.width(), deadband);
          default -> own.test();
        };
    limits.set(
        at, new Limit(test, own.priority(), onDelay, own.offDelay(), own.times(), own.outOf()));
    return rule.with(limits);
  }

  /** To one digit, as people write deadbands. */
  private static double nice(double v) {
    if (!(v > 0) || Double.isInfinite(v)) {
      return 0;
    }
    var text = "%.0e".formatted(v);
    return Double.parseDouble(text);
  }
}
