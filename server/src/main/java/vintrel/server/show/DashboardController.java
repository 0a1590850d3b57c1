package vintrel.server.show;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import vintrel.core.define.Dashboard;
import vintrel.core.picture.LimitLabels;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.picture.PictureInk;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.Advice;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Units;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.FrameCsv;
import vintrel.server.ask.PictureJson;
import vintrel.server.ask.Queries;
import vintrel.server.ask.RangeParams;
import vintrel.server.ask.TableView;
import vintrel.server.define.Definitions;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** Dashboards. */
@Controller
class DashboardController {
  private static final Pattern PLACE =
      Pattern.compile("([^:\\s]+):(\\d{1,4}),(\\d{1,4}),(\\d{1,4}),(\\d{1,4})");

  /** About what the axes of a chart take of its size, px, until the page has measured it. */
  private static final int AXES_WIDTH = 60;

  private static final int AXES_HEIGHT = 30;

  /** The dashboard of the server's own health. */
  private static final String OWN = "vintrel";

  /** The dashboard of the machine that the server runs on. */
  private static final String HOST = "this-host";

  /** A new server has no hour to show yet. */
  private static final String FIRST_MINUTES = "?from=-15m&to=now";

  private final Definitions definitions;
  private final Queries queries;
  private final SampleStore store;
  private final RangeParams ranges;
  private final ActiveQueries running;
  private final Map<String, Palette> palettes = new ConcurrentHashMap<>();

  DashboardController(
      Definitions definitions,
      Queries queries,
      SampleStore store,
      RangeParams ranges,
      ActiveQueries running) {
    this.running = running;
    this.definitions = definitions;
    this.queries = queries;
    this.store = store;
    this.ranges = ranges;
  }

  public record ControlView(String name, String title, List<Choice> choices) {}

  public record Choice(String value, boolean chosen) {}

  public record Entry(String name, String title, String folder, int panels) {}

  @GetMapping("/")
  String first() {
    var all = definitions.dashboards();
    // The server's own health is nobody's reason to come.
    return all.stream()
        .filter(d -> !d.name().equals(OWN))
        .findFirst()
        .or(() -> all.stream().findFirst())
        .map(d -> "redirect:/dashboards/" + d.name() + (d.name().equals(HOST) ? FIRST_MINUTES : ""))
        .orElse("redirect:/collect/connect");
  }

  @GetMapping("/dashboards")
  String list(Model model) {
    model.addAttribute("dashboards", entries());
    return "show/list";
  }

  private List<Entry> entries() {
    return definitions.dashboards().stream()
        .map(d -> new Entry(d.name(), d.title(), d.folder(), d.panels().size()))
        .toList();
  }

  @GetMapping("/dashboards/{name}")
  String dashboard(@PathVariable String name, Model model, HttpServletRequest request) {
    var dashboard = need(name);
    model.addAttribute("dashboard", dashboard);
    model.addAttribute("dashboards", entries());
    model.addAttribute(
        "controls", dashboard.controls().stream().map(c -> control(c, request)).toList());
    return "show/dashboard";
  }

  private ControlView control(Dashboard.Control c, HttpServletRequest request) {
    var chosen = chosen(c, request);
    return new ControlView(
        c.name(),
        c.title(),
        store.catalog().labelValues(c.label(), "", c.metric(), Condition.ALL).stream()
            .map(v -> new Choice(v, chosen.contains(v)))
            .toList());
  }

  private static List<String> chosen(Dashboard.Control c, HttpServletRequest request) {
    var values = request.getParameterValues(c.name());
    return values == null ? List.of() : List.of(values).stream().filter(v -> !v.isEmpty()).toList();
  }

  private Dashboard need(String name) {
    var dashboard = definitions.dashboard(name);
    if (dashboard == null) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    return dashboard;
  }

  /** Panels at new places, as {@code id:column,row,width,height} with blanks between. */
  @PostMapping("/dashboards/{name}/layout")
  @ResponseBody
  Map<String, Object> layout(@PathVariable String name, @RequestParam String places) {
    need(name);
    var byId = new LinkedHashMap<String, Dashboard.Place>();
    for (var place : places.strip().split("\\s+")) {
      var m = PLACE.matcher(place);
      if (!m.matches()) {
        throw new IllegalArgumentException("'" + place + "' is not id:column,row,width,height");
      }
      byId.put(
          m.group(1), new Dashboard.Place(number(m, 2), number(m, 3), number(m, 4), number(m, 5)));
    }
    definitions.change(name, d -> d.moved(byId), CurrentUser.name());
    return Map.of("saved", byId.size());
  }

  private static int number(Matcher m, int group) {
    return Integer.parseInt(m.group(group));
  }

  private static Dashboard.Panel need(Dashboard dashboard, String id) {
    return dashboard.panels().stream()
        .filter(p -> p.id().equals(id))
        .findFirst()
        .orElseThrow(() -> new ResponseStatusException(HttpStatus.NOT_FOUND));
  }

  private static Map<String, List<String>> chosen(Dashboard dashboard, HttpServletRequest request) {
    var out = new LinkedHashMap<String, List<String>>();
    dashboard.controls().forEach(c -> out.put(c.name(), chosen(c, request)));
    return out;
  }

  /** The result of a panel as a file. */
  @PostMapping("/dashboards/{name}/panels/{id}/csv")
  ResponseEntity<String> csv(
      @PathVariable String name,
      @PathVariable String id,
      @RequestParam(defaultValue = "600") int width,
      HttpServletRequest request) {
    var dashboard = need(name);
    var panel = need(dashboard, id);
    var ask =
        new Queries.Ask(panel.query(), ranges.of(request), points(width))
            .with(chosen(dashboard, request))
            .at(PagePreferences.zone(request));
    return FrameCsv.file(panel.id() + ".csv", queries.answer(ask).frames());
  }

  private static int points(int width) {
    return Math.clamp(width / 3, 20, 2000);
  }

  /**
   * A panel's result; what its kind has no use for is null.
   *
   * @param reading the latest value of a lone series, for the panel's title line
   * @param empty why there is nothing, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record PanelAnswer(
      Queries.Empty empty,
      List<Advice> advice,
      String reading,
      TableView table,
      PictureJson picture,
      BigNumber number,
      List<LimitLine> limits) {}

  /**
   * @param passed the priority of the limit that the value is beyond, or empty
   */
  record BigNumber(String value, String unit, String passed) {}

  /**
   * @param width of the panel's body, px
   * @param knownWidth of the plot between its axes, px; 0 before the first picture
   */
  @PostMapping("/dashboards/{name}/panels/{id}")
  @ResponseBody
  PanelAnswer panel(
      @PathVariable String name,
      @PathVariable String id,
      @RequestParam(defaultValue = "600") int width,
      @RequestParam(defaultValue = "200") int height,
      @RequestParam(name = "plot-width", defaultValue = "0") int knownWidth,
      @RequestParam(name = "plot-height", defaultValue = "0") int knownHeight,
      HttpServletRequest request) {
    int plotWidth = knownWidth > 0 ? Picture.side(knownWidth) : Picture.side(width) - AXES_WIDTH;
    int plotHeight =
        knownHeight > 0 ? Picture.side(knownHeight) : Picture.side(height) - AXES_HEIGHT;
    var dashboard = need(name);
    var panel = need(dashboard, id);
    var controls = chosen(dashboard, request);
    var range = ranges.of(request);
    int points = points(width);
    var zone = PagePreferences.zone(request);
    var key = request.getParameter("page");
    var answered =
        running.run(
            key == null ? null : key + "/" + id,
            stop ->
                queries.answer(
                    new Queries.Ask(panel.query(), range, points)
                        .with(controls)
                        .at(zone)
                        .until(stop)));
    var limits = panel.limits().stream().mapToDouble(Dashboard.LimitLine::value).toArray();
    var picture =
        Picture.of(
            answered.frames(),
            range.from(),
            range.to(),
            new Picture.Look(
                zone,
                panel.unit(),
                limits,
                Picture.side(width),
                Picture.side(height),
                palettes.computeIfAbsent(name, k -> new Palette()),
                List.of(),
                0));
    boolean table = panel.show() == Dashboard.Show.TABLE;
    boolean lines = panel.show() == Dashboard.Show.LINES;
    return new PanelAnswer(
        answered.empty(),
        answered.advice(),
        reading(answered, picture.unit()),
        table ? TableView.latest(answered.answer().lines(), panel.unit(), zone) : null,
        table ? null : PictureJson.of(picture),
        table || lines ? null : number(answered, panel, picture.unit()),
        lines ? limitLines(panel, picture, plotWidth, plotHeight) : null);
  }

  /** The present reading for the panel's title line: of a lone series its last value. */
  private static String reading(Queries.Answered answered, String unit) {
    var numbers = answered.frames().stream().flatMap(f -> f.numbers().stream()).toList();
    return numbers.size() == 1 ? Units.format(Frames.last(numbers.getFirst().values()), unit) : "";
  }

  private static BigNumber number(Queries.Answered answered, Dashboard.Panel panel, String unit) {
    var numbers = answered.frames().stream().flatMap(f -> f.numbers().stream()).toList();
    double value = numbers.isEmpty() ? Double.NaN : Frames.last(numbers.getFirst().values());
    var text = Units.format(value, unit);
    int space = text.indexOf(' ');
    var passed =
        panel.limits().stream()
            .filter(l -> l.direction().equals("above") ? value > l.value() : value < l.value())
            .map(Dashboard.LimitLine::priority)
            .findFirst()
            .orElse("");
    return new BigNumber(
        space < 0 ? text : text.substring(0, space),
        space < 0 ? "" : text.substring(space + 1),
        passed);
  }

  /**
   * A limit across the picture.
   *
   * @param text the label; empty if another label has its words
   * @param shift px of the label from the right end
   */
  record LimitLine(double value, String text, String priority, boolean above, int shift) {}

  private static List<LimitLine> limitLines(
      Dashboard.Panel panel, Picture picture, int width, int height) {
    var limits =
        panel.limits().stream()
            .map(
                l ->
                    new LimitLabels.Limit(
                        l.value(), l.direction() + " " + Units.format(l.value(), picture.unit())))
            .toList();
    var axis = picture.axis();
    var labels =
        LimitLabels.place(
            limits, axis.min(), axis.max(), width, height, new PictureInk(picture, width, height));
    var out = new ArrayList<LimitLine>();
    for (int i = 0; i < labels.size(); i++) {
      var limit = panel.limits().get(i);
      var label = labels.get(i);
      out.add(
          new LimitLine(
              limit.value(), label.text(), limit.priority(), label.above(), label.shift()));
    }
    return out;
  }
}
