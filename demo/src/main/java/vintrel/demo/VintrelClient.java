package vintrel.demo;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.regex.Pattern;

/** Vintrel's public endpoints, as any sender uses them. */
final class VintrelClient {
  /** Of a history, which begins with the last version. */
  private static final Pattern LAST_BY = Pattern.compile("\"by\"\\s*:\\s*\"([^\"]*)\"");

  private final HttpClient http =
      HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
  private final String base;
  private final String token;
  private final String agent;

  VintrelClient(String base, String token) {
    this(base, token, "vintrel-demo");
  }

  private VintrelClient(String base, String token, String agent) {
    this.base = base;
    this.token = token;
    this.agent = agent;
  }

  /**
   * A client with a token of its own, as the programs of the fleet have; an earlier one of this
   * name ends.
   */
  VintrelClient sender(String name, String program, String category)
      throws IOException, InterruptedException {
    return new VintrelClient(base, token(name, category), program);
  }

  /**
   * A new token that may send; an earlier one of this name ends.
   *
   * @param category of what sends with it, or empty
   */
  String token(String name, String category) throws IOException, InterruptedException {
    var fields = "name=" + name + "&rights=metrics,events&replace=true&category=" + category;
    var answer =
        post("/api/v1/tokens", "application/x-www-form-urlencoded", fields.getBytes("UTF-8"));
    var matcher = java.util.regex.Pattern.compile("vt_[A-Za-z0-9_-]+").matcher(answer.body());
    if (!matcher.find()) {
      throw new IOException("no token: " + answer.statusCode() + " " + answer.body());
    }
    return matcher.group();
  }

  void awaitReady() throws InterruptedException {
    for (int i = 0; i < 600; i++) {
      try {
        var answer =
            http.send(
                HttpRequest.newBuilder(URI.create(base + "/health/ready"))
                    .timeout(Duration.ofSeconds(2))
                    .build(),
                HttpResponse.BodyHandlers.discarding());
        if (answer.statusCode() == 200) {
          return;
        }
      } catch (IOException e) {
        // It is still starting.
      }
      Thread.sleep(100);
    }
    throw new IllegalStateException("Vintrel did not become ready at " + base);
  }

  /** Sends metrics; waits and comes again if the server is busy. */
  void metrics(byte[] request) throws IOException, InterruptedException {
    while (true) {
      var answer = post("/v1/metrics", "application/x-protobuf", request);
      if (answer.statusCode() == 200) {
        return;
      }
      if (answer.statusCode() != 503 && answer.statusCode() != 429) {
        throw new IOException("metrics rejected: " + answer.statusCode() + " " + answer.body());
      }
      Thread.sleep(1000L * answer.headers().firstValueAsLong("Retry-After").orElse(1));
    }
  }

  /** The configuration that a collector takes. */
  String collector(String name) throws IOException, InterruptedException {
    var request =
        HttpRequest.newBuilder(URI.create(base + "/api/v1/collectors/" + name))
            .header("Authorization", "Bearer " + token)
            .timeout(Duration.ofSeconds(60))
            .build();
    return http.send(request, HttpResponse.BodyHandlers.ofString()).body();
  }

  /** Whether the last version of a definition was saved by somebody else than this program. */
  boolean changedBySomebody(String kind, String name) throws IOException, InterruptedException {
    var request =
        HttpRequest.newBuilder(
                URI.create(base + "/api/v1/definitions/%s/%s/history".formatted(kind, name)))
            .header("Authorization", "Bearer " + token)
            .timeout(Duration.ofSeconds(60))
            .build();
    var answer = http.send(request, HttpResponse.BodyHandlers.ofString());
    var by = LAST_BY.matcher(answer.body());
    return answer.statusCode() == 200 && by.find() && !by.group(1).equals("bootstrap");
  }

  /** Imports a page of OpenMetrics text. */
  void openMetrics(String page) throws IOException, InterruptedException {
    imports("format=openmetrics", "application/openmetrics-text", page);
  }

  /** Imports a table into a store. */
  void csv(String table, String store) throws IOException, InterruptedException {
    imports("format=csv&store=" + store, "text/csv", table);
  }

  private void imports(String how, String type, String text)
      throws IOException, InterruptedException {
    var answer = post("/api/v1/import?" + how, type, text.getBytes("UTF-8"));
    if (answer.statusCode() != 200) {
      throw new IOException("import rejected: " + answer.statusCode() + " " + answer.body());
    }
  }

  void definitions(String yaml) throws IOException, InterruptedException {
    var answer = post("/api/v1/definitions", "application/yaml", yaml.getBytes("UTF-8"));
    if (answer.statusCode() != 200) {
      throw new IOException("definitions rejected: " + answer.body());
    }
  }

  /** Log records as OTLP JSON. */
  void logs(String request) throws IOException, InterruptedException {
    var answer = post("/v1/logs", "application/json", request.getBytes("UTF-8"));
    if (answer.statusCode() != 200) {
      throw new IOException("records rejected: " + answer.statusCode() + " " + answer.body());
    }
  }

  /** Adds an external store. */
  void store(String name, String form, String url, String user, String secret)
      throws IOException, InterruptedException {
    var body =
        "{\"name\": \"%s\", \"form\": \"%s\", \"url\": \"%s\", \"username\": \"%s\", \"secret\": \"%s\"}"
            .formatted(name, form, url, user, secret);
    var answer = post("/api/v1/stores", "application/json", body.getBytes("UTF-8"));
    if (answer.statusCode() != 200) {
      throw new IOException("the store " + name + " was rejected: " + answer.body());
    }
  }

  /** After the newest record in a range; its start if there is none. */
  long newestRecord(long from, long to) throws IOException, InterruptedException {
    var body =
        "{\"query\": \"events then sort by time descending then limit 1 then keep time\", \"from\": %d, \"to\": %d}"
            .formatted(from, to);
    var answer = post("/api/v1/query", "application/json", body.getBytes("UTF-8")).body();
    var matcher = java.util.regex.Pattern.compile("\\[\\[(\\d+)]]").matcher(answer);
    return matcher.find() ? Long.parseLong(matcher.group(1)) + 1 : from;
  }

  /** The time of the newest sample of a metric, or 0 if it is not known. */
  long newest(String metric) throws IOException, InterruptedException {
    var request =
        HttpRequest.newBuilder(URI.create(base + "/api/v1/series?match=" + metric))
            .header("Authorization", "Bearer " + token)
            .build();
    var body = http.send(request, HttpResponse.BodyHandlers.ofString()).body();
    long newest = 0;
    var matcher = java.util.regex.Pattern.compile("\"last\":(\\d+)").matcher(body);
    while (matcher.find()) {
      newest = Math.max(newest, Long.parseLong(matcher.group(1)));
    }
    return newest;
  }

  private HttpResponse<String> post(String path, String type, byte[] body)
      throws IOException, InterruptedException {
    var request =
        HttpRequest.newBuilder(URI.create(base + path))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", type)
            .header("User-Agent", agent)
            .timeout(Duration.ofSeconds(60))
            .POST(HttpRequest.BodyPublishers.ofByteArray(body))
            .build();
    return http.send(request, HttpResponse.BodyHandlers.ofString());
  }
}
