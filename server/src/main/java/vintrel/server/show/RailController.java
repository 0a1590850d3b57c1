package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.ask.Queries;
import vintrel.server.watch.AlertLog;
import vintrel.server.watch.RaisedOfAll;
import vintrel.server.web.PagePreferences;

/** The time rail's strip: how many samples came when, and when alerts were raised. */
@Controller
class RailController {
  private static final int PARTS = 240;
  private static final int MAX_TICKS = 500;

  /** The end of the year 9999, ms. */
  private static final long LATEST = 253_402_300_799_999L;

  private final SampleStore store;
  private final AlertLog log;
  private final RaisedOfAll raised;
  private final Queries queries;
  private final Clock clock;

  RailController(
      SampleStore store, AlertLog log, RaisedOfAll raised, Queries queries, Clock clock) {
    this.raised = raised;
    this.queries = queries;
    this.store = store;
    this.log = log;
    this.clock = clock;
  }

  /**
   * The rail's strip.
   *
   * @param density samples in each of equal parts of the strip
   * @param raised when there were alerts
   */
  record Strip(
      long from,
      long to,
      long now,
      long[] density,
      List<Axis.Tick> ticks,
      List<AlertTick> alerts,
      List<RaisedOfAll.Span> raised) {}

  record AlertTick(long at, String priority, String rule) {}

  /** {@code span} is the strip's length, a duration; {@code end} where it ends, ms, or now. */
  @GetMapping("/rail")
  @ResponseBody
  Strip strip(
      @RequestParam(defaultValue = "1d") String span,
      @RequestParam(defaultValue = "0") long end,
      @RequestParam(defaultValue = "900") int width,
      HttpServletRequest request) {
    long now = clock.millis();
    long length =
        Math.clamp(
            Durations.parse(span).orElse(Durations.DAY),
            10 * Durations.MINUTE,
            400 * Durations.DAY);
    long to = end > 0 ? Math.min(end, LATEST) : now;
    long from = to - length;
    int wanted = Math.max(3, Picture.side(width) / 110);
    return new Strip(
        from,
        to,
        now,
        queries.inTurn(() -> store.density(from, to, PARTS)),
        Axis.times(from, to, PagePreferences.zone(request), wanted),
        log.raised(from, to, MAX_TICKS).stream()
            .map(p -> new AlertTick(p.at(), p.priority().toLowerCase(Locale.ROOT), p.rule()))
            .toList(),
        raised.in(new TimeText.Range(from, to), Picture.side(width)));
  }

  /** Typed times → ms, for the rail's text fields. */
  @GetMapping("/rail/range")
  @ResponseBody
  Map<String, Object> range(
      @RequestParam String from, @RequestParam String to, HttpServletRequest request) {
    var zone = PagePreferences.zone(request);
    var range = TimeText.range(from, to, Instant.ofEpochMilli(clock.millis()), zone);
    return Map.of("from", range.from(), "to", range.to());
  }
}
