package vintrel.server.ask;

import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Sources;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.web.PagePreferences;

/** The Bench: catalogue, query, chart, table. */
@Controller
class BenchController {
  private final Queries queries;
  private final SampleStore store;
  private final RangeParams ranges;
  private final CatalogueController catalogue;
  private final ActiveQueries running;
  private final Examples examples;

  BenchController(
      Queries queries,
      SampleStore store,
      RangeParams ranges,
      CatalogueController catalogue,
      ActiveQueries running,
      Examples examples) {
    this.examples = examples;
    this.catalogue = catalogue;
    this.running = running;
    this.queries = queries;
    this.store = store;
    this.ranges = ranges;
  }

  @GetMapping("/bench")
  String page(@RequestParam(name = "q", defaultValue = "") String query, Model model) {
    model.addAttribute("query", query);
    model.addAttribute("examples", examples.list());
    catalogue.fill(model, "");
    return "ask/bench";
  }

  /** Cancels the running queries of a page that closes. */
  @PostMapping("/bench/end")
  @ResponseBody
  Map<String, Object> end(@RequestParam String page) {
    return Map.of("ended", running.end(page));
  }

  @PostMapping("/bench/answer")
  @ResponseBody
  BenchAnswer answer(
      @RequestParam String query,
      @RequestParam(defaultValue = "900") int width,
      @RequestParam(defaultValue = "300") int height,
      @RequestParam(defaultValue = "") String step,
      @RequestParam(defaultValue = "") String compare,
      @RequestParam(required = false) String page,
      HttpServletRequest request) {
    var range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    long pitch = Durations.parse(step).orElse(0);
    long earlier = Durations.parse(compare).orElse(0);
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
          queries.claimPicture(answered.frames());
          queries.claimPicture(before);
          var look =
              new Picture.Look(
                  zone,
                  "",
                  new double[0],
                  Picture.side(width),
                  Picture.side(height),
                  new Palette(),
                  before,
                  earlier);
          var picture = Picture.of(answered.frames(), range.from(), range.to(), look);
          return body(answered, picture, Statistics.of(answered.frames(), before, earlier), ask);
        });
  }

  /**
   * A result for the page.
   *
   * @param isTable whether a line's result is a table
   * @param empty why there is nothing, or null
   * @param summary what was read, in words
   */
  record BenchAnswer(
      PictureJson picture,
      TableView table,
      boolean isTable,
      TableView statistics,
      List<QueryOutline.Line> ledger,
      TableView plan,
      List<Advice> advice,
      Queries.Empty empty,
      String summary) {}

  private static BenchAnswer body(
      Queries.Answered answered, Picture picture, TableView statistics, Queries.Ask ask) {
    var range = ask.range();
    var zone = ask.zone();
    var stats = answered.answer().stats();
    // Events and rows of databases are not samples of series.
    var read =
        stats.series() == 0
            ? "%,d rows".formatted(stats.samples())
            : "%,d series, %,d samples".formatted(stats.series(), stats.samples());
    return new BenchAnswer(
        PictureJson.of(picture),
        TableView.latest(answered.answer().lines(), "", zone),
        answered.frames().stream().anyMatch(f -> !f.drawable() && f.columns().size() > 1),
        statistics,
        QueryOutline.of(answered.query(), answered.answer(), range, zone),
        QueryPlanView.view(answered.query(), answered.answer()),
        answered.advice(),
        answered.empty(),
        "%s read in %.0f ms%s".formatted(read, stats.millis(), pitches(answered)));
  }

  /** How far apart the points of the lines are. */
  private static String pitches(Queries.Answered answered) {
    var found =
        answered.answer().lines().stream()
            .map(Answer.LineAnswer::set)
            .filter(SeriesSet.Gridded.class::isInstance)
            .map(set -> ((SeriesSet.Gridded) set).grid())
            .filter(g -> g.count() > 1)
            .map(Grid::pitch)
            .distinct()
            .sorted()
            .map(Durations::text)
            .toList();
    return found.isEmpty() ? "" : "; one point every " + String.join(" and ", found);
  }

  /** The same over an earlier range. */
  private List<Frame> before(Queries.Ask ask, Queries.Answered answered, long earlier) {
    var range = new TimeText.Range(ask.range().from() - earlier, ask.range().to() - earlier);
    var old = queries.answer(answered.query(), ask.over(range), answered.pitch());
    return old.frames();
  }

  /** The newest raw samples of the metrics of a query, with their exact times. */
  @PostMapping("/bench/samples")
  @ResponseBody
  TableView samples(@RequestParam String query, HttpServletRequest request) {
    var range = ranges.of(request);
    var parsed = Parser.parse(query);
    var sources = new ArrayList<Expr.Source>();
    parsed.lines().forEach(l -> Sources.collect(parsed, l.expr(), sources));
    var zone = PagePreferences.zone(request);
    var memory = queries.claim();
    return queries.inTurn(() -> RawSamples.of(store, sources, range, zone, memory));
  }

  /** The answer as a file. */
  @PostMapping("/bench/csv")
  ResponseEntity<String> csv(
      @RequestParam String query,
      @RequestParam(defaultValue = "") String step,
      HttpServletRequest request) {
    var ask =
        new Queries.Ask(query, ranges.of(request), 300)
            .step(Durations.parse(step).orElse(0))
            .at(PagePreferences.zone(request));
    return FrameCsv.file("vintrel.csv", queries.answer(ask).frames(), queries.claim());
  }
}
