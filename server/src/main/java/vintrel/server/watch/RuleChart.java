package vintrel.server.watch;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Asked;
import vintrel.core.panel.Drawing;
import vintrel.core.panel.Limit;
import vintrel.core.panel.PanelKind;
import vintrel.core.picture.Palette;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Rule;

/** What a rule watches, with its limits, as a chart whose axis leaves room for names of series. */
final class RuleChart {
  /** Px beside the plot, which the styles of the page know too. */
  private static final int NAMES = 142;

  private static final int RIGHT = 8;

  static final int HEIGHT = 264;

  private static final int AXIS = 28;

  /** The names of series stand in the rows below, under its axis. */
  private static final String PANEL =
      """
      kind: dashboard
      name: rule
      title: Rule
      panels:
      - {title: Rule, at: [1, 1, 12, 6], query: "1", options: {legend: none, axis-room: %d}}
      """;

  /** Narrower ones have the names over the rows. */
  private static final int NARROW = 400;

  private RuleChart() {}

  /**
   * @param width of the chart, px
   */
  static Drawing of(
      Rule rule, Frame frame, TimeText.Range range, ZoneId zone, int width, boolean limitless) {
    return of(rule, frame, range, zone, width, width < NARROW ? 0 : NAMES - RIGHT, limitless);
  }

  /** The same without room for names. */
  static Drawing alone(Rule rule, Frame frame, TimeText.Range range, ZoneId zone, int width) {
    return of(rule, frame, range, zone, width, 0, false);
  }

  private static Drawing of(
      Rule rule,
      Frame frame,
      TimeText.Range range,
      ZoneId zone,
      int width,
      int room,
      boolean limitless) {
    return kind(room)
        .draw(
            new Asked(
                List.of(),
                List.of(frame),
                List.of(),
                range.from(),
                range.to(),
                zone,
                rule.unit(),
                limitless ? List.of() : limits(rule),
                width,
                HEIGHT,
                Math.max(100, width - NAMES - RIGHT),
                HEIGHT - AXIS,
                new Palette()))
        .shown();
  }

  private static PanelKind kind(int room) {
    var text = PANEL.formatted(room);
    var read = (Definition.OfDashboard) Bundle.parse(text).documents().getFirst().definition();
    return read.dashboard().panels().getFirst().kind();
  }

  /** Where its limits are passed. */
  static CheckCourses.Toward toward(Rule rule) {
    boolean up = false;
    boolean down = false;
    for (var limit : limits(rule)) {
      up |= limit.above();
      down |= !limit.above();
    }
    return up == down
        ? CheckCourses.Toward.BOTH
        : up ? CheckCourses.Toward.UP : CheckCourses.Toward.DOWN;
  }

  /** The values of its limits, with their unit. */
  static List<String> texts(Rule rule, String unit) {
    return limits(rule).stream().map(l -> Units.format(l.value(), unit)).toList();
  }

  /** Those that are values. */
  private static List<Limit> limits(Rule rule) {
    var out = new ArrayList<Limit>();
    for (var l : rule.limits()) {
      var priority = l.priority().text();
      switch (l.test()) {
        case LimitTest.Threshold t -> {
          boolean up =
              t.direction() == LimitTest.Direction.ABOVE
                  || t.direction() == LimitTest.Direction.AT_LEAST;
          out.add(new Limit(t.value(), up, priority));
        }
        case LimitTest.Outside o -> {
          out.add(new Limit(o.low(), false, priority));
          out.add(new Limit(o.high(), true, priority));
        }
        case LimitTest.OutsideBand b -> {}
        case LimitTest.Stale s -> {}
        case LimitTest.Absent a -> {}
      }
    }
    return out;
  }
}
