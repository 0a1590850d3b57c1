package vintrel.server.ask;

import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.BooleanSupplier;
import java.util.function.UnaryOperator;
import org.springframework.stereotype.Service;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.Outside;
import vintrel.core.query.QueryException;
import vintrel.core.series.Labels;
import vintrel.server.web.OutboundGuard;

/** Asks other Vintrels over their API, with a token. Any thread. */
@Service
class RemoteStores {
  private static final Duration PATIENCE = Duration.ofSeconds(10);
  private static final int LOOKED_EVERY = 100;
  private static final JsonMapper JSON = JsonMapper.shared();

  private final OutboundGuard guard;
  private final HttpClient http =
      HttpClient.newBuilder()
          .connectTimeout(Duration.ofSeconds(3))
          .followRedirects(HttpClient.Redirect.NEVER)
          .build();

  RemoteStores(OutboundGuard guard) {
    this.guard = guard;
  }

  /**
   * @throws IllegalArgumentException saying what an address may be
   */
  void checkUrl(String url) {
    guard.check(url.strip());
  }

  /** Asks for nothing much, to see whether the address and the token are right. */
  void reach(OutsideStores.Access access) {
    send(access, "1", "-5m", "now", 60_000, () -> false);
  }

  /**
   * The answer to a query there.
   *
   * @param cancelled true ends it with code {@code cancelled}
   * @throws QueryException with code {@code unreachable} where no answer comes, or with what the
   *     other says
   */
  Outside.Remote ask(
      OutsideStores.Access access,
      String query,
      long from,
      long to,
      long pitch,
      BooleanSupplier cancelled) {
    var answer = send(access, query, from, to, pitch, cancelled);
    var frames = new ArrayList<Frame>();
    answer.path("frames").forEach(f -> frames.add(frame(f)));
    var advice = new ArrayList<Outside.Doubt>();
    for (var a : answer.path("advice")) {
      advice.add(new Outside.Doubt(a.path("code").asString(""), a.path("text").asString("")));
    }
    var stats = answer.path("stats");
    return new Outside.Remote(
        frames, stats.path("series").asInt(0), stats.path("samples").asLong(0), advice);
  }

  private JsonNode send(
      OutsideStores.Access access,
      String query,
      Object from,
      Object to,
      long pitch,
      BooleanSupplier cancelled) {
    var question = new LinkedHashMap<String, Object>();
    question.put("query", query);
    question.put("from", from);
    question.put("to", to);
    question.put("step", pitch == 0 ? null : pitch + "ms");
    var body = HttpRequest.BodyPublishers.ofString(JSON.writeValueAsString(question));
    return exchange(access, "/api/v1/query", r -> r.POST(body), cancelled);
  }

  /**
   * What a path of its API answers.
   *
   * @throws QueryException with code {@code unreachable} where no answer comes
   */
  JsonNode get(OutsideStores.Access access, String path) {
    return exchange(access, path, HttpRequest.Builder::GET, () -> false);
  }

  private JsonNode exchange(
      OutsideStores.Access access,
      String path,
      UnaryOperator<HttpRequest.Builder> method,
      BooleanSupplier cancelled) {
    try {
      var uri = guard.check(access.url());
      var request =
          HttpRequest.newBuilder(URI.create(uri.toString().replaceAll("/+$", "") + path))
              .timeout(PATIENCE)
              .header("Authorization", "Bearer " + access.secret())
              .header("Content-Type", "application/json");
      var asked =
          http.sendAsync(method.apply(request).build(), HttpResponse.BodyHandlers.ofString());
      return read(access, await(asked, cancelled));
    } catch (ExecutionException | IllegalArgumentException e) {
      var why = e.getCause() == null ? e : e.getCause();
      throw away(access, "it can't be reached (" + why.getMessage() + ")");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw ended();
    }
  }

  private static <T> T await(CompletableFuture<T> answer, BooleanSupplier cancelled)
      throws ExecutionException, InterruptedException {
    while (true) {
      try {
        return answer.get(LOOKED_EVERY, TimeUnit.MILLISECONDS);
      } catch (TimeoutException e) {
        if (cancelled.getAsBoolean()) {
          answer.cancel(true);
          throw ended();
        }
      }
    }
  }

  private static QueryException ended() {
    return new QueryException("cancelled", "the query was cancelled", 0, 0);
  }

  private static JsonNode read(OutsideStores.Access access, HttpResponse<String> answer) {
    JsonNode body;
    try {
      body = JSON.readTree(answer.body());
    } catch (JacksonException e) {
      throw away(access, "it answered " + answer.statusCode() + " and no JSON");
    }
    if (answer.statusCode() == 200) {
      return body;
    }
    var error = body.path("error");
    var text = error.path("text").asString("no reason given");
    int status = answer.statusCode();
    if (status == 401 || status == 403 || status >= 500) {
      throw away(access, "it answered " + status + ": " + text);
    }
    throw new QueryException(
        error.path("code").asString("remote"), access.name() + ": " + text, 0, 0);
  }

  private static QueryException away(OutsideStores.Access access, String why) {
    return new QueryException("unreachable", access.name() + ": " + why, 0, 0);
  }

  private static Frame frame(JsonNode frame) {
    var columns = new ArrayList<Column>();
    for (int c = 0; c < frame.path("columns").size(); c++) {
      var head = frame.path("columns").get(c);
      var values = frame.path("values").get(c);
      var name = head.path("name").asString("");
      columns.add(
          switch (head.path("type").asString("")) {
            case "time" -> new Column.Time(name, longs(values));
            case "number" ->
                new Column.Number(
                    name,
                    head.path("unit").asString(""),
                    labels(head),
                    doubles(values),
                    null,
                    null);
            default -> new Column.Text(name, texts(values));
          });
    }
    return new Frame(frame.path("name").asString(""), columns);
  }

  private static Labels labels(JsonNode head) {
    Map<String, String> out = new LinkedHashMap<>();
    head.path("labels").properties().forEach(p -> out.put(p.getKey(), p.getValue().asString()));
    return Labels.of(out);
  }

  private static long[] longs(JsonNode values) {
    var out = new long[values.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = values.get(i).asLong(Long.MIN_VALUE);
    }
    return out;
  }

  private static double[] doubles(JsonNode values) {
    var out = new double[values.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = values.get(i).isNumber() ? values.get(i).asDouble() : Double.NaN;
    }
    return out;
  }

  private static String[] texts(JsonNode values) {
    var out = new String[values.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = values.get(i).isNull() ? "" : values.get(i).asString();
    }
    return out;
  }
}
