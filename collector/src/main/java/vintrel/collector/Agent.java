package vintrel.collector;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.define.CollectorFile;

/**
 * A collector that runs: inputs into the queue, the queue to the server, and once a while the
 * metrics about itself. If its file allows it, its inputs come from the server.
 */
final class Agent implements AutoCloseable {
  private static final long TICK_MS = 1_000;
  private static final long FLUSH_MS = 2_000;
  private static final long REPORT_MS = 10_000;
  private static final long FETCH_MS = 30_000;

  private final Settings own;
  private final HttpClient http;
  private final String to;
  private final String token;
  private final Lane metrics;
  private final Lane records;
  private final Inputs inputs;
  private final Inputs fetchedInputs;
  private final Map<String, String> resource;
  private final long started = System.currentTimeMillis();
  private final CountDownLatch end = new CountDownLatch(1);
  private Settings now;
  private volatile Runner runner;
  private String etag = "";
  private String fetchFault = "";

  Agent(
      Settings settings,
      String to,
      String token,
      Path data,
      HttpClient http,
      Environment environment)
      throws IOException {
    this.own = settings;
    this.now = settings;
    this.http = http;
    this.to = to.replaceAll("/+$", "");
    this.token = token;
    var config = settings.config();
    var folder = data.resolve(config.name().replaceAll("[^a-zA-Z0-9._-]", "_"));
    var host = Settings.hostName();
    var labels = new TreeMap<>(config.labels());
    labels.putIfAbsent("host", host);
    this.resource = labels;
    // A token that may not send events holds back no metrics.
    this.metrics = lane(folder, "/v1/metrics", host);
    this.records = lane(folder, "/v1/logs", host);
    var from = labels.getOrDefault("site", host);
    this.inputs = new Inputs(http, environment, folder, from);
    // Whoever may edit definitions could send what is secret here anywhere.
    this.fetchedInputs =
        config.fetch() == CollectorConfig.Fetch.ALL
            ? inputs
            : new Inputs(http, environment.only(config.variables()), folder, from);
  }

  /** Requests of one kind, and what sends them. */
  private record Lane(DiskQueue queue, Sender sender) {}

  private Lane lane(Path folder, String path, String host) throws IOException {
    var queue =
        new DiskQueue(
            folder.resolve(path.substring(path.lastIndexOf('/') + 1)),
            own.config().queueBytes() / 2);
    var instance = host + "-" + own.config().name();
    return new Lane(queue, new Sender(http, queue, path, instance, to, token));
  }

  /** Reads and sends once. */
  int once() throws InterruptedException, IOException {
    restart(now);
    Thread.sleep(100);
    long end = System.currentTimeMillis() + now.config().every() + 10_000;
    while (metrics.queue().size() == 0 && System.currentTimeMillis() < end) {
      Thread.sleep(50);
      runner.flush(System.currentTimeMillis());
    }
    report(System.currentTimeMillis());
    runner.flush(System.currentTimeMillis());
    var sender = metrics.sender();
    while (!sender.sendAll(System.currentTimeMillis()) && sender.fault().isEmpty()) {
      Thread.sleep(10);
    }
    records.sender().sendAll(System.currentTimeMillis());
    return sender.fault().isEmpty() ? 0 : 1;
  }

  /** Runs until it is stopped. */
  int run() throws InterruptedException, IOException {
    Runtime.getRuntime().addShutdownHook(new Thread(end::countDown));
    restart(now);
    long reported = 0;
    long fetched = 0;
    long flushed = 0;
    do {
      long t = System.currentTimeMillis();
      if (own.config().fetch() != CollectorConfig.Fetch.OFF && t - fetched >= FETCH_MS) {
        fetched = t;
        fetch();
      }
      if (t - reported >= REPORT_MS) {
        reported = t;
        report(t);
      }
      if (t - flushed >= FLUSH_MS) {
        flushed = t;
        try {
          runner.flush(t);
        } catch (IOException e) {
          told("the queue can't be written: " + e.getMessage());
        }
      }
      metrics.sender().sendAll(t);
      records.sender().sendAll(t);
    } while (!end.await(TICK_MS, TimeUnit.MILLISECONDS));
    runner.close();
    runner.flush(System.currentTimeMillis());
    metrics.sender().sendAll(System.currentTimeMillis());
    records.sender().sendAll(System.currentTimeMillis());
    return 0;
  }

  private void restart(Settings wanted) throws InterruptedException {
    if (runner != null) {
      runner.close();
      try {
        runner.flush(System.currentTimeMillis());
      } catch (IOException e) {
        told("the queue can't be written: " + e.getMessage());
      }
    }
    now = wanted;
    var made = wanted == own ? inputs : fetchedInputs;
    runner = new Runner(metrics.queue(), records.queue(), made, resource);
    runner.start(wanted.config().inputs());
  }

  /** What it says about itself. */
  private void report(long t) throws IOException {
    var name = Map.of("collector", own.config().name());
    var out = new ArrayList<Reading>();
    var info = new TreeMap<>(name);
    info.put("version", Collector.VERSION);
    info.put("config", now.hash().isEmpty() ? "none" : now.hash());
    info.put("source", now == own ? "file" : "server");
    out.add(Reading.gauge("collector.info", "", 1, info));
    out.add(Reading.gauge("collector.inputs", "", now.config().inputs().size(), name));
    out.add(Reading.gauge("collector.uptime", "s", (t - started) / 1000.0, name));
    long dropped = 0;
    long bytes = 0;
    double lag = 0;
    for (var lane : List.of(metrics, records)) {
      var first = lane.queue().first();
      dropped += lane.queue().dropped();
      bytes += lane.queue().bytes();
      lag = Math.max(lag, first == null ? 0 : (t - first.at()) / 1000.0);
    }
    out.add(Reading.gauge("collector.queue.size", "By", bytes, name));
    out.add(Reading.gauge("collector.lag", "s", lag, name));
    out.add(Reading.counter("collector.dropped", "", dropped, name));
    long secrets = own.config().exposed().size();
    out.add(Reading.gauge("collector.exposed_secrets", "", secrets, name));
    for (var e : runner.states().entrySet()) {
      var labels = new TreeMap<>(name);
      labels.put("input", e.getKey());
      var state = e.getValue();
      out.add(Reading.gauge("collector.input.up", "", state.fault().isEmpty() ? 1 : 0, labels));
      out.add(Reading.gauge("collector.input.duration", "s", state.seconds(), labels));
      out.add(Reading.gauge("collector.input.values", "", state.readings(), labels));
    }
    runner.add(out, t);
  }

  /** Takes the inputs that the server has for this collector, if they are others and valid. */
  private void fetch() throws InterruptedException {
    try {
      var request =
          HttpRequest.newBuilder(URI.create(to + "/api/v1/collectors/" + own.config().name()))
              .timeout(Duration.ofSeconds(10))
              .header("Authorization", "Bearer " + token)
              .header("Accept", "application/yaml");
      if (!etag.isEmpty()) {
        request.header("If-None-Match", etag);
      }
      var answer = http.send(request.build(), HttpResponse.BodyHandlers.ofString());
      if (answer.statusCode() == 304) {
        return;
      }
      if (answer.statusCode() != 200) {
        told("no configuration from the server: " + answer.statusCode());
        return;
      }
      etag = answer.headers().firstValue("ETag").orElse("");
      take(answer.body());
    } catch (IOException | IllegalArgumentException e) {
      told("no configuration from the server: " + e.getMessage());
    }
  }

  private void take(String text) throws InterruptedException {
    var read = CollectorFile.parse(text, own.config().name());
    if (read.config() == null) {
      told("the server's configuration is not valid: " + read.faults().getFirst());
      return;
    }
    var commands = read.config().commands();
    if (own.config().fetch() == CollectorConfig.Fetch.INPUTS && !commands.isEmpty()) {
      told(
          "the server's configuration runs commands (%s), which this collector's file does not allow"
              .formatted(String.join(", ", commands)));
      return;
    }
    var secret = new TreeSet<>(Environment.names(text));
    // Where to send and with which token is this file's own business.
    secret.removeAll(List.of("VINTREL_URL", "VINTREL_TOKEN"));
    secret.removeAll(own.config().variables());
    if (own.config().fetch() == CollectorConfig.Fetch.INPUTS && !secret.isEmpty()) {
      told(
          "the server's configuration uses ${%s}, which `variables` in this collector's file does not name"
              .formatted(secret.first()));
      return;
    }
    var hash = Settings.hash(text);
    if (!hash.equals(now.hash())) {
      System.err.println("vintrel-collector: using the server's configuration " + hash);
      restart(new Settings(read.config(), hash));
    }
    fetchFault = "";
  }

  private void told(String why) {
    if (!why.equals(fetchFault)) {
      System.err.println("vintrel-collector: " + why);
    }
    fetchFault = why;
  }

  /** How often an input was read well. */
  long readings(String input) {
    return runner == null ? 0 : runner.readings(input);
  }

  /** Whether nothing waits to be sent. */
  boolean isSent() {
    return metrics.queue().size() == 0 && records.queue().size() == 0;
  }

  void stop() {
    end.countDown();
  }

  @Override
  public void close() throws InterruptedException {
    if (runner != null) {
      runner.close();
    }
  }
}
