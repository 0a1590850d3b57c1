package vintrel.bench;

import com.google.protobuf.CodedOutputStream;
import com.sun.net.httpserver.HttpServer;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.Executors;
import java.util.function.IntToLongFunction;

/** What arrives as exporters send it: in order of time, small requests beside others, scrapes. */
final class CollectBench {
  private static final int STEPS = 30;
  private static final int ROUNDS = 60;
  private static final int TARGETS = 1_000;
  private static final int PER_TARGET = 500;
  private static final long EVERY_MS = 15_000;

  /** The server's own compiler takes a third of a processor in the first minutes. */
  private static final long WARM_MS = 180_000;

  private static final int SMALL = 4_000;

  private final Path jar;

  CollectBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  void run(String part) throws Exception {
    if (part.isEmpty() || part.equals("order")) {
      inOrder();
    }
    if (part.isEmpty() || part.equals("small")) {
      small(true);
    }
    if (part.equals("beside")) {
      small(false);
    }
    if (part.startsWith("flood ")) {
      flood(Integer.parseInt(part.substring(6)));
    }
    if (part.isEmpty() || part.equals("scrape")) {
      scrape(1);
    }
    if (part.startsWith("scrape ")) {
      scrape(Integer.parseInt(part.substring(7)));
    }
  }

  private interface Work {
    void with(Vintrel server) throws Exception;
  }

  private void served(Work work) throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    try (var server =
        Vintrel.start(
            jar, data, List.of(), "--vintrel.host=false", "--vintrel.outbound.loopback=true")) {
      server.await("/health/ready");
      work.with(server);
    }
  }

  // ---- in order of time ----

  private void inOrder() throws Exception {
    System.out.println(
        "| OTLP, one connection, requests of 60,000 samples | samples/s | request p50, p99 |");
    System.out.println("|---|---|---|");
    // Taken in turns, so that both see the machine alike.
    for (int turn = 0; turn < 2; turn++) {
      served(s -> send("points of a series together", false));
      served(s -> send("points in order of time", true));
    }
  }

  private static void send(String name, boolean inOrder) throws Exception {
    var random = new Random(3);
    var series = series();
    long t = (System.currentTimeMillis() - ROUNDS * STEPS * 10_000L) / 10_000 * 10_000;
    var bodies = new ArrayList<byte[]>();
    for (int i = 0; i < ROUNDS; i++, t += STEPS * 10_000L) {
      bodies.add(request(series, t, STEPS, inOrder, random));
    }
    var millis = new ArrayList<Double>();
    long begun = System.nanoTime();
    for (var body : bodies) {
      millis.add(post(body));
    }
    double seconds = (System.nanoTime() - begun) / 1e9;
    millis.sort(null);
    System.out.printf(
        "| %s | %,.0f | %.0f ms, %.0f ms |%n",
        name,
        (double) ROUNDS * STEPS * IngestBench.HOSTS * 10 / seconds,
        IngestBench.at(millis, 0.5),
        IngestBench.at(millis, 0.99));
  }

  private static Data[][] series() {
    var series = new Data[IngestBench.HOSTS][10];
    for (int h = 0; h < series.length; h++) {
      for (int m = 0; m < 10; m++) {
        series[h][m] = new Data(m, h * 10L + m);
      }
    }
    return series;
  }

  private static double post(byte[] body) throws IOException, InterruptedException {
    long started = System.nanoTime();
    var answer = Vintrel.post("/v1/metrics", "application/x-protobuf", body);
    if (answer.statusCode() != 200) {
      throw new IOException("refused: " + answer.statusCode() + " " + answer.body());
    }
    return (System.nanoTime() - started) / 1e6;
  }

  /** All series at so many times, 10 s apart. */
  private static byte[] request(
      Data[][] series, long from, int steps, boolean inOrder, Random random) throws IOException {
    return request(
        series,
        steps,
        inOrder,
        step -> (from + step * 10_000L + random.nextInt(101) - 50) * 1_000_000);
  }

  /** One point of each series, at a time in ns. */
  static byte[] request(Data[][] series, long nanos) throws IOException {
    return request(series, 1, true, step -> nanos);
  }

  private static byte[] request(Data[][] series, int steps, boolean inOrder, IntToLongFunction time)
      throws IOException {
    var scope = new ByteArrayOutputStream();
    var scopeOut = CodedOutputStream.newInstance(scope);
    int hosts = series.length;
    for (int m = 0; m < 10; m++) {
      var points = new ByteArrayOutputStream();
      var out = CodedOutputStream.newInstance(points);
      for (int i = 0; i < steps * hosts; i++) {
        int h = inOrder ? i % hosts : i / steps;
        int step = inOrder ? i / hosts : i % steps;
        byte[] attribute = Load.attribute("host.name", "host-" + h);
        out.writeTag(1, 2);
        out.writeUInt32NoTag(attribute.length + 2 + 18);
        out.writeByteArray(7, attribute);
        out.writeFixed64(3, time.applyAsLong(step));
        out.writeDouble(4, series[h][m].next());
      }
      if (Data.counter(m)) {
        out.writeEnum(2, 2);
        out.writeBool(3, true);
      }
      out.flush();
      var metric = new ByteArrayOutputStream();
      var metricOut = CodedOutputStream.newInstance(metric);
      metricOut.writeString(1, Data.METRICS[m]);
      metricOut.writeByteArray(Data.counter(m) ? 7 : 5, points.toByteArray());
      metricOut.flush();
      scopeOut.writeByteArray(2, metric.toByteArray());
    }
    scopeOut.flush();
    return Load.wrap(1, Load.wrap(2, scope.toByteArray()));
  }

  // ---- small requests beside others ----

  /**
   * @param alone whether they are measured without others first
   */
  private void small(boolean alone) throws Exception {
    System.out.println();
    System.out.println("| an acknowledged request of 500 points | p50, ms | p99, ms | worst, ms |");
    System.out.println("|---|---|---|---|");
    served(
        server -> {
          if (alone) {
            measureSmall("alone", 0);
          }
          measureSmall("while 200,000 samples/s come in", 200_000);
        });
  }

  private static void measureSmall(String name, int perSecond) throws Exception {
    var beside = perSecond == 0 ? null : startFlood(perSecond);
    var bodies = new Bodies(series(50, 90_000));
    var millis = new ArrayList<Double>();
    long warm = System.currentTimeMillis() + WARM_MS;
    try (var sender = new LeanSender("/v1/metrics", "application/x-protobuf")) {
      while (millis.size() < SMALL) {
        var body = bodies.next(System.currentTimeMillis());
        long started = System.nanoTime();
        sender.post(body);
        double took = (System.nanoTime() - started) / 1e6;
        if (System.currentTimeMillis() >= warm) {
          millis.add(took);
        }
        Thread.sleep(25);
      }
    }
    var sent = "0";
    if (beside != null) {
      beside.getOutputStream().close();
      sent = new String(beside.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
      sent = sent.substring(sent.lastIndexOf('\n') + 1);
    }
    millis.sort(null);
    System.out.printf(
        "| %s (%s/s measured) | %.1f | %.1f | %.1f |%n",
        name, sent, IngestBench.at(millis, 0.5), IngestBench.at(millis, 0.99), millis.getLast());
  }

  private static Data[][] series(int hosts, long first) {
    var out = new Data[hosts][10];
    for (int h = 0; h < hosts; h++) {
      for (int m = 0; m < 10; m++) {
        out[h][m] = new Data(m, first + h * 10L + m);
      }
    }
    return out;
  }

  /** A process of its own: its pauses would be measured with the requests otherwise. */
  private static Process startFlood(int perSecond) throws IOException {
    return new ProcessBuilder(
            Vintrel.java().toString(),
            "-Xmx512m",
            "-XX:+UseSerialGC",
            "-Dvintrel.part=flood " + perSecond,
            "-cp",
            System.getProperty("java.class.path"),
            Bench.class.getName(),
            "collect")
        .redirectError(ProcessBuilder.Redirect.DISCARD)
        .start();
  }

  /** Sends ten times a second one point of each series, until its input ends. */
  private static void flood(int perSecond) throws IOException, InterruptedException {
    int points = perSecond / 10;
    var bodies = new Bodies(series(points / 10, 200_000));
    long begun = System.currentTimeMillis();
    long sent = 0;
    long next = begun;
    var ends = Thread.ofPlatform().daemon().start(CollectBench::drain);
    try (var sender = new LeanSender("/v1/metrics", "application/x-protobuf")) {
      while (ends.isAlive()) {
        sender.post(bodies.next(System.currentTimeMillis()));
        sent += points;
        next += 100;
        Thread.sleep(Math.max(0, next - System.currentTimeMillis()));
      }
    }
    System.out.printf("%n%,d%n", sent * 1000 / (System.currentTimeMillis() - begun));
  }

  private static void drain() {
    try {
      System.in.readAllBytes();
    } catch (IOException e) {
      // That ends it as well.
    }
  }

  // ---- scrapes ----

  /**
   * @param rounds of two minutes that are measured; three minutes lie between them
   */
  private void scrape(int rounds) throws Exception {
    var pages = new byte[8][];
    var random = new Random(6);
    for (int i = 0; i < pages.length; i++) {
      pages[i] = page(random);
    }
    var asked = new ConcurrentHashMap<String, ConcurrentLinkedQueue<Long>>();
    var targets =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 4096);
    targets.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
    targets.createContext(
        "/",
        x -> {
          var times =
              asked.computeIfAbsent(
                  x.getRequestURI().getPath(), k -> new ConcurrentLinkedQueue<>());
          times.add(System.currentTimeMillis());
          var page = pages[times.size() % pages.length];
          x.sendResponseHeaders(200, page.length);
          x.getResponseBody().write(page);
          x.close();
        });
    targets.start();
    try {
      served(
          server -> {
            define(targets.getAddress().getPort());
            Thread.sleep(90_000);
            for (int i = 0; i < rounds; i++) {
              Thread.sleep(i == 0 ? 0 : WARM_MS);
              measure(server, asked);
            }
          });
    } finally {
      targets.stop(0);
    }
  }

  private static void define(int port) throws Exception {
    // A job may bring 200,000 new series an hour.
    var job = new StringBuilder();
    for (int i = 0; i < TARGETS; i++) {
      if (i % 200 == 0) {
        job.append("---\nkind: job\nname: bench-%d\nevery: 15s\ntargets:\n".formatted(i / 200));
      }
      job.append("- http://127.0.0.1:").append(port).append("/t").append(i).append('\n');
    }
    var answer =
        Vintrel.post(
            "/api/v1/definitions",
            "application/yaml",
            job.toString().getBytes(StandardCharsets.UTF_8));
    if (answer.statusCode() != 200) {
      throw new IOException(answer.body());
    }
  }

  private static void measure(
      Vintrel server, ConcurrentHashMap<String, ConcurrentLinkedQueue<Long>> asked)
      throws Exception {
    asked.values().forEach(ConcurrentLinkedQueue::clear);
    double cpu = cpuSeconds(server);
    long begun = System.currentTimeMillis();
    Thread.sleep(120_000);
    double seconds = (System.currentTimeMillis() - begun) / 1000.0;
    double share = (cpuSeconds(server) - cpu) / seconds;
    var late = new ArrayList<Double>();
    long reads = 0;
    for (var times : asked.values()) {
      var all = new ArrayList<>(times);
      reads += all.size();
      for (int i = 1; i < all.size(); i++) {
        late.add((double) Math.abs(all.get(i) - all.get(i - 1) - EVERY_MS));
      }
    }
    late.sort(null);
    System.out.println();
    System.out.println("| 1,000 targets of 500 samples every 15 s, two minutes | |");
    System.out.println("|---|---|");
    System.out.printf(
        "| samples/s | %,.0f of %,.0f |%n",
        reads * (double) PER_TARGET / seconds, TARGETS * PER_TARGET * 1000.0 / EVERY_MS);
    System.out.printf("| CPU, share of one core | %.1f %% |%n", share * 100);
    System.out.printf("| resident | %,.0f MB |%n", server.residentMegabytes());
    System.out.printf(
        "| distance of two readings of a target from 15 s, p50, p99, worst | %.0f, %.0f, %.0f ms"
            + " |%n",
        IngestBench.at(late, 0.5), IngestBench.at(late, 0.99), late.getLast());
    var query =
        "{\"query\": \"scrape.duration then p99 every 2m then max\\n"
            + "scrape.up then min every 2m then min\\n"
            + "vintrel.heap.used in vintrel then max every 2m\\n"
            + "vintrel.head.samples in vintrel\\n"
            + "vintrel.journal.age in vintrel\\n"
            + "vintrel.flush.duration in vintrel\\nvintrel.ingest.refused in vintrel\", \"from\":"
            + " \"-2m\", \"to\": \"now\", \"step\": \"2m\"}";
    System.out.println(
        Vintrel.post("/api/v1/query", "application/json", query.getBytes(StandardCharsets.UTF_8))
            .body());
  }

  private static byte[] page(Random random) {
    var out = new StringBuilder();
    for (int m = 0; m < PER_TARGET / 10; m++) {
      out.append("# TYPE bench_metric_").append(m).append(" gauge\n");
      for (int v = 0; v < 10; v++) {
        out.append(
            "bench_metric_%d{lane=\"%d\",route=\"/booking/%d\"} %.3f%n"
                .formatted(m, v, v % 3, random.nextDouble() * 100));
      }
    }
    return out.append("# EOF\n").toString().getBytes(StandardCharsets.UTF_8);
  }

  private static double cpuSeconds(Vintrel server) throws IOException {
    var stat = Files.readString(Path.of("/proc/" + server.process.pid() + "/stat"));
    var fields = stat.substring(stat.lastIndexOf(')') + 2).split(" ");
    return (Long.parseLong(fields[11]) + Long.parseLong(fields[12])) / 100.0;
  }
}
