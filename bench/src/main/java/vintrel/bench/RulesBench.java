package vintrel.bench;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Random;
import java.util.regex.Pattern;

/** Many rules at work in a server, and a rehearsal of one whose checks were never read. */
final class RulesBench {
  private static final int RULES = 10_000;
  private static final int SERIES_EACH = 10;
  private static final int AT_ONCE = 500;
  private static final long EVERY_MS = 30_000;
  private static final int ROUNDS = 4;
  private static final int HOSTS = 200;
  private static final int DAYS = 7;
  private static final long STEP_MS = 10_000;

  /** Ticks of the kernel's clock in a second, as /proc counts them. */
  private static final double TICKS = 100;

  private static final Pattern LAST = Pattern.compile("(-?[0-9.]+(?:E-?[0-9]+)?)\\]\\]");

  private final Path jar;

  RulesBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  void run() throws Exception {
    System.out.println("| what | found |");
    System.out.println("|---|---|");
    many();
    rehearsal();
  }

  private void many() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    try (var server = Vintrel.start(jar, data, List.of("-Xmx2g"), "--vintrel.host=false")) {
      server.await("/health/ready");
      var random = new Random(7);
      feed(random);
      double without = used(server, random, ROUNDS / 2, null);
      double before = server.residentMegabytes();
      long begun = System.nanoTime();
      for (int from = 0; from < RULES; from += AT_ONCE) {
        define(from);
      }
      System.out.printf(
          "| %,d rules defined, %d in a request | %.0f s |%n",
          RULES, AT_ONCE, (System.nanoTime() - begun) / 1e9);
      // Until all are known and have learned of their series.
      used(server, random, 2, null);
      var lags = new ArrayList<Double>();
      double checks = metric("vintrel.watch.checks");
      double with = used(server, random, ROUNDS, lags);
      System.out.printf(
          "| checks that were made in %d s | %,.0f |%n",
          ROUNDS * EVERY_MS / 1000, metric("vintrel.watch.checks") - checks);
      Collections.sort(lags);
      System.out.printf(
          "| %,d rules of %d series, a check every 30 s: processor | %.0f %% of a core, %.0f %% of"
              + " it for samples alone |%n",
          RULES, SERIES_EACH, with, without);
      System.out.printf(
          "| the same: lag of the latest rule, each 10 s for 2 min | median %.1f s, most %.1f s"
              + " |%n",
          IngestBench.at(lags, 0.5), lags.getLast());
      System.out.printf(
          "| the same: resident memory, before and with rules | %.0f MB, %.0f MB |%n",
          before, server.residentMegabytes());
    }
  }

  /** Feeds for some rounds; percent of a core that the server used. */
  private static double used(Vintrel server, Random random, int rounds, List<Double> lags)
      throws Exception {
    long ticks = ticks(server);
    long begun = System.nanoTime();
    for (int i = 0; i < rounds; i++) {
      long round = System.nanoTime();
      feed(random);
      while (System.nanoTime() - round < EVERY_MS * 1_000_000) {
        Thread.sleep(10_000);
        if (lags != null) {
          lags.add(metric("vintrel.watch.lag"));
        }
      }
    }
    return 100 * (ticks(server) - ticks) / TICKS / ((System.nanoTime() - begun) / 1e9);
  }

  private static long ticks(Vintrel server) throws IOException {
    var stat = Files.readString(Path.of("/proc/" + server.process.pid() + "/stat"));
    var parts = stat.substring(stat.lastIndexOf(')') + 2).split(" ");
    return Long.parseLong(parts[11]) + Long.parseLong(parts[12]);
  }

  private static double metric(String name) throws Exception {
    var query =
        "{\"query\": \"%s then last every 20s\", \"from\": \"-20s\", \"to\": \"now\"}"
            .formatted(name);
    var answer = Vintrel.post("/api/v1/query", "application/json", query.getBytes());
    var found = LAST.matcher(answer.body());
    return found.find() ? Math.max(0, Double.parseDouble(found.group(1))) : 0;
  }

  private static void feed(Random random) throws Exception {
    long now = System.currentTimeMillis();
    var text = new StringBuilder("metric,time,value,group,host\n");
    for (int r = 0; r < RULES; r++) {
      for (int h = 0; h < SERIES_EACH; h++) {
        text.append("bench.load,").append(now).append(',').append(random.nextInt(80));
        text.append(",g").append(r).append(",h").append(h).append('\n');
      }
    }
    imported(text);
  }

  private static void imported(StringBuilder text) throws Exception {
    var body = text.toString().getBytes(StandardCharsets.UTF_8);
    var answer = Vintrel.post("/api/v1/import", "text/csv", body);
    if (answer.statusCode() != 200) {
      throw new IOException(answer.body());
    }
  }

  private static void define(int from) throws Exception {
    var text = new StringBuilder();
    for (int r = from; r < from + AT_ONCE; r++) {
      text.append(
          """
          ---
          kind: rule
          name: bench-%d
          query: bench.load where group = 'g%d' then mean over 1m
          every: 30s
          limits: [{above: 95, priority: high, on-delay: 1m, deadband: 2}]
          """
              .formatted(r, r));
    }
    var body = text.toString().getBytes(StandardCharsets.UTF_8);
    var answer = Vintrel.post("/api/v1/definitions", "application/yaml", body);
    if (answer.statusCode() != 200) {
      throw new IOException(answer.body());
    }
  }

  private void rehearsal() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    try (var server = Vintrel.start(jar, data, List.of("-Xmx2g"), "--vintrel.host=false")) {
      server.await("/health/ready");
      week();
    }
    for (int i = 0; i < 3; i++) {
      try (var server = Vintrel.start(jar, data, List.of("-Xmx2g"), "--vintrel.host=false")) {
        server.await("/health/ready");
        double first = rehearse(90);
        double second = rehearse(91);
        System.out.printf(
            "| rehearsal of %d days, %d series, a check every 10 s, through the API | first of the"
                + " process %.1f s, second (read again) %.1f s |%n",
            DAYS, HOSTS, first, second);
      }
    }
  }

  private static double rehearse(int limit) throws Exception {
    var rule =
        """
        kind: rule
        name: bench
        query: bench.week
        every: 10s
        limits:
        - {above: 98, priority: critical, on-delay: 5m, deadband: 3}
        - {above: %d, priority: high, on-delay: 2m, deadband: 5, off-delay: 1m}
        """
            .formatted(limit);
    long begun = System.nanoTime();
    var answer =
        Vintrel.post("/api/v1/rules/rehearse?from=-7d", "application/yaml", rule.getBytes());
    if (answer.statusCode() != 200) {
      throw new IOException(answer.body());
    }
    return (System.nanoTime() - begun) / 1e9;
  }

  /** As of {@link WatchBench}: a daily curve with noise. */
  private static void week() throws Exception {
    long end = System.currentTimeMillis() / STEP_MS * STEP_MS;
    var random = new Random(3);
    int steps = (int) (3_600_000 / STEP_MS);
    for (long t = end - DAYS * 86_400_000L; t < end; t += 3_600_000) {
      var text = new StringBuilder("metric,time,value,host\n");
      for (int h = 0; h < HOSTS; h++) {
        for (int i = 0; i < steps; i++) {
          long at = t + i * STEP_MS;
          double v =
              45 + 25 * Math.sin(at / 86_400_000.0 * 2 * Math.PI) + 4 * random.nextGaussian();
          text.append("bench.week,").append(at).append(',').append(Math.round(v * 10) / 10.0);
          text.append(",h").append(h).append('\n');
        }
      }
      imported(text);
    }
  }
}
