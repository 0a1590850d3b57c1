package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.collect.Diagnosis;
import vintrel.core.collect.Diagnosis.Station;
import vintrel.core.series.Labels;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.server.access.TokenSpec;
import vintrel.server.access.Tokens;
import vintrel.server.define.Definitions;
import vintrel.server.store.NamedStores;
import vintrel.server.web.AccessLog;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;
import vintrel.server.web.TokenCheck.Right;

/**
 * Connect a source: the ways in, a token made on the spot, what to start, and whether it arrived.
 * An editor may create tokens that only send.
 */
@Controller
class ConnectController {
  private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("HH:mm:ss", Locale.UK);
  private static final int MAX_ATTEMPTS = 5;

  private static final int MAX_NAME = 100;

  /** After so long without an attempt, usual causes are listed. */
  private static final long PATIENCE_MS = 2 * Durations.MINUTE;

  private final Tokens tokens;
  private final Attempts attempts;
  private final SourceBook book;
  private final SampleStore store;
  private final NamedStores stores;
  private final Definitions definitions;
  private final GrpcIngest grpc;
  private final SourceMetrics sourceMetrics;
  private final SourceActions actions;
  private final Clock clock;

  ConnectController(
      Tokens tokens,
      Attempts attempts,
      SourceBook book,
      SampleStore store,
      NamedStores stores,
      Definitions definitions,
      GrpcIngest grpc,
      SourceMetrics sourceMetrics,
      SourceActions actions,
      Clock clock) {
    this.grpc = grpc;
    this.sourceMetrics = sourceMetrics;
    this.actions = actions;
    this.definitions = definitions;
    this.tokens = tokens;
    this.attempts = attempts;
    this.book = book;
    this.store = store;
    this.stores = stores;
    this.clock = clock;
  }

  /** A way to connect, in the list at the left. */
  public record Choice(String id, String title, String about) {}

  static final List<Choice> CHOICES =
      List.of(
          new Choice("application", "Application (push)", "OTLP over HTTP or gRPC"),
          new Choice("endpoint", "An endpoint is scraped", "OpenMetrics pages"),
          new Choice("check", "An address is checked", "HTTP, TCP, DNS, certificates, SQL"),
          new Choice("host", "A collector on a host", "CPU, memory, disks, network"),
          new Choice("database", "A database is queried", "SQL, or another Vintrel server"),
          new Choice("device", "A device speaks MQTT", "values and labels from topics"),
          new Choice("value", "One value from a shell", "curl, cron, a script"),
          new Choice("events", "Events", "OTLP logs"),
          new Choice("files", "Files of the past", "CSV and OpenMetrics text"));

  @GetMapping("/collect/connect")
  String page(
      @RequestParam(defaultValue = "application") String way,
      Model model,
      HttpServletRequest request) {
    fill(way, model, request, Typed.NOTHING, new Tokens.Created(0, ""), "");
    return "collect/connect";
  }

  /** What was typed about the source. */
  public record Typed(String name, String store, String labels, String speaks) {
    static final Typed NOTHING = new Typed("", "", "", "http");
  }

  private void fill(
      String way,
      Model model,
      HttpServletRequest request,
      Typed typed,
      Tokens.Created created,
      String fault) {
    var name = typed.name();
    var token = created.token();
    var known = CHOICES.stream().anyMatch(c -> c.id().equals(way)) ? way : "application";
    model.addAttribute("timeless", true);
    model.addAttribute("choices", CHOICES);
    model.addAttribute("way", known);
    model.addAttribute("base", base(request));
    model.addAttribute("name", name);
    model.addAttribute("typed", typed);
    model.addAttribute("token", token);
    model.addAttribute("tokenId", created.id());
    var shown = token.isEmpty() ? "" : token.substring(0, 7) + "…";
    model.addAttribute("tokenShort", shown);
    var languages = Snippets.of(known, base(request), grpc(request), name, shown);
    model.addAttribute("languages", languages);
    boolean offered = languages.stream().anyMatch(l -> l.id().equals(typed.speaks()));
    model.addAttribute(
        "speaks", offered || languages.isEmpty() ? typed.speaks() : languages.getFirst().id());
    model.addAttribute("added", labelViews(typed.labels(), fault));
    model.addAttribute("fault", fault);
    model.addAttribute("since", clock.millis());
    model.addAttribute("storeNames", stores.all().stream().map(NamedStores.Named::name).toList());
    model.addAttribute("arrival", arrival(name, created.id(), clock.millis(), request));
    model.addAttribute("source", name);
    model.addAttribute("sourceId", created.id());
  }

  /** The labels that a token adds, each as its row of chips shows it. */
  private static List<String> labelViews(String labels, String fault) {
    return fault.isEmpty()
        ? TokenSpec.labels(labels).asMap().entrySet().stream()
            .map(l -> l.getKey() + " = " + l.getValue())
            .toList()
        : List.of();
  }

  /** Creates a token that only sends, for the source that is connected. */
  @PostMapping("/collect/connect/token")
  String token(
      @RequestParam String way,
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "") String store,
      @RequestParam(defaultValue = "") String labels,
      @RequestParam(defaultValue = "http") String speaks,
      Model model,
      HttpServletRequest request) {
    var typed = new Typed(name.strip(), store.strip(), labels.strip(), speaks);
    try {
      if (typed.name().isEmpty() || typed.name().length() > MAX_NAME) {
        throw new IllegalArgumentException(
            "Name the source, with at most %d characters.".formatted(MAX_NAME));
      }
      var spec =
          new TokenSpec(name, EnumSet.of(Right.METRICS, Right.EVENTS), typed.store())
              .adding(TokenSpec.labels(labels));
      var made = tokens.create(spec, way.equals("device") ? "devices" : "", CurrentUser.name());
      AccessLog.done(CurrentUser.name(), "created the token " + name.strip() + " (send)");
      fill(way, model, request, typed, made, "");
    } catch (IllegalArgumentException e) {
      fill(way, model, request, typed, new Tokens.Created(0, ""), e.getMessage());
    }
    return "collect/connect";
  }

  /** A station of the way in; light is ok, bad or wait. */
  public record StationView(String title, String light, String text) {}

  /** An attempt in the list. */
  public record AttemptView(String time, String light, int status, String text) {}

  /**
   * What the panel shows.
   *
   * @param light wait, bad or ok
   * @param text what is wrong, or empty
   * @param head the first lines of what came instead, or empty
   * @param scrape whether a scrape job would read it
   * @param labels which labels the metrics have, in a sentence
   * @param unitless a metric that came without a unit, or empty
   */
  public record Arrival(
      String light,
      String title,
      String about,
      List<StationView> stations,
      String text,
      String remedy,
      String head,
      boolean scrape,
      List<AttemptView> attempts,
      List<SourceMetrics.MetricView> metrics,
      String draw,
      String labels,
      String unitless,
      boolean causes) {}

  @GetMapping("/collect/connect/arrival")
  String arrival(
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "0") long id,
      @RequestParam(defaultValue = "0") long since,
      Model model,
      HttpServletRequest request) {
    // What others send, and what was wrong with it, is theirs.
    var own = tokens.isOf(CurrentUser.name(), id, name) ? name : "";
    model.addAttribute("arrival", arrival(own, id, since, request));
    model.addAttribute("source", own);
    model.addAttribute("sourceId", id);
    model.addAttribute("base", base(request));
    return "collect/connect :: arrival";
  }

  private Arrival arrival(String name, long id, long since, HttpServletRequest request) {
    long now = clock.millis();
    var zone = PagePreferences.zone(request);
    var tries = attempts.since(since, name);
    var sources = name.isEmpty() ? List.<SourceBook.Source>of() : book.of(id, name);
    var stored = sources.stream().filter(s -> s.accepted.get() > 0).toList();
    var views =
        tries.stream()
            .filter(a -> !a.ok() || !a.reason().isEmpty() || stored.isEmpty())
            .limit(MAX_ATTEMPTS)
            .map(a -> view(a, zone))
            .toList();
    if (!stored.isEmpty()) {
      return arrived(stored, tokens.find(id), views, now);
    }
    var failed = tries.stream().filter(a -> !a.ok() || !a.reason().isEmpty()).findFirst();
    if (failed.isEmpty()) {
      boolean reached = !tries.isEmpty();
      return new Arrival(
          "wait",
          reached ? "Received, nothing stored yet" : "Waiting for the first sample",
          "This page updates automatically.",
          stations(reached ? Station.STORED : Station.REACHED, "wait", null),
          "",
          "",
          "",
          false,
          views,
          List.of(),
          "",
          "",
          "",
          !reached && since > 0 && now - since > PATIENCE_MS);
    }
    var a = failed.get();
    var d =
        a.ok()
            ? new Diagnosis(Station.STORED, "Samples were rejected", a.reason() + ".", "")
            : Diagnosis.of(a.path(), a.type(), a.status(), a.reason(), a.head());
    long minute = tries.stream().filter(t -> t.at() > now - Durations.MINUTE).count();
    return new Arrival(
        "bad",
        d.title(),
        "%s in the last minute, last received %s"
            .formatted(Counts.of(minute, "attempt"), ago(now - a.at())),
        stations(d.station(), "bad", a),
        d.text(),
        d.remedy(),
        firstLines(a.head()),
        d.isPage(),
        views,
        List.of(),
        "",
        "",
        "",
        false);
  }

  private static String ago(long ms) {
    var age = Arrivals.age(ms);
    return age.equals("now") ? age : age + " ago";
  }

  private static String firstLines(String head) {
    return String.join("\n", head.lines().limit(6).toList());
  }

  private Arrival arrived(
      List<SourceBook.Source> stored, Tokens.Known token, List<AttemptView> views, long now) {
    long last = stored.stream().mapToLong(s -> s.pace.last()).max().orElse(now);
    long interval = stored.stream().mapToLong(s -> s.pace.interval()).max().orElse(0);
    int series = stored.stream().mapToInt(s -> s.series.get()).sum();
    long accepted = stored.stream().mapToLong(s -> s.accepted.get()).sum();
    long rejected = stored.stream().mapToLong(s -> s.rejected.get()).sum();
    boolean events = stored.stream().allMatch(s -> s.key.way().isEvents());
    var about =
        (events ? Counts.of(accepted, "event") : Counts.of(series, "series"))
            + (interval > 0 ? " every " + Durations.words(interval) : "")
            + ", last received "
            + ago(now - last);
    var source = stored.getFirst();
    var stations =
        List.of(
            new StationView(
                "Connection", "ok", source.address.isEmpty() ? "" : "from " + source.address),
            new StationView("Token", "ok", source.key.token() + writes(token)),
            new StationView(
                "Format",
                "ok",
                stored.stream()
                    .map(s -> s.key.way().words)
                    .distinct()
                    .collect(Collectors.joining(", "))),
            new StationView(
                events ? "Events stored" : "Samples stored",
                rejected > 0 ? "bad" : "ok",
                "%,d%s"
                    .formatted(
                        accepted,
                        rejected > 0 ? ", %,d rejected".formatted(rejected) : ", none rejected")));
    var metrics = sourceMetrics.metrics(stored);
    var draw = metrics.isEmpty() ? "" : metrics.getFirst().query();
    var why = stored.stream().map(s -> s.why).filter(w -> !w.isEmpty()).findFirst().orElse("");
    return new Arrival(
        "ok",
        "It arrives",
        about,
        stations,
        why,
        "",
        "",
        false,
        views,
        metrics,
        draw,
        sourceMetrics.labels(metrics, token == null ? Labels.NONE : token.labels()),
        metrics.stream()
            .filter(SourceMetrics.MetricView::unitless)
            .map(SourceMetrics.MetricView::name)
            .findFirst()
            .orElse(""),
        false);
  }

  private static String writes(Tokens.Known token) {
    return token == null || token.store().isEmpty() ? "" : ", writes to " + token.store();
  }

  /** Makes a dashboard of what a source sends. */
  @PostMapping("/collect/connect/dashboard")
  String dashboard(@RequestParam String name, @RequestParam(defaultValue = "0") long id) {
    return "redirect:" + actions.dashboard(name, own(name, id));
  }

  /** Makes the rule that is raised when a source sends nothing any more. */
  @PostMapping("/collect/connect/rule")
  String rule(@RequestParam String name, @RequestParam(defaultValue = "0") long id) {
    return "redirect:" + actions.rule(name, own(name, id));
  }

  private List<SourceBook.Source> own(String name, long id) {
    if (!tokens.isOf(CurrentUser.name(), id, name)) {
      throw new IllegalArgumentException("this is another person's source");
    }
    return book.of(id, name);
  }

  /** The stations, well up to one. */
  private static List<StationView> stations(
      Station failed, String light, Attempts.Attempt attempt) {
    var out = new ArrayList<StationView>();
    for (var station : Station.values()) {
      int order = station.compareTo(failed);
      boolean waits = order > 0 || order == 0 && attempt == null;
      var own = order < 0 ? "ok" : waits ? "wait" : light;
      var title =
          switch (station) {
            case REACHED -> "Connection";
            case TOKEN -> "Token";
            case CONTENT -> "Format";
            case STORED -> "Samples stored";
          };
      var text =
          attempt == null || order > 0
              ? ""
              : switch (station) {
                case REACHED -> "from " + attempt.address();
                case TOKEN -> order == 0 ? "no" : attempt.token();
                case CONTENT -> order == 0 ? attempt.type() : "";
                case STORED -> "none so far";
              };
      out.add(new StationView(title, own, text));
    }
    return out;
  }

  private static AttemptView view(Attempts.Attempt a, ZoneId zone) {
    var size = a.bytes() >= 0 ? ", " + Units.format(a.bytes(), "By") : "";
    return new AttemptView(
        TIME.format(Instant.ofEpochMilli(a.at()).atZone(zone)),
        a.ok() ? a.reason().isEmpty() ? "ok" : "late" : "bad",
        a.status(),
        a.ok() && a.reason().isEmpty() ? "accepted" + size : a.reason());
  }

  /** The address for OTLP over gRPC, or empty if that is off. */
  private String grpc(HttpServletRequest request) {
    int port = grpc.port();
    return port <= 0 ? "" : "http://" + host(request) + ":" + port;
  }

  private static String host(HttpServletRequest request) {
    var host = request.getServerName();
    return host.matches("[A-Za-z0-9.:\\[\\]-]{1,255}") ? host : "localhost";
  }

  /** The address of this server as the person sees it. */
  static String base(HttpServletRequest request) {
    int port = request.getServerPort();
    boolean usual = port == (request.getScheme().equals("https") ? 443 : 80);
    return request.getScheme() + "://" + host(request) + (usual ? "" : ":" + port);
  }
}
