package vintrel.server.tell;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.series.Labels;
import vintrel.core.tell.DeliveryPlan;
import vintrel.core.tell.Recipient;
import vintrel.core.tell.Route;
import vintrel.core.tell.RoutingTable;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;
import vintrel.server.define.Definitions;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** The page Notify: routing, recipients, deliveries. */
@Controller
class NotifyController {
  private static final int SHOWN = 100;
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("d MMM HH:mm:ss", Locale.ENGLISH);

  private final Definitions definitions;
  private final Database database;
  private final Dispatcher dispatcher;
  private final Clock clock;
  private final ChannelConnection connection;
  private final Outbox outbox;
  private final Router router;

  NotifyController(
      Definitions definitions,
      Database database,
      Dispatcher dispatcher,
      ChannelConnection connection,
      Outbox outbox,
      Router router,
      Clock clock) {
    this.router = router;
    this.outbox = outbox;
    this.connection = connection;
    this.dispatcher = dispatcher;
    this.definitions = definitions;
    this.database = database;
    this.clock = clock;
  }

  public record RowView(
      String name, String when, String to, String pace, boolean more, String verdict) {}

  public record RecipientView(String name, String title, List<String> channels) {}

  public record DeliveryView(
      long id,
      String time,
      String change,
      String subject,
      String recipient,
      String channel,
      String state,
      int attempts,
      String answer) {}

  @GetMapping("/notify")
  String page(Model model, HttpServletRequest request) {
    model.addAttribute("routes", routes(null));
    model.addAttribute("recipients", recipients());
    model.addAttribute("deliveries", deliveries(PagePreferences.zone(request)));
    model.addAttribute("tried", "");
    model.addAttribute("told", List.of());
    model.addAttribute("fault", "");
    return "tell/notify";
  }

  @GetMapping("/notify/deliveries")
  String deliveries(Model model, HttpServletRequest request) {
    model.addAttribute("deliveries", deliveries(PagePreferences.zone(request)));
    return "tell/notify :: deliveries";
  }

  /** Labels typed as {@code site=north-quay, priority=high}: who would be notified, and why. */
  @GetMapping("/notify/try")
  String tryIt(@RequestParam(defaultValue = "") String labels, Model model) {
    var map = new TreeMap<String, String>();
    String fault = "";
    for (var pair : labels.split(",")) {
      int equals = pair.indexOf('=');
      if (equals > 0) {
        map.put(pair.substring(0, equals).strip(), pair.substring(equals + 1).strip());
      } else if (!pair.isBlank()) {
        fault =
            "write labels as name=value, separated by commas; `"
                + pair.strip()
                + "` is not a name=value pair";
      }
    }
    boolean asked = !labels.isBlank() && fault.isEmpty();
    var rows = asked ? tried(Labels.of(map)) : null;
    model.addAttribute("routes", routes(rows));
    model.addAttribute("tried", labels);
    model.addAttribute("told", rows == null ? List.of() : told(rows));
    model.addAttribute("fault", fault);
    return "tell/notify :: routing";
  }

  /** Tests the connections of a recipient's channels; sends no message. */
  @PostMapping("/notify/recipients/{name}/test")
  String test(@PathVariable String name, Model model) {
    model.addAttribute("channels", known(name).channels().stream().map(connection::of).toList());
    return "tell/notify :: tested";
  }

  /** Sends a test message to each channel of a recipient. */
  @PostMapping("/notify/recipients/{name}/message")
  String message(@PathVariable String name, Model model) {
    var recipient = known(name);
    database.run(s -> outbox.test(s, recipient, CurrentUser.name()));
    AccessLog.done(CurrentUser.name(), "sent a test message to " + name);
    model.addAttribute("sent", Counts.of(recipient.channels().size(), "test message"));
    return "tell/notify :: tested";
  }

  private Recipient known(String name) {
    return definitions.recipients().stream()
        .filter(r -> r.name().equals(name))
        .findFirst()
        .orElseThrow(
            () -> new java.util.NoSuchElementException("no recipient named `" + name + "`"));
  }

  @PostMapping("/notify/deliveries/{id}/resend")
  String resend(@PathVariable long id, Model model, HttpServletRequest request) {
    database.run(
        s -> {
          var row = s.get(DeliveryRow.class, id);
          if (row != null && !row.state.equals(DeliveryRow.QUEUED)) {
            row.state = DeliveryRow.QUEUED;
            row.nextAt = clock.millis();
            s.update(row);
          }
        });
    return deliveries(model, request);
  }

  @GetMapping("/api/v1/deliveries")
  @ResponseBody
  List<Map<String, Object>> api() {
    return rows().stream()
        .map(
            r -> {
              var out = new LinkedHashMap<String, Object>();
              out.put("id", r.id);
              out.put("time", Instant.ofEpochMilli(r.madeAt).toString());
              out.put("rule", r.rule);
              out.put("series", r.series);
              out.put("change", r.change);
              out.put("recipient", r.recipient);
              out.put("channel", r.channel);
              out.put("subject", r.subject);
              out.put(
                  "state",
                  dispatcher.isInFlight(r.id) ? "sending" : r.state.toLowerCase(Locale.ROOT));
              out.put("attempts", r.attempts);
              out.put("answer", r.answer);
              return (Map<String, Object>) out;
            })
        .toList();
  }

  private List<DeliveryPlan.Row> tried(Labels labels) {
    long now = clock.millis();
    return router.plan(now).rows("", labels, NotifyApi.priority(labels), now);
  }

  private List<String> told(List<DeliveryPlan.Row> rows) {
    var names = rows.stream().flatMap(r -> r.recipients().stream()).toList();
    return router.plan(clock.millis()).titles(names);
  }

  /**
   * @param tried what became of each row, or null
   */
  private List<RowView> routes(List<DeliveryPlan.Row> tried) {
    RoutingTable table = definitions.routing();
    if (table == null) {
      return List.of();
    }
    var titles = router.plan(clock.millis());
    var out = new ArrayList<RowView>();
    for (int i = 0; i < table.routes().size(); i++) {
      var r = table.routes().get(i);
      out.add(
          new RowView(
              r.name(),
              r.whenText().isBlank() ? "everything else" : r.whenText(),
              String.join(", ", titles.titles(r.recipients())),
              pace(r),
              r.more(),
              tried == null ? "" : verdict(tried.get(i))));
    }
    return out;
  }

  private static String verdict(DeliveryPlan.Row row) {
    var word =
        switch (row.verdict()) {
          case MATCH -> "Matches";
          case NO -> "No";
          case NOT_REACHED -> "Not reached";
          case HUSHED -> "Hushed";
        };
    return row.why().isEmpty() ? word : word + ": " + row.why();
  }

  /** When messages of a row go, in words. */
  private static String pace(Route r) {
    var p = r.pacing();
    var out = new ArrayList<String>();
    out.add(p.by().isEmpty() ? "each alert" : "by " + String.join(", ", p.by()));
    out.add(p.firstWait() == 0 ? "at once" : "after " + Durations.words(p.firstWait()));
    if (p.repeat() > 0) {
      out.add("repeated every " + Durations.words(p.repeat()));
    }
    return String.join(", ", out);
  }

  private List<RecipientView> recipients() {
    return definitions.recipients().stream()
        .map(
            r ->
                new RecipientView(
                    r.name(),
                    r.title(),
                    r.channels().stream().map(c -> c.kind() + " " + c.shown()).toList()))
        .toList();
  }

  private String state(DeliveryRow r) {
    return switch (r.state) {
      case DeliveryRow.SENT -> "sent";
      case DeliveryRow.GIVEN_UP -> "given up";
      default -> dispatcher.isInFlight(r.id) ? "sending" : r.attempts == 0 ? "queued" : "retrying";
    };
  }

  private List<DeliveryRow> rows() {
    return database.with(
        s ->
            s.createSelectionQuery("from Delivery order by id desc", DeliveryRow.class)
                .setMaxResults(SHOWN)
                .getResultList());
  }

  private List<DeliveryView> deliveries(ZoneId zone) {
    return rows().stream()
        .map(
            r ->
                new DeliveryView(
                    r.id,
                    TIME.format(Instant.ofEpochMilli(r.madeAt).atZone(zone)),
                    r.change,
                    r.subject,
                    r.recipient,
                    r.channel,
                    state(r),
                    r.attempts,
                    r.answer))
        .toList();
  }
}
