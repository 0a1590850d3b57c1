package vintrel.server.ask;

import java.util.List;
import java.util.Map;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.query.syntax.Expr;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.server.web.CurrentUser;

/** Lists metrics, series and label values. */
@RestController
class CatalogueApi {
  private static final int MAX_SERIES = 10_000;

  private final SampleStore store;
  private final Catalogue catalogue;
  private final Queries queries;

  CatalogueApi(SampleStore store, Catalogue catalogue, Queries queries) {
    this.queries = queries;
    this.store = store;
    this.catalogue = catalogue;
  }

  /**
   * Metrics by name.
   *
   * @param search words that name, description, labels or values must hold
   * @param named the store that has them; absent: any
   */
  @GetMapping("/api/v1/metrics")
  List<MetricJson> metrics(
      @RequestParam(defaultValue = "") String search,
      @RequestParam(name = "store", defaultValue = "") String named) {
    var only = CurrentUser.store();
    if (!only.isEmpty() && !named.isEmpty() && !named.equals(only)) {
      throw new IllegalArgumentException("this token reads the store '" + only + "' only");
    }
    return queries.inTurn(
        () ->
            catalogue.find(search, only.isEmpty() ? named : only).stream()
                .map(f -> json(f, only))
                .toList());
  }

  /**
   * A metric.
   *
   * @param last time of the latest sample, ms; null if there is none
   */
  record MetricJson(
      String name,
      String kind,
      String unit,
      int series,
      List<String> labels,
      List<String> stores,
      Long last,
      String description) {}

  /**
   * A series.
   *
   * @param last time of the latest sample, ms; null if there is none
   */
  record SeriesJson(
      String metric, Map<String, String> labels, String kind, String unit, Long last) {}

  private MetricJson json(Catalogue.Found found, String only) {
    var metric = found.metric();
    long newest = only.isEmpty() ? found.newest() : newest(metric.name(), only);
    return new MetricJson(
        metric.name(),
        metric.kind().text(),
        metric.unit(),
        metric.series(),
        metric.labels(),
        found.stores().stream().filter(s -> only.isEmpty() || s.equals(only)).sorted().toList(),
        newest == 0 ? null : newest,
        found.note());
  }

  private long newest(String metric, String in) {
    return store.select(in, metric, Condition.ALL).stream()
        .mapToLong(s -> Math.max(0, store.newest(s.id())))
        .max()
        .orElse(0);
  }

  /** {@code match} is a metric with conditions, as at the start of a line; absent: all. */
  @GetMapping("/api/v1/series")
  List<SeriesJson> series(@RequestParam(required = false) String match) {
    var source = QueryApi.source(match);
    return queries
        .inTurn(() -> store.select(source.store(), metric(source), source.where()))
        .stream()
        .limit(MAX_SERIES)
        .map(
            s ->
                new SeriesJson(
                    s.metric(),
                    s.labels().asMap(),
                    s.kind().text(),
                    s.unit(),
                    store.newest(s.id()) == Long.MIN_VALUE ? null : store.newest(s.id())))
        .toList();
  }

  @GetMapping("/api/v1/labels/{name}/values")
  List<String> values(@PathVariable String name, @RequestParam(required = false) String match) {
    var source = QueryApi.source(match);
    return queries.inTurn(
        () -> store.catalog().labelValues(name, source.store(), metric(source), source.where()));
  }

  private static String metric(Expr.Source source) {
    return source.name().isEmpty() ? null : source.name();
  }
}
