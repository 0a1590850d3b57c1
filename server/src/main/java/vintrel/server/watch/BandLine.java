package vintrel.server.watch;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.model.Baseline;
import vintrel.core.series.Labels;
import vintrel.core.unit.Counts;
import vintrel.core.watch.Expectations;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;

/** The expected band of a series as a column of a picture. */
final class BandLine {
  /** How the names of such columns begin; scripts know it. */
  static final String NAME = "Expected";

  private static final Labels LABELS = Labels.of("expected", "band");

  private BandLine() {}

  /**
   * The same frame with the band before its lines; the frame alone if nothing is known of the
   * series.
   *
   * @param whose in words; empty if there is only one
   */
  static Frame joined(
      Frame frame, Rule rule, Labels series, String whose, Expectations bands, String unit) {
    var test = band(rule);
    if (test == null) {
      return frame;
    }
    var times = ((Column.Time) frame.columns().getFirst()).values();
    var expected = CheckCourses.none(times.length);
    var low = CheckCourses.none(times.length);
    var high = CheckCourses.none(times.length);
    // Of what is never negative no picture shows an expectation below 0.
    double floor = isNegative(frame) ? Double.NEGATIVE_INFINITY : 0;
    boolean any = false;
    for (int i = 0; i < times.length; i++) {
      var value = bands.with(series, times[i], 0);
      expected[i] = value.expected();
      low[i] = Math.max(floor, test.low(value));
      high[i] = test.high(value);
      any |= !Double.isNaN(low[i]);
    }
    if (!any) {
      return frame;
    }
    var columns = new ArrayList<>(frame.columns());
    var name = whose.isEmpty() ? NAME : NAME + " of " + whose;
    columns.add(1, new Column.Number(name, unit, LABELS, expected, low, high));
    return new Frame(frame.name(), columns);
  }

  private static boolean isNegative(Frame frame) {
    for (var n : frame.numbers()) {
      for (var values : n.low() == null ? List.of(n.values()) : List.of(n.values(), n.low())) {
        for (double v : values) {
          if (v < 0) {
            return true;
          }
        }
      }
    }
    return false;
  }

  /** From what the bands of all series are learned; empty if none is asked for. */
  static String words(Rule rule, Rehearsal.Result result, Expectations bands) {
    if (!rule.isOfBand() || result.series().isEmpty()) {
      return "";
    }
    int known = 0;
    int daily = 0;
    int weekly = 0;
    int days = 0;
    for (var s : result.series()) {
      var one = bands.of(s.labels(), result.to() - 1);
      if (one != null) {
        known++;
        daily += one.isDaily() ? 1 : 0;
        weekly += one.isWeekly() ? 1 : 0;
        days = Math.max(days, Math.min(Baseline.DAYS, one.days()));
      }
    }
    int all = result.series().size();
    if (known == 0) {
      return "Not known yet: %d days of history are needed.".formatted(Baseline.MIN_DAYS);
    }
    var rhythm =
        daily + weekly == 0
            ? "no daily or weekly pattern found"
            : "daily pattern in %d, weekly in %d".formatted(daily, weekly);
    return "Learned once a day from up to %d days of history; %s of %s%s."
        .formatted(
            days,
            rhythm,
            Counts.of(all, "series"),
            known < all
                ? "; not known for %d, which need %d days of history"
                    .formatted(all - known, Baseline.MIN_DAYS)
                : "");
  }

  /** The band of the limit of the highest priority that has one, or null. */
  private static LimitTest.OutsideBand band(Rule rule) {
    return rule.limits().stream()
        .filter(l -> l.test() instanceof LimitTest.OutsideBand)
        .min((a, b) -> a.priority().compareTo(b.priority()))
        .map(l -> (LimitTest.OutsideBand) l.test())
        .orElse(null);
  }
}
