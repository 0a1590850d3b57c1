package vintrel.server.ask;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.index.MetricEntry;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.query.Parser;
import vintrel.core.query.Printer;
import vintrel.core.query.Vocabulary;
import vintrel.core.series.Condition;
import vintrel.core.unit.Spans;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.server.store.DurableStore;
import vintrel.server.web.PagePreferences;

/** The Bench: catalogue, query, chart, table. */
@Controller
class BenchController {
  private static final int MOST_VALUES = 200;

  private final Queries queries;
  private final DurableStore store;
  private final RangeParams ranges;
  private final Clock clock;

  BenchController(Queries queries, DurableStore store, RangeParams ranges, Clock clock) {
    this.queries = queries;
    this.store = store;
    this.ranges = ranges;
    this.clock = clock;
  }

  /** A metric in the catalogue; rest is its name after the group. */
  public record Item(
      String name, String rest, String kind, String unit, int series, String age, boolean stale) {}

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

  /** Metrics whose name, label names or label values hold every word of the search. */
  private void fillCatalogue(Model model, String search) {
    var words = search.toLowerCase(Locale.ROOT).strip().split("\\s+");
    var groups = new TreeMap<String, List<Item>>();
    int shown = 0;
    for (var metric : store.index().metrics("")) {
      if (matches(metric, words)) {
        int dot = metric.name().indexOf('.');
        var group = dot < 0 ? "" : metric.name().substring(0, dot);
        groups.computeIfAbsent(group, k -> new ArrayList<>()).add(item(metric, dot));
        shown++;
      }
    }
    model.addAttribute(
        "groups",
        groups.entrySet().stream().map(e -> new Group(e.getKey(), e.getValue())).toList());
    model.addAttribute("shown", shown);
    model.addAttribute("search", search);
  }

  private boolean matches(MetricEntry metric, String[] words) {
    for (var word : words) {
      boolean hit =
          word.isEmpty()
              || metric.name().toLowerCase(Locale.ROOT).contains(word)
              || metric.labels().stream().anyMatch(l -> l.toLowerCase(Locale.ROOT).contains(word))
              || metric.labels().stream()
                  .anyMatch(
                      l ->
                          store.index().labelValues(l, "", metric.name(), Condition.ALL).stream()
                              .anyMatch(v -> v.toLowerCase(Locale.ROOT).contains(word)));
      if (!hit) {
        return false;
      }
    }
    return true;
  }

  private Item item(MetricEntry metric, int dot) {
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
        newest <= 0 || age > 5 * Spans.MINUTE);
  }

  /** What completion offers; asked once, when the page opens. */
  @GetMapping("/bench/words")
  @ResponseBody
  Map<String, Object> words() {
    var labels = new TreeMap<String, List<String>>();
    for (var label : store.index().labelNames("", null)) {
      var values = store.index().labelValues(label, "", null, Condition.ALL);
      labels.put(label, values.subList(0, Math.min(MOST_VALUES, values.size())));
    }
    return Map.of(
        "metrics",
        store.index().metrics("").stream()
            .map(m -> Map.of("name", m.name(), "kind", m.kind().text(), "labels", m.labels()))
            .toList(),
        "labels",
        labels,
        "steps",
        Vocabulary.STEPS);
  }

  @PostMapping("/bench/answer")
  @ResponseBody
  Map<String, Object> answer(
      @RequestParam String query,
      @RequestParam(defaultValue = "900") int width,
      @RequestParam(defaultValue = "300") int height,
      HttpServletRequest request) {
    TimeText.Range range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    var answered = queries.range(query, range, 0, Math.clamp(width / 3, 20, 2000), Map.of());
    var picture =
        Picture.of(
            answered.frames(),
            range.from(),
            range.to(),
            zone,
            "",
            new double[0],
            width,
            height,
            new Palette());
    var stats = answered.answer().stats();
    var out = new LinkedHashMap<String, Object>();
    out.put("picture", PictureJson.of(picture));
    out.put("table", TableView.latest(answered.answer().lines(), ""));
    out.put("advice", answered.advice());
    out.put("empty", answered.empty());
    out.put("canonical", Printer.print(answered.query()));
    out.put(
        "said",
        "%,d series, %,d samples read in %.0f ms, one point every %s"
            .formatted(
                stats.series(), stats.samples(), stats.millis(), Spans.text(answered.pitch())));
    return out;
  }
}
