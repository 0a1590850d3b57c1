package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.http.HttpRequest;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.Executors;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.json.JsonMapper;

/**
 * Questions that would need more memory than there is, some at a time: each is answered or refused
 * in words, and the server lives. {@code -Dvintrel.expensive=2000} asks more, {@code
 * -Dvintrel.heap=1g} gives another heap, {@code -Dvintrel.seed=7} asks others.
 */
class ExpensiveQuestionsTest {
  private static final int QUESTIONS = Integer.getInteger("vintrel.expensive", 40);
  private static final String HEAP = System.getProperty("vintrel.heap", "512m");
  private static final long SEED = Long.getLong("vintrel.seed", 1);
  private static final int SERIES = 10_000;
  private static final int SAMPLES = 20;
  private static final Set<Integer> IN_WORDS = Set.of(200, 201, 400, 413, 422, 429, 503);

  private static final List<String> SOURCES =
      List.of(
          "many.m",
          "many.m where host like 'h00%'",
          "many.m where site = 's1'",
          "many.m where host = 'h00001'");

  private static final List<String> STEPS =
      List.of(
          "mean over 2d",
          "mean every 1s",
          "count every 1m",
          "max over 3h",
          "rate",
          "increase every 5m",
          "change over 1d",
          "slope over 1d",
          "sum by host",
          "mean by site",
          "top 50",
          "share",
          "fill with 0",
          "cumulate",
          "smooth over 3h",
          "gap after 1d",
          "age",
          "band 3",
          "outliers",
          "forecast 30d",
          "shift 1d",
          "shift 90m",
          "times 8",
          "rows",
          "rows then group by host: sum value",
          "columns",
          "bins 1000",
          "cells 1000 by 1000",
          "rows then sort by value descending",
          "rows then compute x = value * 2",
          "rows then join other on time",
          "median every 1h",
          "label as '{host} x'");

  private static final List<String> FROM =
      List.of("-1h", "-1d", "-138d", "0001-01-01", "-30m", "-7d");
  private static final List<String> PITCHES = List.of("", "1s", "1m", "1h", "1d", "40w", "10s");

  @TempDir Path data;
  private Child child;

  @AfterEach
  void stop() throws InterruptedException {
    if (child != null) {
      child.kill();
    }
  }

  private void fill() throws IOException {
    long now = System.currentTimeMillis();
    for (int first = 0; first < SERIES; first += 2_500) {
      var csv = new StringBuilder("time,metric,host,site,value\n");
      for (int k = first; k < first + 2_500; k++) {
        for (int i = 0; i < SAMPLES; i++) {
          csv.append(now - (SAMPLES - i) * 60_000L)
              .append(",many.m,h%05d,s%d,%d\n".formatted(k, k % 7, (k + i) % 97));
        }
      }
      assertThat(child.post("/api/v1/import?format=csv", "text/csv", csv.toString()).statusCode())
          .isEqualTo(200);
    }
  }

  private static <T> T one(Random random, List<T> of) {
    return of.get(random.nextInt(of.size()));
  }

  private static String chain(Random random) {
    var out = new StringBuilder(one(random, SOURCES));
    for (int n = random.nextInt(5); n > 0; n--) {
      out.append(" then ").append(one(random, STEPS));
    }
    return out.toString();
  }

  private static String query(Random random) {
    return switch (random.nextInt(6)) {
      case 0 -> "a: %s\nb: %s\nc: a / b".formatted(chain(random), chain(random));
      case 1 -> "(%s) + (%s)".formatted(chain(random), chain(random));
      case 2 ->
          "other: %s then rows\nx: %s then rows then join other on time"
              .formatted(chain(random), one(random, SOURCES));
      case 3 -> {
        var lines = new StringBuilder("a: " + chain(random));
        for (int i = random.nextInt(30); i > 0; i--) {
          lines.append("\nl").append(i).append(": a then times ").append(i);
        }
        yield lines.toString();
      }
      default -> chain(random);
    };
  }

  private HttpRequest.Builder request(Random random, int number) {
    var query = query(random);
    if (random.nextInt(8) == 0) {
      var rule =
          "kind: rule\nname: r%d\nquery: |\n  %s\nevery: 5s\nlimits: [{above: 1000000}]\n"
              .formatted(number, query.replace("\n", "\n  "));
      return child
          .to("/api/v1/definitions")
          .header("Content-Type", "application/yaml")
          .POST(HttpRequest.BodyPublishers.ofString(rule));
    }
    var from = one(random, FROM);
    var body = new java.util.HashMap<String, Object>();
    body.put("query", query);
    body.put("from", from);
    body.put("to", from.startsWith("0") ? "9999-01-01" : "now");
    var pitch = one(random, PITCHES);
    if (!pitch.isEmpty()) {
      body.put("step", pitch);
    }
    boolean fit = random.nextInt(8) == 0;
    if (fit) {
      body.put("kind", one(random, List.of("time-chart", "number", "ranking", "table")));
    }
    return child
        .to(fit ? "/api/v1/fit" : "/api/v1/query")
        .header("Content-Type", "application/json")
        .header("Accept", random.nextInt(4) == 0 && !fit ? "text/csv" : "application/json")
        .POST(HttpRequest.BodyPublishers.ofString(JsonMapper.shared().writeValueAsString(body)));
  }

  @Test
  void eachIsAnsweredOrRefusedInWordsAndTheServerLives() throws Exception {
    child = new Child(data, HEAP);
    child.start();
    fill();
    System.out.printf("%d expensive questions from seed %d%n", QUESTIONS, SEED);
    var random = new Random(SEED);
    var requests = new ArrayList<HttpRequest.Builder>();
    for (int i = 0; i < QUESTIONS; i++) {
      requests.add(request(random, i).timeout(java.time.Duration.ofSeconds(90)));
    }
    Map<Integer, Integer> found = new ConcurrentSkipListMap<>();
    try (var callers = Executors.newFixedThreadPool(4)) {
      for (var request : requests) {
        callers.submit(() -> found.merge(child.status(request), 1, Integer::sum));
      }
    }
    System.out.println("statuses: " + found);
    assertThat(found.keySet()).isSubsetOf(IN_WORDS);
    assertThat(child.alive()).isTrue();
    assertThat(child.ready()).isTrue();
  }
}
