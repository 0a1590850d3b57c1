package vintrel.server.ask;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.query.Expr;
import vintrel.core.query.Parser;
import vintrel.core.series.Condition;
import vintrel.core.unit.Spans;
import vintrel.core.unit.TimeText;
import vintrel.server.store.DurableStore;

/** Queries and the catalogue over the API. */
@RestController
class QueryApi {
  private static final int POINTS = 300;
  private static final int MOST_SERIES = 10_000;

  private final Queries queries;
  private final DurableStore store;
  private final Clock clock;

  QueryApi(Queries queries, DurableStore store, Clock clock) {
    this.queries = queries;
    this.store = store;
    this.clock = clock;
  }

  /** The body of a query; from, to are texts or ms, step a duration or null. */
  record Question(String query, Object from, Object to, String step, String store) {}

  @PostMapping("/api/v1/query")
  Map<String, Object> query(@RequestBody Question q) {
    if (q.query() == null || q.query().isBlank()) {
      throw new IllegalArgumentException("query is missing");
    }
    var range =
        TimeText.range(
            text(q.from(), "-1h"),
            text(q.to(), "now"),
            Instant.ofEpochMilli(clock.millis()),
            ZoneOffset.UTC);
    long step = 0;
    if (q.step() != null) {
      step =
          Spans.parse(q.step())
              .orElseThrow(
                  () -> new IllegalArgumentException("step must be a duration such as 30s"));
    }
    var answered = queries.range(q.query(), range, step, POINTS, Map.of());
    var stats = answered.answer().stats();
    var out = new LinkedHashMap<String, Object>();
    out.put("frames", answered.frames().stream().map(FrameJson::of).toList());
    out.put("advice", answered.advice());
    out.put(
        "stats",
        Map.of(
            "series",
            stats.series(),
            "samples",
            stats.samples(),
            "ms",
            stats.millis(),
            "tier",
            "raw"));
    return out;
  }

  private static String text(Object value, String otherwise) {
    return value == null ? otherwise : value.toString();
  }

  /** {@code match} is a metric with conditions, as at the start of a line; absent: all. */
  @GetMapping("/api/v1/series")
  List<Map<String, Object>> series(@RequestParam(required = false) String match) {
    var source = source(match);
    return store
        .select(source.store(), source.name().isEmpty() ? null : source.name(), source.where())
        .stream()
        .limit(MOST_SERIES)
        .map(
            s -> {
              var out = new LinkedHashMap<String, Object>();
              out.put("metric", s.metric());
              out.put("labels", s.labels().asMap());
              out.put("kind", s.kind().text());
              out.put("unit", s.unit());
              out.put("last", store.newest(s.id()) == Long.MIN_VALUE ? null : store.newest(s.id()));
              return (Map<String, Object>) out;
            })
        .toList();
  }

  @GetMapping("/api/v1/labels/{name}/values")
  List<String> values(@PathVariable String name, @RequestParam(required = false) String match) {
    var source = source(match);
    return store
        .index()
        .labelValues(
            name, source.store(), source.name().isEmpty() ? null : source.name(), source.where());
  }

  static Expr.Source source(String match) {
    if (match == null || match.isBlank()) {
      return new Expr.Source("", "", Condition.ALL, vintrel.core.query.Span.NONE);
    }
    var query = Parser.parse(match);
    if (query.lines().size() == 1 && query.lines().getFirst().expr() instanceof Expr.Source s) {
      return s;
    }
    throw new IllegalArgumentException(
        "match is a metric with conditions, such as  cpu where host = 'a'");
  }
}
