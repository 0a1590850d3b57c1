package vintrel.server.show;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
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
import vintrel.core.define.Bundle;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Asked;
import vintrel.core.panel.Drawing;
import vintrel.core.panel.Need;
import vintrel.core.panel.Note;
import vintrel.core.picture.Palette;
import vintrel.core.picture.Picture;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.server.ask.ActiveQueries;
import vintrel.server.ask.FrameCsv;
import vintrel.server.ask.Queries;
import vintrel.server.ask.RangeParams;
import vintrel.server.define.Definitions;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** Dashboards. */
@Controller
class DashboardController {
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
  private final DashboardUse use;
  private final ActiveQueries running;
  private final Map<String, Palette> palettes = new ConcurrentHashMap<>();

  DashboardController(
      Definitions definitions,
      Queries queries,
      SampleStore store,
      RangeParams ranges,
      DashboardUse use,
      ActiveQueries running) {
    this.use = use;
    this.running = running;
    this.definitions = definitions;
    this.queries = queries;
    this.store = store;
    this.ranges = ranges;
  }

  public record ControlView(String name, String title, List<Choice> choices) {}

  public record Choice(String value, boolean chosen) {}

  public record Entry(String name, String title) {}

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

  private List<Entry> entries() {
    return definitions.dashboards().stream().map(d -> new Entry(d.name(), d.title())).toList();
  }

  @GetMapping("/dashboards/{name}")
  String dashboard(@PathVariable String name, Model model, HttpServletRequest request) {
    var dashboard = need(name);
    boolean asIs = request.getParameter("from") != null;
    if (!asIs && !dashboard.range().isEmpty()) {
      // It opens on a range that suits it; the rail then goes on from there.
      var more = request.getQueryString() == null ? "" : "&" + request.getQueryString();
      return "redirect:/dashboards/" + name + "?from=" + dashboard.range() + "&to=now" + more;
    }
    use.opened(CurrentUser.name(), name);
    model.addAttribute("dashboard", dashboard);
    model.addAttribute("version", definitions.find("dashboard", name).version());
    model.addAttribute("dashboards", entries());
    var abouts = new LinkedHashMap<String, String>();
    for (var p : dashboard.panels()) {
      abouts.put(p.id(), Note.html(p.description()));
    }
    model.addAttribute("abouts", abouts);
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
   * A panel's result.
   *
   * @param empty why there is nothing, or null
   * @param drawing null if there is nothing
   * @param fault what is wrong with a panel that is being edited; else null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record PanelAnswer(Queries.Empty empty, List<Advice> advice, Drawing drawing, String fault) {}

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
    var dashboard = need(name);
    var size = new Size(width, height, knownWidth, knownHeight);
    return draw(dashboard, need(dashboard, id), size, request);
  }

  /**
   * A panel that is being edited.
   *
   * @param draft its part of the document, as JSON
   */
  @PostMapping("/dashboards/{name}/draft")
  @ResponseBody
  PanelAnswer drafted(
      @PathVariable String name,
      @RequestParam String draft,
      @RequestParam(defaultValue = "600") int width,
      @RequestParam(defaultValue = "200") int height,
      @RequestParam(name = "plot-width", defaultValue = "0") int knownWidth,
      @RequestParam(name = "plot-height", defaultValue = "0") int knownHeight,
      HttpServletRequest request) {
    var document =
        "{\"kind\": \"dashboard\", \"name\": \"draft\", \"title\": \"-\", \"panels\": [%s]}";
    // What is typed is wrong most of the time: that is an answer, not a failure.
    try {
      var read = Bundle.parse(document.formatted(draft)).documents().getFirst().definition();
      var only = ((Definition.OfDashboard) read).dashboard().panels().getFirst();
      var size = new Size(width, height, knownWidth, knownHeight);
      return draw(need(name), only, size, request);
    } catch (DefinitionException e) {
      return faulty(String.join("; ", e.faults()).replace("dashboard draft.panels[0].", ""));
    } catch (QueryException e) {
      return faulty("line %d, column %d: %s".formatted(e.line(), e.column(), e.getMessage()));
    }
  }

  private static PanelAnswer faulty(String text) {
    return new PanelAnswer(null, List.of(), null, text);
  }

  /** Px of a panel's body, and of the plot in it as far as it is known. */
  private record Size(int width, int height, int plotWidth, int plotHeight) {
    int plotAcross() {
      return plotWidth > 0 ? Picture.side(plotWidth) : Picture.side(width) - AXES_WIDTH;
    }

    int plotDown() {
      return plotHeight > 0 ? Picture.side(plotHeight) : Picture.side(height) - AXES_HEIGHT;
    }
  }

  private PanelAnswer draw(
      Dashboard dashboard, Dashboard.Panel panel, Size size, HttpServletRequest request) {
    var range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    var key = request.getParameter("page");
    var ask =
        new Queries.Ask(panel.query(), range, points(size.width()))
            .with(chosen(dashboard, request))
            .at(zone);
    Function<Queries.Ask, Queries.Answered> answer =
        one ->
            running.run(
                key == null ? null : key + "/" + panel.id(),
                stop -> queries.answer(one.until(stop)));
    boolean hasQuery = !panel.query().isBlank();
    var answered = hasQuery ? answer.apply(ask) : null;
    long before = panel.kind().earlier();
    var earlier =
        before > 0 && hasQuery
            ? answer.apply(ask.over(range.before(before))).frames()
            : List.<Frame>of();
    var asked =
        new Asked(
            hasQuery ? answered.answer().lines() : List.of(),
            hasQuery ? answered.frames() : List.of(),
            earlier,
            range.from(),
            range.to(),
            zone,
            panel.unit(),
            panel.limits(),
            Picture.side(size.width()),
            Picture.side(size.height()),
            size.plotAcross(),
            size.plotDown(),
            palettes.computeIfAbsent(dashboard.name(), k -> new Palette()));
    // A note says something though its lines give nothing.
    boolean empty = hasQuery && answered.empty() != null && panel.kind().need() != Need.NOTHING;
    return new PanelAnswer(
        empty ? answered.empty() : null,
        hasQuery ? answered.advice() : List.of(),
        empty ? null : panel.kind().draw(asked),
        null);
  }
}
