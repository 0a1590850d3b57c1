package vintrel.server.tell;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.regex.Pattern;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.series.Labels;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.Pacing;
import vintrel.core.tell.Shelf;
import vintrel.core.watch.Priority;
import vintrel.server.web.CurrentUser;

/** Shelves, and who would be notified, for programs. */
@RestController
class NotifyApi {
  private static final int MAX_LABELS = 100;

  /** Since 2001, in ms. */
  private static final Pattern MILLIS = Pattern.compile("\\d{12,15}");

  private final Router router;
  private final Shelves shelves;
  private final Clock clock;

  NotifyApi(Router router, Shelves shelves, Clock clock) {
    this.router = router;
    this.shelves = shelves;
    this.clock = clock;
  }

  /**
   * @param at when, as ISO 8601 or ms; null: now
   */
  record Tried(Map<String, String> labels, Object at) {}

  @PostMapping("/api/v1/notify/try")
  Map<String, Object> tryIt(@RequestBody(required = false) Tried body) {
    if (body == null || body.labels() == null || body.labels().size() > MAX_LABELS) {
      throw new IllegalArgumentException("`labels` needs an object of 1 to 100 labels");
    }
    long at = body.at() == null ? clock.millis() : time(body.at().toString());
    var labels = Labels.of(new TreeMap<>(body.labels()));
    var plan = router.plan(at);
    var rows = plan.rows("", labels, priority(labels), at);
    var out = new LinkedHashMap<String, Object>();
    out.put("rows", rows.stream().map(NotifyApi::row).toList());
    out.put("deliveries", deliveries(plan, rows, priority(labels), at));
    return out;
  }

  /** The priority that labels name; null if they name none. */
  static Priority priority(Labels labels) {
    var text = labels.get("priority");
    for (var p : Priority.values()) {
      if (text != null && p.text().equals(text.toLowerCase(Locale.ROOT))) {
        return p;
      }
    }
    return null;
  }

  private static Map<String, Object> row(DeliveryPlan.Row r) {
    var out = new LinkedHashMap<String, Object>();
    out.put("route", r.route().name());
    out.put("verdict", r.verdict().text());
    out.put("why", r.why());
    return out;
  }

  private static List<Map<String, Object>> deliveries(
      DeliveryPlan plan, List<DeliveryPlan.Row> rows, Priority priority, long at) {
    var out = new ArrayList<Map<String, Object>>();
    for (var row : rows) {
      long wait = wait(row.route().pacing(), priority);
      for (var recipient : row.recipients()) {
        for (var send : plan.sends(recipient, priority, at + wait)) {
          var each = new LinkedHashMap<String, Object>();
          each.put("recipient", recipient);
          each.put("channel", send.channel().kind());
          each.put("at", Instant.ofEpochMilli(send.at()).toString());
          each.put("why", "row " + row.route().name() + (wait > 0 ? ", after its first wait" : ""));
          out.add(each);
        }
      }
    }
    return out;
  }

  static long wait(Pacing pacing, Priority priority) {
    return priority == Priority.CRITICAL ? 0 : pacing.firstWait();
  }

  @GetMapping("/api/v1/shelves")
  List<Map<String, Object>> all() {
    return shelves.inForce().stream().map(NotifyApi::json).toList();
  }

  /**
   * @param until a duration such as 2h, an ISO time or ms
   */
  record Wanted(String when, String reason, Object until, Boolean critical) {}

  @PostMapping("/api/v1/shelves")
  ResponseEntity<Map<String, Object>> add(@RequestBody(required = false) Wanted body) {
    if (body == null || body.when() == null || body.until() == null) {
      throw new IllegalArgumentException(
          "`when` needs a condition and `until` a time or a duration such as 2h");
    }
    var reason = body.reason() == null ? "" : body.reason().strip();
    long id =
        shelves.shelve(
            body.when().strip(),
            reason,
            CurrentUser.name(),
            end(body.until().toString()),
            Boolean.TRUE.equals(body.critical()));
    return shelves.inForce().stream()
        .filter(s -> s.id() == id)
        .findFirst()
        .map(s -> ResponseEntity.status(HttpStatus.CREATED).body(json(s)))
        .orElseThrow();
  }

  @DeleteMapping("/api/v1/shelves/{id}")
  ResponseEntity<Map<String, Object>> end(@PathVariable long id) {
    return shelves.end(id, CurrentUser.name())
        ? ResponseEntity.noContent().build()
        : ResponseEntity.status(HttpStatus.NOT_FOUND)
            .body(
                Map.of(
                    "error",
                    Map.of("code", "not.found", "text", "no shelf " + id + " is in force")));
  }

  private static long time(String text) {
    try {
      return MILLIS.matcher(text).matches()
          ? Long.parseLong(text)
          : Instant.parse(text).toEpochMilli();
    } catch (DateTimeParseException e) {
      throw new IllegalArgumentException(
          "`at` must be a time such as 2026-11-25T08:00:00Z, or ms, not '"
              + Outbox.cut(text, 50)
              + "'");
    }
  }

  private long end(String text) {
    return MILLIS.matcher(text).matches()
        ? Long.parseLong(text)
        : ShelfEnd.of(text, clock.millis(), ZoneOffset.UTC);
  }

  private static Map<String, Object> json(Shelf s) {
    var out = new LinkedHashMap<String, Object>();
    out.put("id", s.id());
    out.put("when", s.whenText().isEmpty() ? null : s.whenText());
    out.put("alert", s.alert().isEmpty() ? null : s.alert());
    out.put("reason", s.reason());
    out.put("by", s.author());
    out.put("from", Instant.ofEpochMilli(s.from()).toString());
    out.put("until", Instant.ofEpochMilli(s.until()).toString());
    out.put("critical", s.critical());
    return out;
  }
}
