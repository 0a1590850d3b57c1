package vintrel.server.ask;

import com.google.re2j.Pattern;
import jakarta.servlet.http.HttpServletRequest;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.event.Records;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;
import vintrel.core.picture.Pitch;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Condition;
import vintrel.core.series.Event;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.store.LogStore;
import vintrel.server.web.PagePreferences;
import vintrel.server.web.Settings;

/** Events search: a histogram by level over time, rows with their fields, live. */
@Controller
class EventsController {
  private static final int ROWS = 200;
  private static final int AROUND = 30;

  /** The end of the year 9999, ms. */
  private static final long LATEST = 253_402_300_799_999L;

  private final LogStore events;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final Queries queries;
  private final long maxRead;

  EventsController(
      LogStore events,
      RangeParams ranges,
      ActiveQueries running,
      Queries queries,
      Settings settings) {
    this.queries = queries;
    this.events = events;
    this.ranges = ranges;
    this.running = running;
    this.maxRead = settings.events().maxEventsRead();
  }

  /** A record as the page shows it. */
  record Row(
      long id,
      long at,
      String time,
      String level,
      String text,
      Map<String, String> labels,
      Map<String, String> fields) {
    static Row of(Event e, ZoneId zone) {
      return new Row(
          e.id(),
          e.time(),
          TableView.time(e.time(), zone),
          e.level(),
          e.text(),
          e.labels().asMap(),
          LogStore.fields(e));
    }
  }

  /**
   * What a search found.
   *
   * @param start of the first bar, ms
   * @param pitch of the bars, ms
   * @param counts per bar, by level; levels without events are left out
   * @param said of each of these levels with how many there are
   * @param most events of a bar
   * @param mostSaid the same as a text
   * @param cut how many of them are shown, and what to do; null: all
   * @param query the same as a line for the Bench
   * @param empty why there is nothing, or null
   */
  record Found(
      long total,
      long from,
      long to,
      long start,
      long pitch,
      Map<String, int[]> counts,
      Map<String, String> said,
      int most,
      String mostSaid,
      String cut,
      List<Axis.Tick> timeTicks,
      List<Row> rows,
      String query,
      String summary,
      Queries.Empty empty) {}

  @GetMapping("/bench/events")
  String page(
      @RequestParam(defaultValue = "") String where,
      @RequestParam(defaultValue = "") String text,
      Model model) {
    model.addAttribute("where", where);
    model.addAttribute("text", text);
    return "ask/events";
  }

  /**
   * What is found in the range.
   *
   * @param where a condition on level, text, labels, fields
   * @param text that the record's text must hold, whatever its case
   */
  @PostMapping("/bench/events/answer")
  @ResponseBody
  Found answer(
      @RequestParam(defaultValue = "") String where,
      @RequestParam(defaultValue = "") String text,
      @RequestParam(name = "width", defaultValue = "900") int asked,
      @RequestParam(required = false) String page,
      HttpServletRequest request) {
    var condition = condition(where, text);
    var range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    int width = Picture.side(asked);
    return running.run(
        page, stop -> queries.inTurn(() -> found(condition, range, zone, width, stop)));
  }

  private Found found(
      Condition condition, TimeText.Range range, ZoneId zone, int width, BooleanSupplier stop) {
    long pitch = Pitch.fitting(range.millis(), Math.clamp(width / 12, 10, 150), Durations.SECOND);
    long start = Math.floorDiv(range.from(), pitch) * pitch;
    int buckets = (int) Math.ceilDiv(range.to() - start, pitch);
    var wanted = new LogStore.Wanted("", condition, range.from(), range.to(), maxRead, stop);
    var tally = new int[Event.LEVELS.size() + 1][buckets];
    long[] total = {0};
    events.visit(
        wanted,
        (store, records, passing) -> {
          total[0] += passing.length;
          for (int i : passing) {
            tally[records.level(i)][(int) ((records.time(i) - start) / pitch)]++;
          }
        });
    var newest = events.newest(wanted, ROWS);
    var counts = new LinkedHashMap<String, int[]>();
    for (int level = tally.length - 1; level >= 0; level--) {
      counts.put(Records.name(level), tally[level]);
    }
    counts.values().removeIf(c -> java.util.Arrays.stream(c).allMatch(n -> n == 0));
    int most = 1;
    for (int i = 0; i < buckets; i++) {
      int bar = i;
      most = Math.max(most, counts.values().stream().mapToInt(c -> c[bar]).sum());
    }
    return new Found(
        total[0],
        range.from(),
        range.to(),
        start,
        pitch,
        counts,
        said(counts),
        most,
        Counts.text(most),
        total[0] > newest.size()
            ? "Showing the latest %d of %s. Narrow the range or the conditions to see others."
                .formatted(newest.size(), Counts.of(total[0], "event"))
            : null,
        Axis.times(range.from(), range.to(), zone, Math.max(2, width / 90)),
        newest.stream().map(e -> Row.of(e, zone)).toList(),
        countQuery(condition),
        Counts.of(total[0], "event") + "; one bar per " + Durations.text(pitch),
        total[0] == 0 ? queries.why().noEvent(condition) : null);
  }

  private static Map<String, String> said(Map<String, int[]> counts) {
    var out = new LinkedHashMap<String, String>();
    counts.forEach(
        (level, bars) ->
            out.put(
                level,
                (level.isEmpty() ? "no level" : level)
                    + " "
                    + Counts.text(java.util.Arrays.stream(bars).asLongStream().sum())));
    return out;
  }

  /** The same as a line for the Bench. */
  private static String countQuery(Condition condition) {
    return "events"
        + (condition.equals(Condition.ALL) ? "" : " where " + Printer.print(condition))
        + " then count every 1m then sum by level";
  }

  /** The newest records around a time, for a click on a chart. */
  @PostMapping("/bench/events/around")
  @ResponseBody
  List<Row> around(@RequestParam long at, @RequestParam long reach, HttpServletRequest request) {
    long bounded = Math.clamp(reach, 1000, Durations.DAY);
    long middle = Math.clamp(at, 0, LATEST);
    var zone = PagePreferences.zone(request);
    var wanted =
        new LogStore.Wanted(
            "", Condition.ALL, middle - bounded, middle + bounded, maxRead, () -> false);
    return queries.inTurn(
        () -> events.newest(wanted, AROUND).stream().map(e -> Row.of(e, zone)).toList());
  }

  private static Condition condition(String where, String text) {
    var parts = new ArrayList<Condition>();
    if (!where.isBlank()) {
      parts.add(Parser.parseCondition(where));
    }
    if (!text.isBlank()) {
      var pattern = "(?i)" + Pattern.quote(text.strip());
      parts.add(Condition.Test.of("text", Condition.Operator.MATCHES, pattern));
    }
    return parts.isEmpty()
        ? Condition.ALL
        : parts.size() == 1 ? parts.getFirst() : new Condition.And(parts);
  }
}
