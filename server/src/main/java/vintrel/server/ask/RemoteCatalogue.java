package vintrel.server.ask;

import com.github.benmanes.caffeine.cache.AsyncLoadingCache;
import com.github.benmanes.caffeine.cache.Caffeine;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Executor;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import org.springframework.stereotype.Component;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.node.JsonNodeFactory;
import vintrel.core.query.assist.Completer;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.series.Condition;
import vintrel.server.web.Turns;

/**
 * The metrics of other Vintrels, at most a minute old. No call waits longer than a second: what
 * comes later is there the next time. Any thread.
 */
@Component
class RemoteCatalogue implements Completer.Elsewhere {
  private static final Duration ASKED_AGAIN = Duration.ofSeconds(30);
  private static final Duration FORGOTTEN = Duration.ofMinutes(10);
  private static final long TIMEOUT = 1000;
  private static final int MAX = 500;
  private static final Answer SILENT =
      new Answer(JsonNodeFactory.instance.arrayNode(), "no response yet");

  private final ExternalStores stores;
  private final RemoteStores remotes;
  private final AsyncLoadingCache<Question, Answer> known;

  RemoteCatalogue(ExternalStores stores, RemoteStores remotes) {
    this.stores = stores;
    this.remotes = remotes;
    Executor threads = task -> Thread.ofVirtual().name("catalogue elsewhere").start(task);
    this.known =
        Caffeine.newBuilder()
            .maximumSize(MAX)
            .refreshAfterWrite(ASKED_AGAIN)
            .expireAfterWrite(FORGOTTEN)
            .executor(threads)
            .buildAsync(this::ask);
  }

  /**
   * @param url of the store; another address is another store
   */
  private record Question(String store, String url, String path) {}

  /**
   * @param fault why it gave no answer, or empty
   */
  private record Answer(JsonNode body, String fault) {}

  /** A metric of another server; newest in ms, 0 if it has no sample. */
  record Metric(
      String store,
      String name,
      String kind,
      String unit,
      int series,
      List<String> labels,
      long newest,
      String note) {
    /** The query text for it. */
    String source() {
      return Printer.print(new Expr.Source(name, store, Condition.ALL, SourceSpan.NONE));
    }
  }

  /**
   * What one store has of what is sought.
   *
   * @param fault why it may be more, or empty
   */
  record Part(String store, List<Metric> metrics, String fault) {}

  /** By store; metrics whose name, description, labels or values there hold all words. */
  List<Part> find(String search) {
    var path = "/api/v1/metrics" + (search.isBlank() ? "" : "?search=" + encoded(search));
    var out = new ArrayList<Part>();
    for (var store : stores()) {
      var answer = soon(store, path);
      out.add(new Part(store, metrics(store, answer.body()), answer.fault()));
    }
    return out;
  }

  private Answer ask(Question question) {
    try {
      var access = stores.need(ExternalStores.Form.VINTREL, question.store());
      return new Answer(remotes.get(access, question.path()), "");
    } catch (QueryException e) {
      return new Answer(SILENT.body(), e.getMessage());
    }
  }

  private Answer soon(String store, String path) {
    return Turns.outside(() -> waited(store, path));
  }

  private Answer waited(String store, String path) {
    try {
      var url = stores.need(ExternalStores.Form.VINTREL, store).url();
      return known.get(new Question(store, url, path)).get(TIMEOUT, TimeUnit.MILLISECONDS);
    } catch (TimeoutException | ExecutionException | QueryException e) {
      return SILENT;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return SILENT;
    }
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8);
  }

  private static List<Metric> metrics(String store, JsonNode found) {
    var out = new ArrayList<Metric>();
    for (var m : found) {
      out.add(
          new Metric(
              store,
              m.path("name").asString(""),
              m.path("kind").asString("gauge"),
              m.path("unit").asString(""),
              m.path("series").asInt(0),
              texts(m.path("labels")),
              m.path("last").asLong(0),
              m.path("description").asString("")));
    }
    return out;
  }

  private static List<String> texts(JsonNode list) {
    var out = new ArrayList<String>();
    list.forEach(v -> out.add(v.asString("")));
    return out;
  }

  @Override
  public Collection<String> stores() {
    return stores.names(ExternalStores.Form.VINTREL);
  }

  private List<Metric> metricsOf(String store) {
    return metrics(store, soon(store, "/api/v1/metrics").body());
  }

  @Override
  public Collection<String> metrics(String store) {
    return metricsOf(store).stream().map(Metric::name).toList();
  }

  @Override
  public Collection<String> labels(String store, String metric) {
    return metricsOf(store).stream()
        .filter(m -> m.name().equals(metric))
        .flatMap(m -> m.labels().stream())
        .toList();
  }

  @Override
  public Collection<String> values(String store, String metric, String label) {
    var match = Printer.print(new Expr.Source(metric, "", Condition.ALL, SourceSpan.NONE));
    var path = "/api/v1/labels/" + encoded(label) + "/values?match=" + encoded(match);
    return texts(soon(store, path.replace("+", "%20")).body());
  }
}
