package vintrel.server.ask;

import java.io.IOException;
import java.net.URI;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Service;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.store.MemoryClaim;
import vintrel.server.web.OutboundGuard;
import vintrel.server.web.Outgoing;

/** Asks other Vintrels over their API, with a token. Any thread. */
@Service
class RemoteStores {
  /** ms for a whole exchange. */
  private static final long TIMEOUT = 10_000;

  /** Bytes of an answer. */
  private static final long MAX_BYTES = 16_000_000;

  /** What a byte of JSON may become while it is read. */
  private static final int SPREAD = 20;

  private static final JsonMapper JSON = JsonMapper.shared();

  private final OutboundGuard guard;
  private final Outgoing outgoing;

  RemoteStores(OutboundGuard guard, Outgoing outgoing) {
    this.guard = guard;
    this.outgoing = outgoing;
  }

  /**
   * @throws IllegalArgumentException saying what an address may be
   */
  void checkUrl(String url) {
    if (guard.check(url.strip()).getRawUserInfo() != null) {
      throw new IllegalArgumentException("leave user and password out of the address");
    }
  }

  /** Asks for nothing much, to see whether the address and the token are right. */
  void reach(ExternalStores.Access access) {
    send(access, "1", "-5m", "now", 60_000, () -> false, new Claimed(MemoryClaim.NONE));
  }

  /**
   * The answer to a query there.
   *
   * @param cancelled true ends it with code {@code cancelled}
   * @throws QueryException with code {@code unreachable} if no answer comes, or with what the other
   *     says
   */
  ExternalSource.Remote ask(
      ExternalStores.Access access,
      String query,
      long from,
      long to,
      long pitch,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    var claimed = new Claimed(memory);
    var answer = send(access, query, from, to, pitch, cancelled, claimed);
    var frames = new ArrayList<Frame>();
    answer.path("frames").forEach(f -> frames.add(frame(f)));
    claimed.keep(frames.stream().mapToLong(Frame::bytes).sum());
    var advice = new ArrayList<ExternalSource.RemoteAdvice>();
    for (var a : answer.path("advice")) {
      advice.add(
          new ExternalSource.RemoteAdvice(
              a.path("code").asString(""), a.path("text").asString("")));
    }
    var stats = answer.path("stats");
    return new ExternalSource.Remote(
        frames, stats.path("series").asInt(0), stats.path("samples").asLong(0), advice);
  }

  /** Memory for an answer: as bytes, then as a tree, at last as frames. One thread. */
  private static final class Claimed {
    private final MemoryClaim memory;
    private long own;

    Claimed(MemoryClaim memory) {
      this.memory = memory;
    }

    void take(long bytes) {
      memory.take(bytes);
      own += bytes;
    }

    /** Gives back all but so much. */
    void keep(long bytes) {
      memory.give(Math.max(0, own - bytes));
    }
  }

  private JsonNode send(
      ExternalStores.Access access,
      String query,
      Object from,
      Object to,
      long pitch,
      BooleanSupplier cancelled,
      Claimed memory) {
    var question = new LinkedHashMap<String, Object>();
    question.put("query", query);
    question.put("from", from);
    question.put("to", to);
    question.put("step", pitch == 0 ? null : pitch + "ms");
    var body = JSON.writeValueAsBytes(question);
    return exchange(access, "POST", "/api/v1/query", body, cancelled, memory);
  }

  /**
   * What a path of its API answers.
   *
   * @throws QueryException with code {@code unreachable} if no answer comes
   */
  JsonNode get(ExternalStores.Access access, String path) {
    return exchange(access, "GET", path, null, () -> false, new Claimed(MemoryClaim.NONE));
  }

  private JsonNode exchange(
      ExternalStores.Access access,
      String method,
      String path,
      byte[] body,
      BooleanSupplier cancelled,
      Claimed memory) {
    memory.take(MAX_BYTES);
    try {
      var uri = guard.check(access.url());
      var headers =
          Map.of(
              "Authorization",
              "Bearer " + access.secret(),
              "Content-Type",
              "application/json",
              "Accept",
              "application/json");
      var url = URI.create(uri.toString().replaceAll("/+$", "") + path);
      var answer =
          outgoing.call(
              new Outgoing.Call(method, url, headers, body, TIMEOUT, MAX_BYTES, cancelled));
      memory.take(Math.max(0, (long) SPREAD * answer.body().length - MAX_BYTES));
      return read(access, answer);
    } catch (IOException | IllegalArgumentException e) {
      if (cancelled.getAsBoolean()) {
        throw ended();
      }
      throw away(access, "unreachable (" + e.getMessage() + ")");
    }
  }

  private static QueryException ended() {
    return new QueryException("cancelled", "the query was cancelled", 0, 0);
  }

  private static JsonNode read(ExternalStores.Access access, Outgoing.Answer answer) {
    JsonNode body;
    try {
      body = JSON.readTree(answer.body());
    } catch (JacksonException e) {
      throw away(access, "returned " + answer.status() + " without JSON");
    }
    if (answer.status() == 200) {
      return body;
    }
    var error = body.path("error");
    var text = error.path("text").asString("no reason given");
    int status = answer.status();
    if (status == 401 || status == 403 || status >= 500) {
      throw away(access, "it answered " + status + ": " + text);
    }
    throw new QueryException(
        error.path("code").asString("remote"), access.name() + ": " + text, 0, 0);
  }

  private static QueryException away(ExternalStores.Access access, String why) {
    return new QueryException("unreachable", access.name() + ": " + why, 0, 0);
  }

  /** Columns that are shorter than others, or not there, have missing values. */
  private static Frame frame(JsonNode frame) {
    var columns = new ArrayList<Column>();
    int rows = 0;
    for (var values : frame.path("values")) {
      rows = Math.max(rows, values.size());
    }
    for (int c = 0; c < frame.path("columns").size(); c++) {
      var head = frame.path("columns").get(c);
      var values = frame.path("values").path(c);
      var name = head.path("name").asString("");
      columns.add(
          switch (head.path("type").asString("")) {
            case "time" -> new Column.Time(name, longs(values, rows));
            case "number" ->
                new Column.Number(
                    name,
                    head.path("unit").asString(""),
                    labels(head),
                    doubles(values, rows),
                    null,
                    null);
            default -> new Column.Text(name, texts(values, rows));
          });
    }
    return new Frame(frame.path("name").asString(""), columns);
  }

  private static Labels labels(JsonNode head) {
    Map<String, String> out = new LinkedHashMap<>();
    head.path("labels").properties().forEach(p -> out.put(p.getKey(), p.getValue().asString("")));
    return Labels.of(out);
  }

  private static long[] longs(JsonNode values, int rows) {
    var out = new long[rows];
    Arrays.setAll(out, i -> values.path(i).asLong(Long.MIN_VALUE));
    return out;
  }

  private static double[] doubles(JsonNode values, int rows) {
    var out = new double[rows];
    Arrays.setAll(out, i -> values.path(i).isNumber() ? values.path(i).asDouble() : Double.NaN);
    return out;
  }

  private static String[] texts(JsonNode values, int rows) {
    var out = new String[rows];
    Arrays.setAll(out, i -> values.path(i).asString(""));
    return out;
  }
}
