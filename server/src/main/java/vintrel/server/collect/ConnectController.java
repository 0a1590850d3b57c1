package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.collect.Diagnosis;
import vintrel.core.collect.Diagnosis.Station;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;
import vintrel.server.access.TokenSpec;
import vintrel.server.access.Tokens;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
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
  private static final int MAX_METRICS = 8;

  private static final int MAX_NAME = 100;

  /** Series of a metric whose labels are named. */
  private static final int MAX_LABELLED = 200;

  /** After so long without an attempt, usual causes are listed. */
  private static final long PATIENCE_MS = 2 * Durations.MINUTE;

  private static final long DRAWN_MS = 15 * Durations.MINUTE;
  private static final int SPARK_WIDTH = 60;
  private static final int SPARK_HEIGHT = 16;

  private final Tokens tokens;
  private final Attempts attempts;
  private final SourceBook book;
  private final SampleStore store;
  private final NamedStores stores;
  private final Definitions definitions;
  private final GrpcIngest grpc;
  private final Resources resources;
  private final Clock clock;

  ConnectController(
      Tokens tokens,
      Attempts attempts,
      SourceBook book,
      SampleStore store,
      NamedStores stores,
      Definitions definitions,
      GrpcIngest grpc,
      Resources resources,
      Clock clock) {
    this.grpc = grpc;
    this.resources = resources;
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

  /** A metric that arrived. */
  public record MetricView(
      String name, int series, String kind, String spark, String query, boolean unitless) {}

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
      List<MetricView> metrics,
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
        d.title().startsWith("A metrics page"),
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
    var metrics = metrics(stored, now);
    var draw = metrics.isEmpty() ? "" : metrics.getFirst().query();
    var why = stored.stream().map(s -> s.why).filter(w -> !w.isEmpty()).findFirst().orElse("");
    return new Arrival(
        "ok",
        "Receiving data",
        about,
        stations,
        why,
        "",
        "",
        false,
        views,
        metrics,
        draw,
        labels(metrics, token == null ? Labels.NONE : token.labels()),
        metrics.stream().filter(MetricView::unitless).map(MetricView::name).findFirst().orElse(""),
        false);
  }

  private List<MetricView> metrics(List<SourceBook.Source> stored, long now) {
    var counts = new TreeMap<String, Integer>();
    stored.forEach(s -> s.metrics().forEach((m, n) -> counts.merge(m, n, Integer::sum)));
    var out = new ArrayList<MetricView>();
    for (var e : counts.entrySet()) {
      if (out.size() == MAX_METRICS) {
        break;
      }
      var series = store.select("", e.getKey(), Condition.ALL);
      if (series.isEmpty()) {
        continue;
      }
      var first = series.getFirst();
      var kind = first.kind().name().toLowerCase(Locale.ROOT);
      var unit = Units.words(first.unit());
      var query =
          Printer.name(e.getKey()) + (first.kind() == MetricKind.COUNTER ? " then rate" : "");
      out.add(
          new MetricView(
              e.getKey(),
              e.getValue(),
              unit.isEmpty() ? kind : kind + ", " + unit,
              spark(first, now),
              query,
              unit.isEmpty() && first.kind() != MetricKind.STATE));
    }
    return out;
  }

  private static String writes(Tokens.Known token) {
    return token == null || token.store().isEmpty() ? "" : ", writes to " + token.store();
  }

  /**
   * The names of the labels that the metrics have.
   *
   * @param added by the token; one that has other values, too, is the sender's own
   */
  private String labels(List<MetricView> metrics, Labels added) {
    var values = new TreeMap<String, Set<String>>();
    var aside = new TreeSet<String>();
    for (var m : metrics) {
      var some = store.select("", m.name(), Condition.ALL).stream().limit(MAX_LABELLED).toList();
      some.stream()
          .flatMap(s -> s.labels().asMap().entrySet().stream())
          .forEach(l -> values.computeIfAbsent(l.getKey(), k -> new HashSet<>()).add(l.getValue()));
      some.stream().limit(1).forEach(s -> aside.addAll(resources.aside(s.labels())));
    }
    var byToken =
        added.names().stream().filter(n -> Set.of(added.get(n)).equals(values.get(n))).toList();
    values.keySet().removeAll(byToken);
    return "Labels: "
        + (values.isEmpty() ? "none" : String.join(", ", values.keySet()))
        + (byToken.isEmpty() ? "" : "; added by the token: " + String.join(", ", byToken))
        + (aside.isEmpty()
            ? "."
            : ". Resource attributes without a label: "
                + String.join(", ", aside)
                + "; Resources can change that.")
        + (values.containsKey("process.pid")
            ? " Each restart makes new series, since process.pid is a label: set"
                + " service.instance.id."
            : "");
  }

  /** Makes a dashboard of what a source sends: a panel per metric. */
  @PostMapping("/collect/connect/dashboard")
  String dashboard(@RequestParam String name, @RequestParam(defaultValue = "0") long id) {
    var own = tokens.isOf(CurrentUser.name(), id, name) ? name : "";
    var stored = book.of(id, own).stream().filter(s -> s.accepted.get() > 0).toList();
    var kinds = new TreeMap<String, MetricKind>();
    if (!own.isEmpty()) {
      for (var s : stored) {
        for (var metric : s.metrics().keySet()) {
          store.select("", metric, Condition.ALL).stream()
              .findFirst()
              .ifPresent(series -> kinds.put(metric, series.kind()));
        }
      }
    }
    var panels = SourceDashboard.panels(kinds).stream().limit(MAX_METRICS).toList();
    if (panels.isEmpty()) {
      throw new IllegalArgumentException("nothing has arrived from `" + name + "` yet");
    }
    var free = free("dashboard", name);
    var made = Dashboard.empty(free, name).withPairs(panels);
    definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/dashboards/" + free;
  }

  /** Makes the rule that tells when a source sends nothing any more. */
  @PostMapping("/collect/connect/rule")
  String rule(@RequestParam String name, @RequestParam(defaultValue = "0") long id) {
    if (!tokens.isOf(CurrentUser.name(), id, name)) {
      throw new IllegalArgumentException("this is another person's source");
    }
    var free = free("rule", name + "-silent");
    var rule = new LinkedHashMap<String, Object>();
    rule.put("kind", "rule");
    rule.put("name", free);
    rule.put("title", name + ": no data");
    rule.put(
        "query",
        "vintrel.source.last in vintrel where token = '%s' then since"
            .formatted(name.replace("'", "")));
    rule.put("unit", "s");
    rule.put("every", "15s");
    rule.put("limits", List.of(Map.of("above", silence(name, id), "priority", "high")));
    definitions.save(
        JsonMapper.shared().writeValueAsString(rule), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/watch/rules/" + free;
  }

  /** Seconds without samples that are unusual for a source: a day before its pace is known. */
  private long silence(String name, long id) {
    long interval = book.of(id, name).stream().mapToLong(s -> s.pace.interval()).max().orElse(0);
    long ms = interval == 0 ? Durations.DAY : Math.max(5 * Durations.MINUTE, 3 * interval);
    return ms / Durations.SECOND;
  }

  /** A name that no definition of a kind has yet. */
  private String free(String kind, String wanted) {
    var base =
        wanted.toLowerCase(Locale.ROOT).replaceAll("[^a-z0-9]+", "-").replaceAll("^-+|-+$", "");
    base = base.isEmpty() ? "source" : base.substring(0, Math.min(60, base.length()));
    var name = base;
    for (int i = 2; definitions.isDefined(kind, name); i++) {
      name = base + "-" + i;
    }
    return name;
  }

  /** A line of the latest samples of a series, as a path. */
  private String spark(Series series, long now) {
    var samples = store.read(List.of(series), now - DRAWN_MS, now + 1).getFirst();
    double min = Double.MAX_VALUE;
    double max = -Double.MAX_VALUE;
    for (int i = 0; i < samples.count(); i++) {
      double v = samples.values()[i];
      if (Double.isFinite(v)) {
        min = Math.min(min, v);
        max = Math.max(max, v);
      }
    }
    if (samples.count() == 0 || min > max) {
      return "";
    }
    long from = samples.times()[0];
    double span = Math.max(1, samples.lastTime() - from);
    var path = new StringBuilder();
    for (int i = 0; i < samples.count(); i++) {
      double v = samples.values()[i];
      if (Double.isFinite(v)) {
        double x = 1 + (samples.times()[i] - from) / span * (SPARK_WIDTH - 2);
        double share = max > min ? (v - min) / (max - min) : 0.5;
        double y = SPARK_HEIGHT - 2 - share * (SPARK_HEIGHT - 4);
        path.append(String.format(Locale.ROOT, "%s%.1f %.1f", path.isEmpty() ? "M" : "L", x, y));
      }
    }
    return samples.count() == 1 ? path + "h2" : path.toString();
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
