package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import vintrel.core.tell.MessageText;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;
import vintrel.core.watch.WatchState;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** The pages of Watch: alarm list, rules, an alert's history; and the lamp. */
@Controller
class WatchController {
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm:ss", Locale.ENGLISH);

  /** Rows of a list that is drawn again every three seconds; the most urgent come first. */
  private static final int MAX_ROWS = 300;

  private final AlertLog log;
  private final Watcher watcher;
  private final Clock clock;

  WatchController(AlertLog log, Watcher watcher, Clock clock) {
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

  public record StepView(
      String time, String change, String from, String to, String value, String why, String shape) {}

  @GetMapping("/watch")
  String alarms(Model model) {
    fillAlarms(model);
    return "watch/alarms";
  }

  @GetMapping("/watch/list")
  String list(Model model) {
    fillAlarms(model);
    return "watch/alarms :: list";
  }

  private void fillAlarms(Model model) {
    long now = clock.millis();
    var notNormal = log.notNormal();
    var active = notNormal.stream().filter(a -> a.state().isActive()).toList();
    var others = notNormal.stream().filter(a -> !a.state().isActive()).toList();
    model.addAttribute("alerts", views(active, now));
    model.addAttribute("moreAlerts", Math.max(0, active.size() - MAX_ROWS));
    model.addAttribute("others", views(others, now));
    model.addAttribute("moreOthers", Math.max(0, others.size() - MAX_ROWS));
    var rules = watcher.rules();
    int series = rules.stream().mapToInt(r -> r.series.size()).sum();
    model.addAttribute(
        "watching",
        "%s %s %s."
            .formatted(
                Counts.of(rules.size(), "rule"),
                rules.size() == 1 ? "watches" : "watch",
                Counts.of(series, "series")));
  }

  private static List<AlertView> views(List<AlertLog.Alert> alerts, long now) {
    return alerts.stream().limit(MAX_ROWS).map(a -> view(a, now)).toList();
  }

  static AlertView view(AlertLog.Alert a, long now) {
    var fields =
        Map.<String, Object>of(
            "labels", a.labels().asMap(),
            "value", Units.format(a.value(), a.rule().unit()),
            "limit", a.limit());
    var summary = MessageText.render(a.rule().summary(), fields, "");
    return new AlertView(
        a.id(),
        a.rule().title(),
        a.rule().name(),
        a.labels().isEmpty() ? "all" : a.labels().toString(),
        a.state().text(),
        a.state().name().toLowerCase(Locale.ROOT),
        a.priority() == null ? "" : a.priority().text(),
        reading(a),
        a.limit(),
        Durations.words(Math.max(0, now - (a.raisedAt() > 0 ? a.raisedAt() : a.since()))),
        summary,
        a.state() == WatchState.RAISED);
  }

  /** The latest value; where the latest check found none, for how long there has been none. */
  private static String reading(AlertLog.Alert a) {
    var value = Units.format(a.value(), a.rule().unit());
    if (a.missingFor() == 0) {
      return value;
    }
    var absence = "no data for " + Durations.words(a.missingFor());
    return Double.isNaN(a.value()) ? absence : value + ", then " + absence;
  }

  @PostMapping("/watch/alerts/{id}/acknowledge")
  String acknowledge(
      @PathVariable long id,
      @RequestParam(defaultValue = "list") String page,
      Model model,
      HttpServletRequest request,
      HttpServletResponse response) {
    try {
      watcher.acknowledge(id, CurrentUser.name());
    } catch (IllegalStateException e) {
      // Someone was faster, or it has cleared: the page shows it.
      response.setStatus(409);
      model.addAttribute("fault", e.getMessage());
      if (page.equals("alert")) {
        return alert(id, model, request);
      }
    }
    if (page.equals("alert")) {
      return "redirect:/watch/alerts/" + id;
    }
    fillAlarms(model);
    return "watch/alarms :: list";
  }

  @GetMapping("/watch/alerts/{id}")
  String alert(@PathVariable long id, Model model, HttpServletRequest request) {
    var alert = log.byId(id);
    if (alert == null) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    ZoneId zone = PagePreferences.zone(request);
    model.addAttribute("alert", view(alert, clock.millis()));
    model.addAttribute("query", alert.rule().query());
    model.addAttribute("runbook", alert.rule().runbook());
    model.addAttribute("owner", alert.rule().owner());
    model.addAttribute(
        "history",
        log.history(alert.rule().name(), alert.labels(), 200).stream()
            .map(
                p ->
                    new StepView(
                        TIME.format(Instant.ofEpochMilli(p.at()).atZone(zone)),
                        p.change().text(),
                        p.from().text(),
                        p.to().text(),
                        Units.format(p.value(), alert.rule().unit()),
                        p.why(),
                        p.change() == Change.RAISED || p.change() == Change.ESCALATED
                            ? p.priority().toLowerCase(Locale.ROOT)
                            : ""))
            .toList());
    return "watch/alert";
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

  @GetMapping("/api/v1/alerts")
  @ResponseBody
  List<Map<String, Object>> api() {
    return log.notNormal().stream()
        .map(
            a -> {
              var out = new LinkedHashMap<String, Object>();
              out.put("id", a.id());
              out.put("rule", a.rule().name());
              out.put("labels", a.labels().asMap());
              out.put("state", a.state().text());
              out.put("priority", a.priority() == null ? null : a.priority().text());
              out.put("value", Double.isNaN(a.value()) ? null : a.value());
              out.put("since", Instant.ofEpochMilli(a.since()).toString());
              out.put(
                  "raised",
                  a.raisedAt() == 0 ? null : Instant.ofEpochMilli(a.raisedAt()).toString());
              return (Map<String, Object>) out;
            })
        .toList();
  }
}
