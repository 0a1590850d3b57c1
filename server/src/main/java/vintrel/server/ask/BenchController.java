package vintrel.server.ask;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.frame.Frame;
import vintrel.core.index.MetricEntry;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.query.Completer;
import vintrel.core.query.Expr;
import vintrel.core.query.Parser;
import vintrel.core.query.Printer;
import vintrel.core.query.Sources;
import vintrel.core.query.Vocabulary;
import vintrel.core.series.Condition;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Spans;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.server.store.DurableStore;
import vintrel.server.store.MetricNotes;
import vintrel.server.web.PagePreferences;

/** The Bench: catalogue, query, chart, table. */
@Controller
class BenchController {
  private static final int MOST_VALUES = 200;

  private final Queries queries;
  private final DurableStore store;
  private final RangeParams ranges;
  private final OutsideStores outside;
  private final MetricNotes notes;
  private final RemoteCatalogue remote;
  private final Running running;
  private final Clock clock;

  BenchController(
      Queries queries,
      DurableStore store,
      RangeParams ranges,
      OutsideStores outside,
      MetricNotes notes,
      RemoteCatalogue remote,
      Running running,
      Clock clock) {
    this.outside = outside;
    this.notes = notes;
    this.remote = remote;
    this.running = running;
    this.queries = queries;
    this.store = store;
    this.ranges = ranges;
    this.clock = clock;
  }

  /**
   * A metric in the catalogue; rest is its name after the group, source what asks for it elsewhere.
   */
  public record Item(
      String name,
      String rest,
      String kind,
      String unit,
      int series,
      String age,
      boolean stale,
      String stores,
      boolean elsewhere,
      String note,
      String source) {}

  public record Group(String name, List<Item> items) {}

  @GetMapping("/bench")
  String page(@RequestParam(name = "q", defaultValue = "") String query, Model model) {
    model.addAttribute("query", query);
    model.addAttribute("examples", examples());
    fillCatalogue(model, "");
    return "ask/bench";
  }

  /** Queries to begin with, made of what is there: the counters and gauges with most series. */
  private List<String> examples() {
    return store.index().metrics("").stream()
        .filter(m -> !m.name().contains(".bucket") && !m.labels().isEmpty())
        .sorted((a, b) -> Integer.compare(b.series(), a.series()))
        .limit(4)
        .map(
            m ->
                Printer.print(Parser.parse("\"" + m.name() + "\""))
                    + (m.kind().cumulative()
                        ? " then rate per minute then sum by "
                        : " then mean by ")
                    + m.labels().getFirst())
        .toList();
  }

  @GetMapping("/bench/catalogue")
  String catalogue(@RequestParam(defaultValue = "") String search, Model model) {
    fillCatalogue(model, search);
    return "ask/bench :: catalogue";
  }

  /** Metrics whose name, description, labels or values hold every word of the search. */
  private void fillCatalogue(Model model, String search) {
    var words = search.toLowerCase(Locale.ROOT).strip().split("\\s+");
    var groups = new TreeMap<String, List<Item>>();
    int shown = 0;
    Set<String> hits = null;
    for (var word : words) {
      if (!word.isEmpty()) {
        var holding = new HashSet<>(store.index().metricsHolding(word));
        holding.addAll(notes.holding(word));
        if (hits == null) {
          hits = holding;
        } else {
          hits.retainAll(holding);
        }
      }
    }
    for (var metric : store.index().metrics("")) {
      if (hits == null || hits.contains(metric.name())) {
        int dot = metric.name().indexOf('.');
        var group = dot < 0 ? "" : metric.name().substring(0, dot);
        groups.computeIfAbsent(group, k -> new ArrayList<>()).add(item(metric, dot));
        shown++;
      }
    }
    var all = new ArrayList<Group>();
    groups.forEach((name, items) -> all.add(new Group(name, items)));
    all.addAll(elsewhere(words));
    model.addAttribute("groups", all);
    model.addAttribute("shown", shown);
    model.addAttribute("search", search);
  }

  /** A group for each other Vintrel that has something of what is sought. */
  private List<Group> elsewhere(String[] words) {
    var byStore = new TreeMap<String, List<Item>>();
    for (var m : remote.all()) {
      if (Arrays.stream(words).allMatch(m.words()::contains)) {
        byStore.computeIfAbsent(m.store(), k -> new ArrayList<>()).add(item(m));
      }
    }
    return byStore.entrySet().stream()
        .map(e -> new Group("in " + e.getKey(), e.getValue()))
        .toList();
  }

  private static Item item(RemoteCatalogue.Metric m) {
    return new Item(
        m.name(),
        m.name(),
        m.kind(),
        Units.words(m.unit()),
        m.series(),
        "some time",
        false,
        m.store(),
        false,
        "",
        Printer.print(Parser.parse("\"" + m.name() + "\" in \"" + m.store() + "\"")));
  }

  private Item item(MetricEntry metric, int dot) {
    var stores = store.index().storesOf(metric.name());
    long newest =
        store.select("", metric.name(), Condition.ALL).stream()
            .mapToLong(s -> store.newest(s.id()))
            .max()
            .orElse(0);
    long age = Math.max(0, clock.millis() - newest);
    return new Item(
        metric.name(),
        metric.name().substring(dot + 1),
        metric.kind().text(),
        Units.words(metric.unit()),
        metric.series(),
        newest <= 0 ? "no sample" : Spans.words(age),
        newest <= 0 || age > 5 * Spans.MINUTE,
        String.join(", ", stores),
        !stores.equals(Set.of(SeriesKey.MAIN)),
        notes.of(metric.name()),
        "");
  }

  /** What can stand at the cursor. */
  @PostMapping("/bench/complete")
  @ResponseBody
  Completer.Completion complete(@RequestParam String text, @RequestParam int at) {
    return new Completer(store.index(), outside.names(OutsideStores.Form.VINTREL)).at(text, at);
  }

  /**
   * What a chip could say instead.
   *
   * @param kind as in {@link vintrel.core.query.Chips.Chip}
   * @param metric whose labels and values these are, or empty
   */
  @GetMapping("/bench/choices")
  @ResponseBody
  List<String> choices(
      @RequestParam String kind,
      @RequestParam(defaultValue = "") String metric,
      @RequestParam(defaultValue = "") String label) {
    var known = store.index().hasMetric("", metric) ? metric : null;
    var found =
        switch (kind) {
          case "metric" -> List.copyOf(store.index().metricNames(""));
          case "store" -> store.index().stores();
          case "label" -> store.index().labelNames("", known);
          case "value" -> store.index().labelValues(label, "", known, Condition.ALL);
          case "step" ->
              Vocabulary.STEPS.stream()
                  .map(Vocabulary.Entry::example)
                  .filter(e -> e != null)
                  .toList();
          default -> List.<String>of();
        };
    return found.subList(0, Math.min(MOST_VALUES, found.size()));
  }

  /** Ends what a page still asks; it goes away. */
  @PostMapping("/bench/end")
  @ResponseBody
  Map<String, Object> end(@RequestParam String page) {
    return Map.of("ended", running.end(page));
  }

  @PostMapping("/bench/answer")
  @ResponseBody
  Map<String, Object> answer(
      @RequestParam String query,
      @RequestParam(defaultValue = "900") int width,
      @RequestParam(defaultValue = "300") int height,
      @RequestParam(defaultValue = "") String step,
      @RequestParam(defaultValue = "") String compare,
      @RequestParam(required = false) String page,
      HttpServletRequest request) {
    var range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    long pitch = Spans.parse(step).orElse(0);
    long earlier = Spans.parse(compare).orElse(0);
    return running.run(
        page,
        stop -> {
          var ask =
              new Queries.Ask(query, range, Math.clamp(width / 3, 20, 2000))
                  .step(pitch)
                  .at(zone)
                  .until(stop);
          var answered = queries.answer(ask);
          var before = earlier == 0 ? List.<Frame>of() : before(ask, answered, earlier);
          var look =
              new Picture.Look(
                  zone, "", new double[0], width, height, new Palette(), before, earlier);
          var picture = Picture.of(answered.frames(), range.from(), range.to(), look);
          return body(answered, picture, zone);
        });
  }

  private static Map<String, Object> body(Queries.Answered answered, Picture picture, ZoneId zone) {
    var stats = answered.answer().stats();
    var out = new LinkedHashMap<String, Object>();
    out.put("picture", PictureJson.of(picture));
    out.put("table", TableView.latest(answered.answer().lines(), "", zone));
    out.put(
        "isTable",
        answered.frames().stream().anyMatch(f -> !f.drawable() && f.columns().size() > 1));
    out.put("statistics", Statistics.of(answered.frames()));
    out.put("ledger", Ledger.of(answered.query(), answered.answer(), zone));
    out.put("advice", answered.advice());
    out.put("empty", answered.empty());
    out.put("canonical", Printer.print(answered.query()));
    out.put(
        "said",
        "%,d series, %,d samples read in %.0f ms, a point every %s"
            .formatted(
                stats.series(), stats.samples(), stats.millis(), Spans.text(answered.pitch())));
    return out;
  }

  /** The same over an earlier range. */
  private List<Frame> before(Queries.Ask ask, Queries.Answered answered, long earlier) {
    var range = new TimeText.Range(ask.range().from() - earlier, ask.range().to() - earlier);
    var moved =
        new Queries.Ask(
            ask.text(),
            range,
            ask.step(),
            ask.points(),
            ask.controls(),
            ask.zone(),
            ask.store(),
            ask.cancelled());
    var old = queries.answer(answered.query(), moved, answered.pitch());
    return old.frames();
  }

  /** The newest raw samples of the metrics of a query, with their exact times. */
  @PostMapping("/bench/samples")
  @ResponseBody
  TableView samples(@RequestParam String query, HttpServletRequest request) {
    var range = ranges.of(request);
    var parsed = Parser.parse(query);
    var sources = new ArrayList<Expr.Source>();
    parsed.lines().forEach(l -> Sources.of(parsed, l.expr(), sources));
    return RawSamples.of(store, sources, range, PagePreferences.zone(request));
  }

  /** The answer as a file. */
  @PostMapping("/bench/csv")
  ResponseEntity<String> csv(
      @RequestParam String query,
      @RequestParam(defaultValue = "") String step,
      HttpServletRequest request) {
    var ask =
        new Queries.Ask(query, ranges.of(request), 300)
            .step(Spans.parse(step).orElse(0))
            .at(PagePreferences.zone(request));
    return ResponseEntity.ok()
        .contentType(MediaType.parseMediaType("text/csv; charset=utf-8"))
        .header("Content-Disposition", "attachment; filename=vintrel.csv")
        .body(FrameCsv.of(queries.answer(ask).frames()));
  }
}
