package vintrel.bench;

import com.google.protobuf.CodedOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;

/** 2,000 series every 10 s over OTLP/HTTP until durable, then queries over the API. */
final class IngestBench {
  static final int HOSTS = 200;
  private static final int HOURS = 6;
  private static final int STEPS = 30;

  private final Path jar;

  IngestBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  void run() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    long end = System.currentTimeMillis() / 10_000 * 10_000;
    try (var server = Vintrel.start(jar, data, List.of())) {
      server.await("/health/ready");
      send(end);
      queries();
    }
    double size = Files.size(data.resolve("vintrel.mv.db"));
    System.out.printf(
        "| database file after a clean stop | %.1f bytes a sample |%n",
        size / (HOSTS * 10.0 * HOURS * 360));
  }

  static void send(long end) throws Exception {
    var series = new Data[HOSTS][10];
    for (int h = 0; h < HOSTS; h++) {
      for (int m = 0; m < 10; m++) {
        series[h][m] = new Data(m, h * 10L + m);
      }
    }
    var random = new Random(1);
    var millis = new ArrayList<Double>();
    long samples = 0;
    double seconds = 0;
    for (long t = end - HOURS * 3_600_000L; t < end; t += STEPS * 10_000L) {
      var body = request(series, t, random);
      long started = System.nanoTime();
      var answer = Vintrel.post("/v1/metrics", "application/x-protobuf", body);
      double took = (System.nanoTime() - started) / 1e9;
      if (answer.statusCode() != 200) {
        throw new IOException("refused: " + answer.statusCode());
      }
      seconds += took;
      millis.add(took * 1000);
      samples += (long) HOSTS * 10 * STEPS;
    }
    millis.sort(null);
    System.out.println("| ingest, one connection, requests of 60,000 samples | |");
    System.out.println("|---|---|");
    System.out.printf("| samples/s, sent to durable | %,.0f |%n", samples / seconds);
    System.out.printf(
        "| request p50, p99 | %.0f ms, %.0f ms |%n", at(millis, 0.5), at(millis, 0.99));
  }

  static double at(List<Double> sorted, double q) {
    return sorted.get((int) Math.min(sorted.size() - 1, q * sorted.size()));
  }

  static byte[] request(Data[][] series, long from, Random random) throws IOException {
    var scope = new ByteArrayOutputStream();
    var scopeOut = CodedOutputStream.newInstance(scope);
    for (int m = 0; m < 10; m++) {
      var points = new ByteArrayOutputStream();
      var out = CodedOutputStream.newInstance(points);
      for (int h = 0; h < HOSTS; h++) {
        byte[] attribute = Load.attribute("host.name", "host-" + h);
        for (int i = 0; i < STEPS; i++) {
          double value = series[h][m].next();
          if (random.nextInt(100) == 0) {
            continue;
          }
          out.writeTag(1, 2);
          out.writeUInt32NoTag(attribute.length + 2 + 18);
          out.writeByteArray(7, attribute);
          out.writeFixed64(3, (from + i * 10_000L + random.nextInt(101) - 50) * 1_000_000);
          out.writeDouble(4, value);
        }
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

  private static void queries() throws Exception {
    System.out.println();
    System.out.println(
        "| query over 6 h through the API, ms, the later 200 of 400 | best | p50 | p99 |");
    System.out.println("|---|---|---|---|");
    ask("Q1 one series, 1 min means", "gauge.noisy where host = 'host-7' then mean every 1m");
    ask("Q2 mean of 200, 5 min", "gauge.noisy then mean every 5m then mean");
    ask("Q3 the same by host", "gauge.noisy then mean every 5m then mean by host");
    ask("Q4 counter rate by host", "counter.resets then rate every 5m then sum by host");
    ask("top 5", "gauge.slow then mean every 5m then top 5");
  }

  private static void ask(String name, String query) throws Exception {
    var body =
        "{\"query\": \"%s\", \"from\": \"-6h\", \"to\": \"now\", \"step\": \"5m\"}"
            .formatted(query);
    var times = new double[400];
    for (int i = 0; i < times.length; i++) {
      long started = System.nanoTime();
      var answer = Vintrel.post("/api/v1/query", "application/json", body.getBytes());
      times[i] = (System.nanoTime() - started) / 1e6;
      if (answer.statusCode() != 200) {
        throw new IOException(answer.body());
      }
    }
    var late = Arrays.copyOfRange(times, times.length / 2, times.length);
    Arrays.sort(late);
    System.out.printf(
        "| %s | %.1f | %.1f | %.1f |%n",
        name, late[0], late[late.length / 2], late[late.length * 99 / 100]);
  }
}
