package vintrel.bench;

import java.net.URI;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.concurrent.atomic.AtomicBoolean;

/**
 * A normal client that sends and queries, alone and beside attacks: queries without end, sign-ins
 * in a loop, large bodies, patterns that multiply.
 */
final class SafeBench {
  private static final int ROUNDS = 100;
  private static final int SAMPLES = 150_000;

  private static final String CSRF = "00000000-0000-4000-8000-000000000000";

  private final Path jar;

  SafeBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  private interface Step {
    void run() throws Exception;
  }

  void run() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    try (var server = Vintrel.start(jar, data, List.of())) {
      server.await("/health/ready");
      fill();
      var heavy = token("heavy");
      var normal = token("normal");
      System.out.println(
          "| while | health p99, worst, ms | 100 samples sent p99, worst | a question p99, worst"
              + " |");
      System.out.println("|---|---|---|---|");
      measure("nothing else goes on", normal, List.of());
      measure(
          "16 questions `smooth over 6h` twice",
          normal,
          repeat(
              16, () -> ask(heavy, "safe.m then smooth over 6h then smooth over 6h", "-2d", "1s")));
      measure(
          "16 questions `band 3`",
          normal,
          repeat(16, () -> ask(heavy, "safe.m then band 3", "-2d", "1s")));
      measure("12 sign-ins in a loop", normal, repeat(12, SafeBench::signIn));
      measure("8 bodies of 7 MB in a loop", normal, repeat(8, () -> send(heavy, body(120_000))));
      measure(
          "patterns that multiply",
          normal,
          repeat(8, () -> ask(heavy, "safe.m where a matches '((a{1000}){1000})'", "-1h", "1m")));
      measure("all of it", normal, all(heavy));
    }
  }

  private static List<Step> all(String heavy) {
    var out = new ArrayList<Step>();
    out.addAll(
        repeat(8, () -> ask(heavy, "safe.m then smooth over 6h then smooth over 6h", "-2d", "1s")));
    out.addAll(repeat(8, () -> ask(heavy, "safe.m then band 3", "-2d", "1s")));
    out.addAll(repeat(12, SafeBench::signIn));
    out.addAll(repeat(4, () -> send(heavy, body(120_000))));
    return out;
  }

  private static List<Step> repeat(int n, Step step) {
    return java.util.Collections.nCopies(n, step);
  }

  private static void measure(String name, String normal, List<Step> attack) throws Exception {
    var over = new AtomicBoolean();
    var threads = new ArrayList<Thread>();
    for (var step : attack) {
      threads.add(
          Thread.startVirtualThread(
              () -> {
                while (!over.get()) {
                  try {
                    step.run();
                  } catch (Exception e) {
                    // What is refused or ended is as good as answered.
                  }
                }
              }));
    }
    Thread.sleep(attack.isEmpty() ? 0 : 3_000);
    var health = new double[ROUNDS];
    var sent = new double[ROUNDS];
    var asked = new double[ROUNDS];
    for (int i = 0; i < ROUNDS; i++) {
      health[i] = millis(() -> status("/health/ready"));
      sent[i] = millis(() -> need(send(normal, body(100))));
      asked[i] =
          millis(() -> need(ask(normal, "normal.m then mean every 1m then sum", "-1h", "1m")));
    }
    over.set(true);
    System.out.printf(
        "| %s | %s | %s | %s |%n", name, formatted(health), formatted(sent), formatted(asked));
    for (var t : threads) {
      t.join(40_000);
    }
  }

  private static void need(HttpResponse<String> answer) {
    if (answer.statusCode() != 200) {
      throw new IllegalStateException(
          "a normal client was refused: " + answer.statusCode() + " " + answer.body());
    }
  }

  private static double millis(Step step) throws Exception {
    long begun = System.nanoTime();
    step.run();
    return (System.nanoTime() - begun) / 1e6;
  }

  private static String formatted(double[] times) {
    Arrays.sort(times);
    return "%.0f, %.0f".formatted(times[(int) (times.length * 0.99) - 1], times[times.length - 1]);
  }

  private static String token(String name) throws Exception {
    var made =
        Vintrel.post("/api/v1/tokens?scope=ALL&name=" + name, "application/json", new byte[0])
            .body();
    return made.replaceFirst(".*\"token\":\"([^\"]+)\".*", "$1");
  }

  private static void fill() throws Exception {
    long now = System.currentTimeMillis();
    for (int at = 0; at < SAMPLES; at += 50_000) {
      var text = new StringBuilder("[");
      for (int i = at; i < at + 50_000; i++) {
        text.append(i == at ? "" : ",")
            .append(
                "{\"metric\":\"safe.m\",\"value\":%d,\"time\":\"%d\"}"
                    .formatted(i % 97, now - (SAMPLES - i) * 1000L));
      }
      need(
          Vintrel.post(
              "/api/v1/samples",
              "application/json",
              text.append("]").toString().getBytes(StandardCharsets.UTF_8)));
    }
  }

  private static byte[] body(int samples) {
    var text = new StringBuilder("[");
    for (int i = 0; i < samples; i++) {
      text.append(i == 0 ? "" : ",")
          .append(
              "{\"metric\":\"normal.m\",\"value\":1,\"labels\":{\"n\":\"%d\"}}".formatted(i % 100));
    }
    return text.append("]").toString().getBytes(StandardCharsets.UTF_8);
  }

  private static HttpResponse<String> as(String token, String path, byte[] body) throws Exception {
    return Vintrel.HTTP.send(
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + Vintrel.PORT + path))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", "application/json")
            .POST(HttpRequest.BodyPublishers.ofByteArray(body))
            .build(),
        HttpResponse.BodyHandlers.ofString());
  }

  private static HttpResponse<String> send(String token, byte[] body) throws Exception {
    return as(token, "/api/v1/samples", body);
  }

  private static HttpResponse<String> ask(String token, String query, String from, String step)
      throws Exception {
    var body = "{\"query\":\"%s\",\"from\":\"%s\",\"step\":\"%s\"}".formatted(query, from, step);
    return as(token, "/api/v1/query", body.getBytes(StandardCharsets.UTF_8));
  }

  private static void status(String path) throws Exception {
    Vintrel.HTTP.send(
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + Vintrel.PORT + path)).build(),
        HttpResponse.BodyHandlers.discarding());
  }

  /** As a page would carry it, with a mask of zeros. */
  private static byte[] masked() {
    var plain = CSRF.getBytes(StandardCharsets.UTF_8);
    var out = new byte[2 * plain.length];
    System.arraycopy(plain, 0, out, plain.length, plain.length);
    return out;
  }

  private static void signIn() throws Exception {
    Vintrel.HTTP.send(
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + Vintrel.PORT + "/signin"))
            .header("Content-Type", "application/x-www-form-urlencoded")
            .header("Cookie", "vintrel-csrf=" + CSRF)
            .POST(
                HttpRequest.BodyPublishers.ofString(
                    "username=admin"
                        + System.nanoTime()
                        + "&password=guess&_csrf="
                        + Base64.getUrlEncoder().encodeToString(masked())))
            .build(),
        HttpResponse.BodyHandlers.discarding());
  }
}
