package vintrel.server.ask;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.time.Clock;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.springframework.core.io.ClassPathResource;
import org.springframework.core.io.Resource;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.Evaluator;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.series.Condition;
import vintrel.core.store.MemoryClaim;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.web.CurrentUser;

/** Queries and the catalogue over the API. */
@RestController
class QueryApi {
  private static final int POINTS = 300;
  private static final int MAX_SERIES = 10_000;
  private static final long INSTANT_MILLIS = 30_000;

  private final Queries queries;
  private final Clock clock;

  QueryApi(Queries queries, Clock clock) {
    this.queries = queries;
    this.clock = clock;
  }

  /**
   * The body of a query.
   *
   * @param from text or ms; absent: an hour ago
   * @param to text or ms, exclusive; absent: now
   * @param step of the buckets, a duration; absent: about 300 of them
   * @param at text or ms: the value of each series at this instant, in place of a range
   * @param store read if a source names none; absent: all
   * @param zone where days begin; absent: UTC
   * @param controls values by name of a control
   * @param explain whether the plan is answered too
   */
  record Question(
      String query,
      Object from,
      Object to,
      String step,
      Object at,
      String store,
      String zone,
      Map<String, List<String>> controls,
      Boolean explain) {}

  @PostMapping("/api/v1/query")
  Object query(
      @RequestBody Question q, @RequestHeader(name = "Accept", defaultValue = "") String accept) {
    if (q.query() == null || q.query().isBlank()) {
      throw new IllegalArgumentException("query is missing");
    }
    var zone = zone(q.zone());
    var now = Instant.ofEpochMilli(clock.millis());
    long step = q.step() == null ? 0 : step(q.step());
    if (q.at() != null) {
      return instant(q, TimeText.parse(q.at().toString(), now, zone), step, zone, accept);
    }
    var range = TimeText.range(text(q.from(), "-1h"), text(q.to(), "now"), now, zone);
    var answered = queries.answer(ask(q, range, zone).step(step));
    return body(
        q, answered.query(), answered.frames(), answered.answer(), range, accept, queries.claim());
  }

  private static Object body(
      Question q,
      Query query,
      List<Frame> frames,
      Answer answer,
      TimeText.Range range,
      String accept,
      MemoryClaim claim) {
    if (accept.startsWith("text/csv")) {
      return ResponseEntity.ok()
          .contentType(MediaType.parseMediaType("text/csv; charset=utf-8"))
          .body(FrameCsv.of(frames, claim));
    }
    var stats = answer.stats();
    return new Result(
        frames.stream().map(f -> FrameJson.of(f, range.from(), range.to())).toList(),
        answer.advice(),
        new StatsJson(
            stats.series(), stats.samples(), stats.millis(), stats.planning(), stats.tier()),
        Boolean.TRUE.equals(q.explain()) ? QueryPlanView.of(query, answer) : null);
  }

  /**
   * @param plan null unless it is asked for
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Result(
      List<FrameJson> frames,
      List<Advice> advice,
      StatsJson stats,
      List<QueryPlanView.Entry> plan) {}

  /**
   * @param ms of computing, all in all
   * @param planning ms of it to find the series
   */
  record StatsJson(int series, long samples, double ms, double planning, String tier) {}

  private static Queries.Ask ask(Question q, TimeText.Range range, ZoneId zone) {
    return new Queries.Ask(q.query(), range, POINTS)
        .with(controls(q))
        .at(zone)
        .in(q.store() == null ? "" : q.store());
  }

  /**
   * @throws IllegalArgumentException if a control has no list of texts
   */
  private static Map<String, List<String>> controls(Question q) {
    if (q.controls() == null) {
      return Map.of();
    }
    q.controls()
        .forEach(
            (name, values) -> {
              if (values == null || values.stream().anyMatch(v -> v == null)) {
                throw new IllegalArgumentException(
                    "controls." + name + " must be a list of texts, without null");
              }
            });
    return q.controls();
  }

  static ZoneId zone(String name) {
    try {
      return name == null ? ZoneOffset.UTC : ZoneId.of(name);
    } catch (DateTimeException e) {
      throw new IllegalArgumentException(
          "zone must be a time zone such as Europe/London, not '" + name + "'");
    }
  }

  private static long step(String text) {
    var millis = Durations.parse(text);
    if (millis.isEmpty() || millis.getAsLong() <= 0) {
      throw new IllegalArgumentException("step must be a duration such as 30s");
    }
    return millis.getAsLong();
  }

  /** One row of values at an instant, for each line that is shown. */
  private Object instant(Question q, long at, long step, ZoneId zone, String accept) {
    var query = Parser.parse(q.query());
    var request =
        Request.range(at, at, step > 0 ? step : Durations.MINUTE)
            .with(controls(q))
            .at(zone)
            .in(q.store() == null ? "" : q.store());
    var only = CurrentUser.store();
    var found =
        queries.inTurn(() -> queries.evaluator(only).instant(query, request, INSTANT_MILLIS));
    var frames = new ArrayList<Frame>();
    found
        .lines()
        .forEach(
            (line, readings) -> {
              var columns = new ArrayList<Column>();
              columns.add(new Column.Time("time", new long[] {at}));
              readings.forEach(r -> columns.add(column(r)));
              frames.add(new Frame(line, columns));
            });
    return body(
        q, query, frames, found.answer(), new TimeText.Range(at, at + 1), accept, queries.claim());
  }

  private static Column column(Evaluator.Reading reading) {
    var row = reading.row();
    return new Column.Number(
        row.name() == null ? row.metric() : row.name(),
        row.unit(),
        row.labels(),
        new double[] {reading.value()},
        null,
        null);
  }

  static String text(Object value, String otherwise) {
    return value == null ? otherwise : value.toString();
  }

  /** The description of all routes; it is read by tools, so it needs a token like the rest. */
  @GetMapping("/api/v1/openapi.json")
  ResponseEntity<Resource> openApi() {
    return ResponseEntity.ok()
        .contentType(MediaType.APPLICATION_JSON)
        .body(new ClassPathResource("openapi.json"));
  }

  /**
   * What is matched; of a token that is bound to a store, within that.
   *
   * @throws IllegalArgumentException if it is no metric with conditions, or in another store
   */
  static Expr.Source source(String match) {
    var only = CurrentUser.store();
    if (match == null || match.isBlank()) {
      return new Expr.Source("", only, Condition.ALL, vintrel.core.query.syntax.SourceSpan.NONE);
    }
    var query = Parser.parse(match);
    if (query.lines().size() == 1 && query.lines().getFirst().expr() instanceof Expr.Source s) {
      if (only.isEmpty() || s.store().equals(only)) {
        return s;
      }
      if (s.store().isEmpty()) {
        return new Expr.Source(s.name(), only, s.where(), s.span());
      }
      throw new IllegalArgumentException("this token reads the store '" + only + "' only");
    }
    throw new IllegalArgumentException(
        "`match` must be a metric with conditions, for example `cpu where host = 'a'`  cpu where"
            + " host = 'a'");
  }
}
