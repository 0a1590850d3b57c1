package vintrel.bench;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;

/** A day of a million log records by OTLP/HTTP, then searches of them over the API. */
final class EventsBench {
  private static final int RECORDS = 1_000_000;
  private static final int AT_ONCE = 2000;
  private static final int ASKED = 15;
  private static final long DAY = 86_400_000;
  private static final String[] SERVICES = {"booking", "tickets", "payments", "boarding-gates"};

  private final Path jar;

  EventsBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  void run() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    try (var server = Vintrel.start(jar, data, List.of())) {
      server.await("/health/ready");
      send();
      System.out.println();
      System.out.println("| question over a day of 1,000,000 records | first, ms | p50 | worst |");
      System.out.println("|---|---|---|---|");
      ask("count by level every 15 min", "events then count every 15m then sum by level");
      ask("one level", "events where level = 'error' then count every 15m then sum");
      ask(
          "one label's value",
          "events where service = 'payments' and host = 'h7' then count every 15m then sum");
      ask("a word of the text", "events where text like '%sailing 4711%' then keep time, text");
      ask("a field", "events where http.status = '503' then count every 15m then sum by service");
    }
    System.out.printf(
        "%n| on disk after a clean stop | %.0f bytes a record |%n",
        Files.size(data.resolve("vintrel.mv.db")) / (double) RECORDS);
  }

  private static void send() throws Exception {
    var random = new Random(1);
    long end = System.currentTimeMillis() - 1000;
    double seconds = 0;
    for (int at = 0; at < RECORDS; at += AT_ONCE) {
      var body = request(at, end, random).getBytes(StandardCharsets.UTF_8);
      long started = System.nanoTime();
      var answer = Vintrel.post("/v1/logs", "application/json", body);
      seconds += (System.nanoTime() - started) / 1e9;
      if (answer.statusCode() != 200) {
        throw new IllegalStateException("refused: " + answer.statusCode() + " " + answer.body());
      }
    }
    System.out.println("| log records over OTLP/HTTP as JSON, 2,000 a request | |");
    System.out.println("|---|---|");
    System.out.printf("| records/s, sent to durable | %,.0f |%n", RECORDS / seconds);
  }

  /** Records of one host and service, in order of time. */
  private static String request(int at, long end, Random random) {
    int host = random.nextInt(24);
    var service = SERVICES[random.nextInt(SERVICES.length)];
    var records = new ArrayList<String>();
    for (int i = at; i < at + AT_ONCE; i++) {
      long time = end - DAY + (long) (i * (double) DAY / RECORDS);
      int level = random.nextInt(100);
      int number = level == 0 ? 17 : level < 8 ? 13 : level < 90 ? 9 : 5;
      int status = level == 0 ? 503 : 200;
      records.add(
          ("{\"timeUnixNano\":\"%d000000\",\"severityNumber\":%d,\"body\":{\"stringValue\":\"ticket"
                  + " MF-%06d for sailing %d from berth %d answered in %d ms\"},\"attributes\":["
                  + "{\"key\":\"http\",\"value\":{\"kvlistValue\":{\"values\":[{\"key\":\"status\","
                  + "\"value\":{\"intValue\":\"%d\"}}]}}},{\"key\":\"ticket\",\"value\":"
                  + "{\"stringValue\":\"%08x\"}}]}")
              .formatted(
                  time,
                  number,
                  random.nextInt(1_000_000),
                  random.nextInt(10_000),
                  random.nextInt(12),
                  random.nextInt(900),
                  status,
                  random.nextInt()));
    }
    return ("{\"resourceLogs\":[{\"resource\":{\"attributes\":[{\"key\":\"service.name\",\"value\":"
                + "{\"stringValue\":\"%s\"}},{\"key\":\"host.name\",\"value\":{\"stringValue\":\"h%d\"}}]},"
                + "\"scopeLogs\":[{\"logRecords\":[%s]}]}]}")
        .formatted(service, host, String.join(",", records));
  }

  private static void ask(String name, String query) throws Exception {
    var times = new ArrayList<Double>();
    double first = 0;
    for (int i = 0; i <= ASKED; i++) {
      var body =
          "{\"query\": \"%s\", \"from\": \"-1d\", \"to\": \"now\"}".formatted(query).getBytes();
      long started = System.nanoTime();
      var answer = Vintrel.post("/api/v1/query", "application/json", body);
      double took = (System.nanoTime() - started) / 1e6;
      if (answer.statusCode() != 200) {
        throw new IllegalStateException(answer.body());
      }
      if (i == 0) {
        first = took;
      } else {
        times.add(took);
      }
    }
    times.sort(null);
    System.out.printf(
        "| %s | %.0f | %.0f | %.0f |%n", name, first, IngestBench.at(times, 0.5), times.getLast());
  }
}
