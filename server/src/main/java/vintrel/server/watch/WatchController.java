package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.Locale;
import java.util.Set;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;
import vintrel.core.watch.WatchState;
import vintrel.server.ask.RangeParams;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;
import vintrel.server.web.Settings;

/** The pages of Watch: alarm list, rules, an alert's history; and the lamp. */
@Controller
class WatchController {
  /** So many alerts leave room for what cleared, and what comes next. */
  private static final int FEW = 6;

  private static final int MAX_RAISED = 5_000;

  private final AlertLog log;
  private final Watcher watcher;
  private final AlarmList list;
  private final QuietView quiet;
  private final RangeParams ranges;
  private final int flooded;
  private final Clock clock;

  WatchController(
      AlertLog log,
      Watcher watcher,
      AlarmList list,
      QuietView quiet,
      RangeParams ranges,
      Settings settings,
      Clock clock) {
    this.list = list;
    this.quiet = quiet;
    this.ranges = ranges;
    this.flooded = settings.watch().flood();
    this.log = log;
    this.watcher = watcher;
    this.clock = clock;
  }

  /** A row of the alarm list; shape is the priority's name, or empty. */
  public record AlertView(
      long id,
      String rule,
      String ruleName,
      String series,
      String state,
      String stateClass,
      String shape,
      String reading,
      String limit,
      String age,
      String summary,
      boolean canAcknowledge) {}

  public record LampView(String shape, int count) {}

  @GetMapping("/watch")
  String alarms(Model model, HttpServletRequest request) {
    if (request.getParameter("from") == null) {
      var asked = request.getQueryString();
      return "redirect:/watch?" + (asked == null ? "" : asked + "&") + "from=-6h&to=now";
    }
    fillAlarms(model, request);
    return "watch/alarms";
  }

  @GetMapping("/watch/list")
  String list(Model model, HttpServletRequest request) {
    fillAlarms(model, request);
    return "watch/alarms :: list";
  }

  private void fillAlarms(Model model, HttpServletRequest request) {
    long now = clock.millis();
    var zone = PagePreferences.zone(request);
    var range = ranges.of(request);
    var asked =
        new AlarmList.Asked(
            param(request, "filter", ""),
            words(param(request, "states", "")),
            param(request, "group", "rule"),
            param(request, "sort", "priority"),
            range,
            zone);
    var view = list.view(asked);
    model.addAttribute("view", view);
    model.addAttribute("asked", asked);
    model.addAttribute("ticks", StripAxis.of(range, zone));
    model.addAttribute("watching", quiet.watching());
    model.addAttribute("checked", checked(now));
    boolean plain = request.getParameter("plain") != null;
    var raised = log.raised(now - Durations.HOUR, now + 1, MAX_RAISED);
    var flood = FloodView.of(raised, log.notNormal(), flooded, zone, now);
    model.addAttribute("flood", plain ? null : flood);
    model.addAttribute("inFlood", flood != null);
    if (view.total() <= FEW) {
      model.addAttribute("quiet", quiet.view(range, zone));
    }
  }

  private static String param(HttpServletRequest request, String name, String otherwise) {
    var value = request.getParameter(name);
    return value == null || value.isBlank() ? otherwise : value.strip();
  }

  private static Set<String> words(String text) {
    return text.isEmpty() ? Set.of() : new HashSet<>(Arrays.asList(text.split(",")));
  }

  /** When checks were made last, and whether that is too long ago. */
  public record Checked(String words, boolean late) {}

  private static boolean isChecked(WatchedRule w) {
    return w.pause.isEmpty() && !w.wanted.paused();
  }

  private Checked checked(long now) {
    if (watcher.rules().stream().noneMatch(WatchController::isChecked)) {
      return new Checked("", false);
    }
    var rules = watcher.checkedHere().stream().filter(WatchController::isChecked).toList();
    if (rules.isEmpty()) {
      return new Checked("Checked by another server", false);
    }
    long last = rules.stream().mapToLong(w -> w.checkedUntil + w.wanted.behind()).max().orElse(0);
    long shortest = rules.stream().mapToLong(w -> w.wanted.every()).min().orElse(0);
    if (last <= Durations.HOUR) {
      return new Checked("Not checked yet", false);
    }
    long ago = Math.max(0, now - last) / 1000 * 1000;
    boolean late = ago > Math.max(Durations.MINUTE, 3 * shortest);
    var since = ago == 0 ? "now" : Durations.words(ago) + " ago";
    return late
        ? new Checked("Not checked for " + Durations.words(ago), true)
        : new Checked("Checked " + since, false);
  }

  static AlertView view(AlertLog.Alert a, long now) {
    return new AlertView(
        a.id(),
        a.rule().title(),
        a.rule().name(),
        a.labels().isEmpty() ? "all" : a.labels().toString(),
        a.state().text(),
        a.state().name().toLowerCase(Locale.ROOT),
        a.priority() == null ? "" : a.priority().text(),
        AlarmList.reading(a),
        a.limit(),
        Durations.words(Math.max(0, now - (a.raisedAt() > 0 ? a.raisedAt() : a.since()))),
        AlarmList.summary(a),
        a.state() == WatchState.RAISED);
  }

  /** Acknowledges one alert; the answer is the list. */
  @PostMapping("/watch/alerts/{id}/acknowledge")
  String acknowledge(
      @PathVariable long id,
      @RequestParam(defaultValue = "") String note,
      Model model,
      HttpServletRequest request,
      HttpServletResponse response) {
    try {
      watcher.acknowledge(id, CurrentUser.name(), note.strip());
    } catch (IllegalStateException e) {
      // Someone was faster, or it has cleared: the list shows it.
      response.setStatus(409);
      model.addAttribute("fault", e.getMessage());
    }
    fillAlarms(model, request);
    return "watch/alarms :: list";
  }

  @GetMapping("/lamp")
  String lamp(Model model) {
    var counts = log.lamp();
    var views = new ArrayList<LampView>();
    for (var p : Priority.values()) {
      if (counts.getOrDefault(p, 0) > 0) {
        views.add(new LampView(p.text(), counts.get(p)));
      }
    }
    model.addAttribute("lamp", views);
    return "layout/parts :: lamp";
  }
}
