package vintrel.demo;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;

/** Loads the definitions, sends a week of history, then lives on. */
public final class Demo {
  private static final long SEED = 20_260_301;
  private static final long COARSE = 60_000;
  private static final long FINE = 10_000;
  private static final long WINDOW = 2 * Fleet.HOUR;

  /** The longest time without a pulse that is filled afterwards, ms. */
  private static final long MAX_CATCH_UP = Fleet.HOUR / 2;

  private static final List<String> FILES =
      List.of(
          "boarding",
          "fleet",
          "services",
          "rules",
          "notify",
          "jobs",
          "checks",
          "insight",
          "resources",
          "panel-kinds");

  private final VintrelClient client;
  private final Map<Part, VintrelClient> senders = new EnumMap<>(Part.class);
  private final Fleet fleet;
  private final long step;

  private Demo(VintrelClient client, Fleet fleet, long step) {
    this.client = client;
    this.fleet = fleet;
    this.step = step;
  }

  public static void main(String[] args) throws Exception {
    var options = new TreeMap<String, String>();
    for (int i = 0; i + 1 < args.length; i += 2) {
      options.put(args[i], args[i + 1]);
    }
    var server = options.getOrDefault("--server", "http://127.0.0.1:8420");
    int port = Integer.parseInt(options.getOrDefault("--port", "8421"));
    int mailPort = Integer.parseInt(options.getOrDefault("--mail-port", "8422"));
    long step = 1000 * Long.parseLong(options.getOrDefault("--step", "10"));
    double days = Double.parseDouble(options.getOrDefault("--days", "7"));
    var token = System.getenv("VINTREL_BOOTSTRAP_TOKEN");
    if (token == null || token.isEmpty()) {
      System.err.println("demo: VINTREL_BOOTSTRAP_TOKEN is not set");
      System.exit(2);
    }
    var client = new VintrelClient(server, token);
    long now = System.currentTimeMillis() / COARSE * COARSE;
    var fleet = new Fleet(SEED, now);
    var demo = new Demo(client, fleet, step);
    try (var standIns = new DemoServices(fleet, port, mailPort, demo::pulse);
        var company = new CompanyDatabase(SEED, now, port + 3)) {
      // Before the server is ready: checks that it knows from before find them.
      standIns.start();
      client.awaitReady();
      demo.senders();
      demo.arrivals("127.0.0.1:" + port, now, (long) (days * Fleet.DAY));
      demo.history(now, (long) (days * Fleet.DAY));
      client.store(
          "bookings", "sql", company.url(), CompanyDatabase.READER, CompanyDatabase.PASSWORD);
      client.store("south-reach", "vintrel", server, "", token);
      demo.define(port, company.port());
      System.err.printf(
          "vintrel: ready on %s   (mail, chat and fleet controller: http://localhost:%d)%n",
          server.replace("127.0.0.1", "localhost"), port);
      try (var planner =
          new PlannerApp(PlannerApp.properties(server, client.token("berth-planner-app", "")))) {
        demo.live(planner);
      }
    }
  }

  private void senders() throws IOException, InterruptedException {
    for (var part : Part.values()) {
      senders.put(
          part, client.sender(part.token, part.program, part == Part.GATES ? "devices" : ""));
    }
  }

  private static Map<Part, OtlpWriter> writers() {
    var out = new EnumMap<Part, OtlpWriter>(Part.class);
    for (var part : Part.values()) {
      out.put(part, new OtlpWriter());
    }
    return out;
  }

  private void define(int port, int databasePort) throws IOException, InterruptedException {
    var all = new StringBuilder();
    for (var file : FILES) {
      try (var in = Demo.class.getResourceAsStream("/definitions/" + file + ".yaml")) {
        var text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
        // A dashboard that somebody has changed or deleted stays as it is.
        boolean theirs =
            text.startsWith("kind: dashboard\n") && client.changedBySomebody("dashboard", file);
        if (!theirs) {
          all.append("---\n").append(text).append('\n');
        }
      }
    }
    var edge =
        "kind: collector\nname: %s\nevery: 10s\nfetch: inputs\ninputs:\n- {input: host, name: host}\n"
            .formatted(CollectorReports.EDGE);
    client.definitions(edge);
    var said = reports();
    client.definitions(
        all.toString()
            .replace("STAND-INS", "http://127.0.0.1:" + port)
            .replace("LINK", "127.0.0.1:" + (port + 2))
            .replace("BOOKINGS-DB", "127.0.0.1:" + databasePort));
    said.addAll(CollectorReports.edge(fleet, client.collector(CollectorReports.EDGE)));
    reports = said;
  }

  /** Changes the collectors' configuration once, so that there is a version before. */
  private List<Signal> reports() throws IOException, InterruptedException {
    var config =
        "kind: collector\n"
            + "name: fleet\n"
            + "every: 10s\n"
            + "fetch: inputs\n"
            + "inputs:\n"
            + "- {input: host, name: host}\n";
    var more =
        config + "- {input: tail, name: gate-log, files: [/var/log/gate/*.log], format: json}\n";
    client.definitions(config);
    var before = client.collector(CollectorReports.CONFIG);
    client.definitions(more);
    return CollectorReports.of(fleet, before, client.collector(CollectorReports.CONFIG));
  }

  /** Before anything arrives: the past of a series that is known is not taken any more. */
  private void arrivals(String address, long now, long length)
      throws IOException, InterruptedException {
    if (client.newest("host.cpu.busy") > 0) {
      return;
    }
    // The store vintrel keeps no more than a week.
    long from = Math.ceilDiv(now - length + Fleet.HOUR, COARSE) * COARSE;
    var past = new ArrivalHistory(fleet, records);
    client.csv(past.account(from, now), "vintrel");
    client.csv(past.scrapes(address, from, now), "main");
  }

  /** Sends what is missing of the time before now; the next window is built while one is sent. */
  private void history(long now, long length) throws IOException, InterruptedException {
    long started = System.nanoTime();
    long newest = client.newest("host.cpu.busy");
    long from = Math.max(now - length, newest + COARSE);
    from = Math.ceilDiv(from, COARSE) * COARSE;
    long points = 0;
    CompletableFuture<Void> sending = CompletableFuture.completedFuture(null);
    for (long a = from; a < now; a += WINDOW) {
      var writers = writers();
      fill(writers, a, Math.min(now, a + WINDOW));
      var requests = new EnumMap<Part, byte[]>(Part.class);
      for (var w : writers.entrySet()) {
        points += w.getValue().points();
        requests.put(w.getKey(), w.getValue().take());
      }
      join(sending);
      sending = CompletableFuture.runAsync(() -> requests.forEach(this::send));
    }
    join(sending);
    if (points > 0) {
      client.openMetrics(CheckHistory.page(fleet, from, now));
    }
    records(now, length);
    last = points > 0 ? now - COARSE : newest;
    if (points > 0) {
      System.err.printf(
          "vintrel: %,d samples of history sent in %.1f s%n",
          points, (System.nanoTime() - started) / 1e9);
    }
  }

  /** Records from where they ended last, a day at a time; of history at most so long. */
  private void records(long now, long length) throws IOException, InterruptedException {
    if (recorded == 0) {
      recorded = Math.max(now - length, client.newestRecord(now - length, now));
    }
    for (; recorded < now; recorded = Math.min(now, recorded + Fleet.DAY)) {
      var request = records.request(recorded, Math.min(now, recorded + Fleet.DAY));
      if (request != null) {
        senders.get(Part.APPS).logs(request);
      }
    }
  }

  private static void join(CompletableFuture<Void> sending) throws IOException {
    try {
      sending.join();
    } catch (CompletionException e) {
      throw new IOException(e.getCause().getMessage(), e.getCause());
    }
  }

  private void send(Part part, byte[] request) {
    try {
      senders.get(part).metrics(request);
    } catch (IOException e) {
      throw new CompletionException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void fill(Map<Part, OtlpWriter> writers, long from, long to) {
    for (var signal : fleet.signals()) {
      for (long t = from; t < to; t += COARSE) {
        writers.get(Part.of(signal)).add(signal, t, signal.next(t, COARSE / 1000.0));
      }
    }
    for (var signal : fleet.fine()) {
      for (long t = from; t < to; t += FINE) {
        writers.get(Part.of(signal)).add(signal, t, signal.next(t, FINE / 1000.0));
      }
    }
  }

  private List<Signal> reports = List.of();
  private final Records records = new Records(SEED);
  private long recorded;
  private long last = System.currentTimeMillis();
  private volatile boolean isLive;
  private final ArrayDeque<byte[]> held = new ArrayDeque<>();

  /**
   * Sends the values of all signals up to now: also those of the time since the history ended, or
   * since the machine slept, at the usual pace.
   */
  synchronized void pulse() {
    if (!isLive) {
      return;
    }
    long t = System.currentTimeMillis();
    var writers = writers();
    var all = new ArrayList<>(fleet.signals());
    all.addAll(fleet.fine());
    for (long past = Math.max(last, t - MAX_CATCH_UP) + FINE; past < t - FINE / 2; past += FINE) {
      add(all, past, writers);
    }
    all.addAll(reports);
    add(all, t, writers);
    try {
      for (var w : writers.entrySet()) {
        if (w.getKey() == Part.MID_ISLES) {
          held.addLast(w.getValue().take());
        } else {
          senders.get(w.getKey()).metrics(w.getValue().take());
        }
      }
      // What the collector of mid-isles held back goes once the link is up, oldest first.
      while (!held.isEmpty() && !fleet.linkDown(t)) {
        senders.get(Part.MID_ISLES).metrics(held.peekFirst());
        held.removeFirst();
      }
      records(t, Fleet.HOUR);
    } catch (IOException e) {
      System.err.println("demo: can't reach Vintrel: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void add(List<Signal> signals, long t, Map<Part, OtlpWriter> writers) {
    double seconds = (t - last) / 1000.0;
    last = t;
    signals.forEach(s -> writers.get(Part.of(s)).add(s, t, s.next(t, seconds)));
  }

  private void live(PlannerApp planner) throws InterruptedException {
    isLive = true;
    pulse();
    while (!Thread.currentThread().isInterrupted()) {
      long now = System.currentTimeMillis();
      Thread.sleep(step - Math.floorMod(now, step));
      pulse();
      // In the quietest hour there is still a ship now and then.
      double plans = Math.max(1, 3 + 4 * Noise.slow(SEED, now, Fleet.HOUR));
      for (int i = 0; i < plans; i++) {
        planner.plan();
      }
    }
  }
}
