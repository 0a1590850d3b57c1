package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Component;
import vintrel.core.panel.Drawing;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Rule;
import vintrel.core.watch.Transition.Change;
import vintrel.server.define.Definitions;

/** The course of one series under its rule, with its sisters, limits and what happened. */
@Component
class AlertCourse {
  private static final int MOST_MARKS = 40;
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss", Locale.ENGLISH);

  private final PastChecks checks;
  private final Rehearsals rehearsals;
  private final PastStates past;
  private final AlertLog log;
  private final Definitions definitions;
  private final Clock clock;

  AlertCourse(
      PastChecks checks,
      Rehearsals rehearsals,
      PastStates past,
      AlertLog log,
      Definitions definitions,
      Clock clock) {
    this.checks = checks;
    this.rehearsals = rehearsals;
    this.past = past;
    this.log = log;
    this.definitions = definitions;
    this.clock = clock;
  }

  /**
   * Something on the time axis.
   *
   * @param look a priority, or empty
   * @param strong whether it is drawn over the whole height in colour
   */
  record Mark(long at, String text, String look, boolean strong) {}

  /** A deadband: alerts do not clear between these values. */
  record Shade(double low, double high, String priority) {}

  /**
   * @param series its name in the drawing
   * @param from first ms of the range
   * @param to last ms, exclusive
   * @param fault why there is no drawing; empty
   */
  record Course(
      Drawing drawing,
      String series,
      List<RehearsalView.Box> strip,
      List<Mark> marks,
      List<Shade> shades,
      long from,
      long to,
      String fault) {}

  Course of(
      AlertLog.Alert alert, TimeText.Range range, ZoneId zone, int width, BooleanSupplier stop) {
    var rule = alert.rule();
    int columns = Math.clamp(width / 2, 60, 600);
    long every = PastChecks.interval(rule);
    var courses = new CheckCourses(range, every, columns);
    checks.read(
        rule, range, (long) checks.maxSeries() * CheckCourses.COLUMN * columns, stop, courses::add);
    var frame = courses.frame(rule.unit(), List.of(alert.labels()), CheckCourses.Toward.BOTH);
    if (rule.isOfBand()) {
      var bands = rehearsals.learned(rule, range, stop);
      frame = BandLine.joined(frame, rule, alert.labels(), "", bands, rule.unit());
    }
    long now = clock.millis();
    var strip = past.of(rule.name(), range, now);
    return new Course(
        RuleChart.alone(rule, frame, range, zone, width),
        alert.labels().isEmpty() ? "all" : alert.labels().toString(),
        AlarmList.boxes(
            strip.get(new PastStates.Key(rule.name(), alert.labels())), alert, range, now),
        marks(alert, range, zone),
        shades(rule),
        range.from(),
        range.to(),
        "");
  }

  private List<Mark> marks(AlertLog.Alert alert, TimeText.Range range, ZoneId zone) {
    var out = new ArrayList<Mark>();
    for (var p : log.history(alert.rule().name(), alert.labels(), 400)) {
      boolean told =
          p.change() == Change.RAISED
              || p.change() == Change.ESCALATED
              || p.change() == Change.CLEARED
              || p.change() == Change.ACKNOWLEDGED;
      if (told && p.at() >= range.from() && p.at() < range.to()) {
        boolean strong = p.change() == Change.RAISED || p.change() == Change.ESCALATED;
        var priority = p.priority().toLowerCase(Locale.ROOT);
        out.add(new Mark(p.at(), text(p.change().text(), p.at(), zone), priority, strong));
      }
    }
    for (var r : definitions.history("rule", alert.rule().name())) {
      if (r.at() >= range.from() && r.at() < range.to()) {
        out.add(new Mark(r.at(), text("rule changed", r.at(), zone), "", false));
      }
    }
    return out.stream().limit(MOST_MARKS).toList();
  }

  private static String text(String what, long at, ZoneId zone) {
    return what + " " + CLOCK.format(Instant.ofEpochMilli(at).atZone(zone));
  }

  private static List<Shade> shades(Rule rule) {
    var out = new ArrayList<Shade>();
    for (var limit : rule.limits()) {
      var priority = limit.priority().text();
      if (limit.test() instanceof LimitTest.Threshold t && t.deadband() > 0) {
        boolean up =
            t.direction() == LimitTest.Direction.ABOVE
                || t.direction() == LimitTest.Direction.AT_LEAST;
        double other = up ? t.value() - t.deadband() : t.value() + t.deadband();
        out.add(new Shade(Math.min(other, t.value()), Math.max(other, t.value()), priority));
      }
    }
    return out;
  }
}
