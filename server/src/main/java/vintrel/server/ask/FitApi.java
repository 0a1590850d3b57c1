package vintrel.server.ask;

import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.unit.TimeText;

/** Fit over the API: which steps bring a query into the shape that a kind of panel needs. */
@RestController
class FitApi {
  private static final int POINTS = 300;

  private final Fitting fitting;
  private final Clock clock;

  FitApi(Fitting fitting, Clock clock) {
    this.fitting = fitting;
    this.clock = clock;
  }

  /**
   * The body of a request.
   *
   * @param kind of panel
   * @param from text or ms; absent: an hour ago
   * @param to text or ms, exclusive; absent: now
   * @param zone where days begin; absent: UTC
   */
  record Question(
      String query,
      String kind,
      Object from,
      Object to,
      String store,
      String zone,
      Map<String, List<String>> controls) {}

  /**
   * A proposal.
   *
   * @param query the whole query with the steps
   * @param gives the shape of its result, in words
   * @param text what the steps do
   * @param steps that were added, in order
   * @param hides what is not seen any more; empty: nothing
   */
  record Proposal(String query, String gives, String text, List<String> steps, String hides) {}

  /**
   * @param needs the shape that the kind needs, in words
   * @param gives the shape of the query's result, in words
   * @param fits whether it can be drawn as it is
   */
  record Answer(String needs, String gives, boolean fits, List<Proposal> proposals) {}

  @PostMapping("/api/v1/fit")
  Answer fit(@RequestBody Question q) {
    if (q.query() == null || q.query().isBlank()) {
      throw new IllegalArgumentException("query is missing");
    }
    if (q.kind() == null || q.kind().isBlank()) {
      throw new IllegalArgumentException("kind is missing");
    }
    var need = Fitting.need(q.kind());
    var zone = QueryApi.zone(q.zone());
    var range =
        TimeText.range(
            QueryApi.text(q.from(), "-1h"),
            QueryApi.text(q.to(), "now"),
            Instant.ofEpochMilli(clock.millis()),
            zone);
    var ask =
        new Queries.Ask(q.query(), range, POINTS)
            .with(q.controls() == null ? Map.of() : q.controls())
            .at(zone)
            .in(q.store() == null ? "" : q.store());
    var fitted = fitting.fit(ask, need, "");
    return new Answer(
        need.words(),
        fitted.result().gives(),
        fitted.result().fits(),
        fitted.tried().stream()
            .map(
                t ->
                    new Proposal(
                        t.proposal().query(),
                        t.gives(),
                        t.proposal().text(),
                        t.proposal().steps(),
                        t.hides()))
            .toList());
  }
}
