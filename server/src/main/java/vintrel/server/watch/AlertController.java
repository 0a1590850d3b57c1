package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.ServletRequestUtils;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import vintrel.core.picture.Picture;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Durations;
import vintrel.core.watch.StateOutlook;
import vintrel.core.watch.WatchState;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.RangeParams;
import vintrel.server.web.PagePreferences;

/** The page of one alert. */
@Controller
class AlertController {
  /** Ranges that a page opens on, ms. */
  private static final List<Long> RANGES =
      List.of(
          Durations.HOUR,
          3 * Durations.HOUR,
          6 * Durations.HOUR,
          12 * Durations.HOUR,
          Durations.DAY,
          2 * Durations.DAY,
          Durations.WEEK);

  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("EEE HH:mm:ss", Locale.ENGLISH);
  private static final int WIDTH = 800;

  private final AlertLog log;
  private final AlertStory story;
  private final AlertNotes notes;
  private final AlertCourse course;
  private final Watcher watcher;
  private final WatchedLines lines;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final Clock clock;

  AlertController(
      AlertLog log,
      AlertStory story,
      AlertNotes notes,
      AlertCourse course,
      Watcher watcher,
      WatchedLines lines,
      RangeParams ranges,
      ActiveQueries running,
      Clock clock) {
    this.lines = lines;
    this.log = log;
    this.story = story;
    this.notes = notes;
    this.course = course;
    this.watcher = watcher;
    this.ranges = ranges;
    this.running = running;
    this.clock = clock;
  }

  private AlertLog.Alert need(long id) {
    var alert = log.byId(id);
    if (alert == null) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    return alert;
  }

  @GetMapping("/watch/alerts/{id}")
  String alert(@PathVariable long id, Model model, HttpServletRequest request) {
    var alert = need(id);
    if (request.getParameter("from") == null) {
      return "redirect:/watch/alerts/" + id + "?" + range(alert);
    }
    return page(alert, model, request);
  }

  private String page(AlertLog.Alert alert, Model model, HttpServletRequest request) {
    long now = clock.millis();
    var zone = PagePreferences.zone(request);
    var care = notes.current().of(alert);
    model.addAttribute("alert", WatchController.view(alert, now));
    model.addAttribute("query", alert.rule().query());
    model.addAttribute("runbook", alert.rule().runbook());
    model.addAttribute("owner", alert.rule().owner());
    model.addAttribute("outlook", outlook(alert, zone));
    model.addAttribute("often", story.often(alert, now - Durations.WEEK));
    model.addAttribute("entries", story.entries(alert, zone));
    model.addAttribute("told", story.told(alert, zone));
    model.addAttribute("places", lines.places(alert.rule()));
    var beside = beside(alert);
    model.addAttribute("before", beside[0]);
    model.addAttribute("after", beside[1]);
    model.addAttribute("canTakeBack", alert.acknowledged());
    model.addAttribute("assigned", care.assigned());
    model.addAttribute(
        "shelf", care.shelf() == null ? "" : AlertStory.text(care.shelf().until(), zone));
    long around = alert.raisedAt() > 0 ? alert.raisedAt() : alert.since();
    model.addAttribute("around", around);
    model.addAttribute("placesTo", Math.min(now, around + Durations.HOUR));
    model.addAttribute("ended", ended(alert, now));
    return "watch/alert";
  }

  /** The alerts before and after this one in the order of urgency; null: none. */
  private Long[] beside(AlertLog.Alert alert) {
    var active =
        log.notNormal().stream().filter(a -> a.state().isActive()).map(AlertLog.Alert::id).toList();
    int at = active.indexOf(alert.id());
    return new Long[] {
      at > 0 ? active.get(at - 1) : null,
      at >= 0 && at < active.size() - 1 ? active.get(at + 1) : null
    };
  }

  /** What a title says of an alert that is over. */
  private String ended(AlertLog.Alert alert, long now) {
    if (alert.state() != WatchState.NORMAL) {
      return "";
    }
    return "normal for " + Durations.words(Math.max(0, now - alert.since()));
  }

  private String outlook(AlertLog.Alert alert, ZoneId zone) {
    for (var watched : watcher.rules()) {
      for (var series : watched.series.values()) {
        if (series.id == alert.id()) {
          return StateOutlook.of(
              alert.rule(),
              series.state(),
              at -> CLOCK.format(Instant.ofEpochMilli(at).atZone(zone)));
        }
      }
    }
    return "";
  }

  /** From well before it was raised until now; one that is over with what was before and after. */
  private String range(AlertLog.Alert alert) {
    long now = clock.millis();
    if (alert.state() == WatchState.NORMAL && now - alert.since() > Durations.HOUR) {
      long around = 2 * Durations.HOUR;
      return "from=" + (alert.since() - around) + "&to=" + (alert.since() + around / 4);
    }
    long age = now - (alert.raisedAt() > 0 ? alert.raisedAt() : alert.since());
    long wanted = age + Math.max(Durations.HOUR / 2, age / 4);
    long span = RANGES.stream().filter(r -> r >= wanted).findFirst().orElse(Durations.WEEK);
    return "from=-" + Durations.text(span) + "&to=now";
  }

  @GetMapping("/watch/alerts/{id}/course")
  @ResponseBody
  AlertCourse.Course course(@PathVariable long id, HttpServletRequest request) {
    var alert = need(id);
    var zone = PagePreferences.zone(request);
    var range = ranges.of(request);
    int width = Picture.side(ServletRequestUtils.getIntParameter(request, "width", WIDTH));
    var page = request.getParameter("page");
    try {
      return running.run(
          page == null ? null : page + "/course",
          stop -> course.of(alert, range, zone, width, stop));
    } catch (QueryException | PastChecks.TooLong e) {
      return new AlertCourse.Course(
          null, "", List.of(), List.of(), List.of(), range.from(), range.to(), e.getMessage());
    }
  }
}
