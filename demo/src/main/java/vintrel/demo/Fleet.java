package vintrel.demo;

import static vintrel.demo.Noise.sailings;
import static vintrel.demo.Noise.slow;
import static vintrel.demo.Noise.web;
import static vintrel.demo.Noise.white;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import vintrel.demo.Signal.Kind;

/**
 * What the hosts, applications, gates and ships of Marrowsound Ferries report. Deterministic from a
 * seed, the time of the stories' end, and commands to the fleet controller.
 */
final class Fleet {
  static final long MINUTE = 60_000;
  static final long HOUR = 60 * MINUTE;
  static final long DAY = 24 * HOUR;
  static final Map<String, String> SITES =
      Map.of("north-quay", "nq", "mid-isles", "mi", "south-reach", "sr");
  private static final List<String> ROLES =
      List.of("app-1", "app-2", "app-3", "app-4", "db-1", "gate-1", "queue-1", "edge-1");
  private static final double[] BOUNDS = {0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5};
  private static final double GIB = 1024 * 1024 * 1024;

  private final long seed;
  private final long end;

  /** How long the link is out, ms. */
  static final long LINK_OUT = 12 * 60_000;

  /** 21:53 UTC. */
  private static final long LINK_DOWN = (21 * 60 + 53) * 60_000L;

  private volatile long linkDownUntil;
  private final List<Signal> signals = new ArrayList<>();
  private final List<Signal> fine = new ArrayList<>();
  private final Map<String, Long> busyUntil = new ConcurrentHashMap<>();
  private final Map<String, Long> startedAt = new ConcurrentHashMap<>();

  /**
   * @param end where the stories are counted back from, ms: the time at which the demo first starts
   */
  Fleet(long seed, long end) {
    this.seed = seed;
    this.end = end;
    for (var site : new TreeMap<>(SITES).entrySet()) {
      ROLES.forEach(role -> host(site.getKey(), site.getValue() + "-" + role));
      services(site.getKey(), site.getValue());
      gates(site.getKey());
    }
    ships();
  }

  /** All signals that are sampled once a minute in history. */
  List<Signal> signals() {
    return signals;
  }

  /** Signals that are sampled every ten seconds, always. */
  List<Signal> fine() {
    return fine;
  }

  /** Loads a host until a time. */
  /** The site of a host, by how its name begins. */
  static String site(String host) {
    return host.startsWith("nq")
        ? "north-quay"
        : host.startsWith("mi") ? "mid-isles" : "south-reach";
  }

  /** Whether the link to mid-isles is down at a time: 12 minutes each evening, or by the button. */
  boolean linkDown(long t) {
    long of = Math.floorMod(t, DAY);
    return of >= LINK_DOWN && of < LINK_DOWN + LINK_OUT || t < linkDownUntil;
  }

  void takeLinkDown(long until) {
    linkDownUntil = until;
  }

  void busy(String host, long until) {
    busyUntil.put(host, until);
  }

  boolean isBusy(String host, long time) {
    return busyUntil.getOrDefault(host, 0L) > time;
  }

  List<String> hosts() {
    return signals.stream()
        .filter(s -> s.metric.equals("host.cpu.busy"))
        .map(s -> s.labels.get("host"))
        .sorted()
        .toList();
  }

  List<String> instances() {
    return signals.stream()
        .filter(s -> s.metric.equals("process.start.time"))
        .map(s -> s.labels.get("instance"))
        .sorted()
        .toList();
  }

  /** Restarts a service instance: its counters begin again. */
  void restart(String instance, long time) {
    startedAt.put(instance, time);
    signals.stream()
        .filter(s -> instance.equals(s.labels.get("instance")))
        .forEach(s -> s.reset(time));
  }

  private void gauge(String metric, Map<String, String> labels, String unit, Signal.Reading r) {
    signals.add(new Signal(metric, labels, Kind.GAUGE, unit, r));
  }

  private void counter(String metric, Map<String, String> labels, String unit, Signal.Reading r) {
    signals.add(new Signal(metric, labels, Kind.COUNTER, unit, r));
  }

  private void host(String site, String name) {
    long s = seed + name.hashCode();
    var labels = Map.of("site", site, "host", name);
    boolean app = name.contains("app");
    double base = app ? 14 : name.contains("db") ? 22 : 6;
    double swing = app ? 46 : name.contains("db") ? 34 : 12;
    gauge("host.cpu.busy", labels, "%", (t, dt) -> cpu(name, s, base, swing, t));
    double memory = (name.contains("db") ? 22 : app ? 9 : 3) * GIB;
    gauge(
        "host.memory.used",
        labels,
        "By",
        (t, dt) -> round(memory * (1 + 0.06 * slow(s + 1, t, 3 * HOUR) + 0.08 * web(t)), 4096));
    gauge("host.disk.used", labels, "%", (t, dt) -> round(disk(name, s, t), 0.01));
    double traffic = app ? 900_000 : name.contains("edge") ? 2_400_000 : 120_000;
    counter("host.net.received", labels, "By", (t, dt) -> traffic(name, s + 2, traffic, t));
    counter("host.net.sent", labels, "By", (t, dt) -> traffic(name, s + 3, traffic * 1.7, t));
    gauge(
        "host.processes",
        labels,
        "{process}",
        (t, dt) -> Math.rint(140 + 20 * slow(s + 4, t, 2 * HOUR) + 4 * white(s + 5, t / 10_000)));
    gauge(
        "host.load",
        labels,
        "",
        (t, dt) ->
            round(
                0.3
                    + cpu(name, s, base, swing, t) / 25
                    + Math.abs(slow(s + 6, t, 5 * MINUTE)) * 0.4,
                0.01));
  }

  private double cpu(String name, long s, double base, double swing, long t) {
    double v =
        base
            + swing * web(t) * (0.8 + 0.2 * slow(s, t, 40 * MINUTE))
            + 5 * slow(s + 11, t, 4 * MINUTE)
            + 3 * white(s + 12, t / 5_000);
    if (isBusy(name, t)) {
      v = 96.5 + 2 * white(s + 13, t / 1_000);
    }
    return round(Math.clamp(v, 0.5, 100), 0.1);
  }

  /** Story: the disk of the database in south-reach fills, and would be full in a few days. */
  private double disk(String name, long s, long t) {
    if (name.equals("sr-db-1")) {
      return Math.min(99, 92.5 + (t - end) / (double) DAY * 4.2 + 0.15 * slow(s, t, HOUR));
    }
    return 38 + 22 * white(s + 20, 1) + 3 * slow(s + 21, t, DAY);
  }

  /** Story: the link to mid-isles was down for 12 minutes, then caught up. */
  private double traffic(String name, long s, double level, long t) {
    double v = level * (0.15 + web(t)) * (1 + 0.25 * slow(s, t, 7 * MINUTE));
    if (name.startsWith("mi-edge")) {
      long since = t - (end - 5 * HOUR);
      if (since >= 0 && since < 12 * MINUTE) {
        return 0;
      }
      if (since >= 12 * MINUTE && since < 18 * MINUTE) {
        return v * 2.8;
      }
    }
    return v;
  }

  private void services(String site, String prefix) {
    for (int i = 1; i <= 3; i++) {
      service(
          site, "booking", prefix + "-app-" + i, List.of("/search", "/book", "/account"), 9, 0.08);
    }
    for (int i = 1; i <= 2; i++) {
      service(site, "tickets", prefix + "-app-" + i, List.of("/issue", "/check"), 6, 0.03);
      service(site, "payments", prefix + "-app-" + (i + 2), List.of("/charge"), 2.2, 0.18);
      payment(site, prefix + "-app-" + (i + 2));
    }
    for (int i = 1; i <= 3; i++) {
      process(
          site, "boarding-gates", prefix + "-gate-1", "boarding-gates-" + prefix + "-" + i, 0.18);
    }
    process(site, "manifest-db", prefix + "-db-1", "manifest-db-" + prefix, 6.5);
    process(site, "queue-broker", prefix + "-queue-1", "queue-broker-" + prefix, 1.1);
    long s = seed + site.hashCode();
    var labels = Map.of("site", site);
    gauge(
        "db.sessions",
        Map.of("site", site, "service", "manifest-db"),
        "{session}",
        (t, dt) -> Math.rint(18 + 60 * web(t) + 6 * slow(s, t, 9 * MINUTE)));
    gauge(
        "queue.length",
        Map.of("site", site, "queue", "tickets"),
        "{message}",
        (t, dt) -> Math.rint(Math.max(0, 4 + 30 * sailings(t) * (1 + slow(s + 1, t, 6 * MINUTE)))));
    counter(
        "bookings.made",
        labels,
        "{booking}",
        (t, dt) -> 0.32 * web(t) * (1 + 0.3 * slow(s + 2, t, 11 * MINUTE)) * shop(site, t));
  }

  /** Story: this night the web shop of south-reach sold next to nothing for an hour and a half. */
  private double shop(String site, long t) {
    long since = t - (end - 15 * HOUR);
    return site.equals("south-reach") && since >= 0 && since < 90 * MINUTE ? 0.05 : 1;
  }

  private void service(
      String site, String service, String host, List<String> routes, double pace, double latency) {
    var instance = service + "-" + host;
    process(site, service, host, instance, service.equals("booking") ? 0.9 : 0.45);
    long s = seed + instance.hashCode();
    var base = Map.of("site", site, "host", host, "service", service, "instance", instance);
    for (int r = 0; r < routes.size(); r++) {
      double share = pace / (r + 1);
      long rs = s + r;
      for (var status : List.of("200", "500")) {
        var labels = new TreeMap<>(base);
        labels.put("route", routes.get(r));
        labels.put("status", status);
        double part = status.equals("200") ? 1 : 0.004;
        counter(
            "http.requests",
            labels,
            "{request}",
            (t, dt) -> share * part * web(t) * (1 + 0.3 * slow(rs, t, 5 * MINUTE)));
      }
    }
    histogram(base, s, pace, latency);
  }

  /** Of a log-normal distribution with a deviation of 0.7. */
  private static final double MEAN_OVER_MEDIAN = 1.28;

  /** Request durations, log-normal around a median that grows with the load. */
  private void histogram(Map<String, String> base, long s, double pace, double median) {
    for (int b = 0; b <= BOUNDS.length; b++) {
      double bound = b < BOUNDS.length ? BOUNDS[b] : Double.POSITIVE_INFINITY;
      var labels = new TreeMap<>(base);
      labels.put("le", b < BOUNDS.length ? bound(bound) : "+Inf");
      counter(
          "http.latency.bucket",
          labels,
          "",
          (t, dt) -> pace * 1.8 * web(t) * below(bound, latency(s, median, t)));
    }
    counter("http.latency.count", base, "", (t, dt) -> pace * 1.8 * web(t));
    counter(
        "http.latency.sum",
        base,
        "s",
        (t, dt) -> pace * 1.8 * web(t) * MEAN_OVER_MEDIAN * latency(s, median, t));
  }

  private static String bound(double b) {
    return b == Math.rint(b) ? Long.toString((long) b) : Double.toString(b);
  }

  private double latency(long s, double median, long t) {
    return median * (0.75 + 0.5 * web(t) + 0.2 * slow(s + 40, t, 8 * MINUTE));
  }

  private static double below(double bound, double median) {
    if (bound == Double.POSITIVE_INFINITY) {
      return 1;
    }
    double z = Math.log(bound / median) / 0.7;
    return 1 / (1 + Math.exp(-1.702 * z));
  }

  /** Story: for half a minute every payment took seconds; a mean over minutes hides it. */
  private void payment(String site, String host) {
    var instance = "payments-" + host;
    long s = seed + instance.hashCode() + 7;
    var labels = Map.of("site", site, "host", host, "service", "payments", "instance", instance);
    fine.add(
        new Signal(
            "payments.duration",
            labels,
            Kind.GAUGE,
            "s",
            (t, dt) -> {
              long since = t - (end - 100 * MINUTE);
              boolean slowdown = site.equals("mid-isles") && since >= 0 && since < 30_000;
              double v = latency(s, 0.18, t) * (1 + 0.12 * white(s, t / 10_000));
              return round(slowdown ? 7.4 + 0.6 * white(s + 1, t / 10_000) : v, 0.001);
            }));
  }

  /** Story: since the release three days ago, tickets on mi-app-2 leaks memory. */
  private void process(String site, String service, String host, String instance, double gib) {
    long s = seed + instance.hashCode() + 3;
    var labels = Map.of("site", site, "host", host, "service", service, "instance", instance);
    boolean leaks = instance.equals("tickets-mi-app-2");
    long release = end - 3 * DAY;
    gauge(
        "process.memory",
        labels,
        "By",
        (t, dt) -> {
          long started = startedAt.getOrDefault(instance, Math.min(release, t));
          double leak =
              leaks ? Math.max(0, t - Math.max(release, started)) / (double) DAY * 0.42 : 0;
          return round((gib * (1 + 0.05 * slow(s, t, HOUR)) + leak) * GIB, 4096);
        });
    gauge(
        "process.start.time",
        labels,
        "s",
        (t, dt) -> startedAt.getOrDefault(instance, t < release ? end - 30 * DAY : release) / 1000);
  }

  /** Story: yesterday one gate refused every third ticket for 25 minutes. */
  private void gates(String site) {
    for (int i = 1; i <= 4; i++) {
      var gate = site.split("-")[0] + "-" + i;
      long s = seed + gate.hashCode();
      for (var result : List.of("accepted", "refused", "unreadable")) {
        var labels = Map.of("site", site, "gate", gate, "result", result);
        counter(
            "scan.attempts",
            labels,
            "{scan}",
            (t, dt) -> {
              double pace = 0.9 * sailings(t) * (1 + 0.35 * slow(s, t, 6 * MINUTE));
              double refused = 0.012 + 0.008 * slow(s + 1, t, 50 * MINUTE);
              long since = t - (end - 22 * HOUR);
              if (gate.equals("north-2") && since >= 0 && since < 25 * MINUTE) {
                refused = 0.34;
              }
              return switch (result) {
                case "refused" -> pace * refused;
                case "unreadable" -> pace * 0.02;
                default -> pace * (0.98 - refused);
              };
            });
      }
    }
  }

  /** Story: the temperature of Dunlin's port engine swings around its limit. */
  private void ships() {
    for (var ship : List.of("Tern", "Plover", "Dunlin", "Whimbrel")) {
      long s = seed + ship.hashCode();
      gauge(
          "deck.load",
          Map.of("ship", ship),
          "t",
          (t, dt) ->
              round(
                  Math.max(0, 20 + 190 * sailings(t - s % HOUR) * (1 + 0.1 * slow(s, t, HOUR))),
                  0.1));
      for (var engine : List.of("port", "starboard")) {
        long es = s + engine.hashCode();
        boolean swings = ship.equals("Dunlin") && engine.equals("port");
        gauge(
            "engine.temperature",
            Map.of("ship", ship, "engine", engine),
            "Cel",
            (t, dt) ->
                round(
                    swings
                        ? 90.2
                            + 2.6 * Math.sin(2 * Math.PI * t / (9.0 * MINUTE))
                            + 0.6 * white(es, t / 10_000)
                        : 79 + 5 * slow(es, t, 40 * MINUTE) + 0.4 * white(es, t / 10_000),
                    0.1));
      }
    }
  }

  static double round(double v, double unit) {
    double n = 1 / unit;
    return unit >= 1 ? Math.rint(v / unit) * unit : Math.rint(v * n) / n;
  }
}
