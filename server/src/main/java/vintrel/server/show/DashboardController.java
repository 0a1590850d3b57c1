package vintrel.server.show;

import static java.util.stream.Collectors.groupingBy;
import static java.util.stream.Collectors.mapping;
import static java.util.stream.Collectors.toList;
import static java.util.stream.Collectors.toMap;

import jakarta.servlet.http.HttpServletRequest;
import java.time.ZoneId;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import org.springframework.web.util.UriComponentsBuilder;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Repeats;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Note;
import vintrel.core.query.syntax.Binding;
import vintrel.server.ask.FrameCsv;
import vintrel.server.ask.Queries;
import vintrel.server.define.Definitions;
import vintrel.server.web.CurrentUser;

/** Dashboards. */
@Controller
class DashboardController {
  /** The dashboard of the server's own health. */
  private static final String OWN = "vintrel";

  /** The dashboard of the machine that the server runs on. */
  private static final String HOST = "this-host";

  /** A new server has no hour to show yet. */
  private static final String FIRST_MINUTES = "?from=-15m&to=now";

  private static final int BESIDE = 12;

  private final Definitions definitions;
  private final Queries queries;
  private final ControlValues controls;
  private final DashboardUse use;
  private final RaisedOn raised;
  private final PanelDrawing drawing;

  DashboardController(
      Definitions definitions,
      Queries queries,
      ControlValues controls,
      DashboardUse use,
      RaisedOn raised,
      PanelDrawing drawing) {
    this.use = use;
    this.raised = raised;
    this.drawing = drawing;
    this.definitions = definitions;
    this.queries = queries;
    this.controls = controls;
  }

  /** Longer ones do not fit a header of an answer. */
  private static final int MAX_ADDRESS = 6_000;

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

  /** Dashboards beside the title of one: those with a star, then those of its folder. */
  private List<Entry> beside(Dashboard one) {
    var uses = use.of(CurrentUser.name());
    return definitions.dashboards().stream()
        .filter(d -> !d.name().equals(one.name()))
        .sorted(
            Comparator.comparing(
                    (Dashboard d) -> !uses.getOrDefault(d.name(), DashboardUse.Use.NONE).starred())
                .thenComparing(d -> !d.folder().equals(one.folder())))
        .limit(BESIDE)
        .map(d -> new Entry(d.name(), d.title()))
        .toList();
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
    if (!dashboard.zone().isEmpty()) {
      model.addAttribute("zone", ZoneId.of(dashboard.zone()));
      model.addAttribute("fixedZone", true);
    }
    model.addAttribute("version", definitions.find("dashboard", name).version());
    model.addAttribute("dashboards", beside(dashboard));
    var abouts = new LinkedHashMap<String, String>();
    for (var p : dashboard.panels()) {
      abouts.put(p.id(), Note.html(p.description()));
    }
    model.addAttribute("abouts", abouts);
    var views = controls.views(dashboard, request);
    model.addAttribute("controls", views);
    model.addAttribute("reloads", ControlValues.reloads(dashboard));
    var chosen =
        views.stream()
            .collect(toMap(ControlValues.View::name, ControlValues.View::summary, (a, b) -> a));
    var shown = Repeats.of(dashboard, controls.repeated(dashboard, request), chosen);
    model.addAttribute("shown", shown);
    model.addAttribute("raised", raised.of(inSections(shown)));
    return "show/dashboard";
  }

  /** The panels of each section, by its index. */
  private static Map<Integer, List<Dashboard.Panel>> inSections(Repeats.Layout shown) {
    return shown.panels().stream()
        .filter(s -> s.section() >= 0)
        .collect(groupingBy(Repeats.Shown::section, mapping(Repeats.Shown::panel, toList())));
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

  /** The question of a panel on the Bench, where there are no controls. */
  @GetMapping("/dashboards/{name}/panels/{id}/bench")
  String bench(@PathVariable String name, @PathVariable String id, HttpServletRequest request) {
    var panel = need(need(name), id);
    var ask = drawing.ask(need(name), panel, 0, request);
    boolean own = !panel.time().isEmpty();
    var to =
        UriComponentsBuilder.fromPath("/bench")
            .queryParam("q", "{q}")
            .queryParam("from", "{from}")
            .queryParam("to", "{to}");
    var text = bound(ask);
    var from = request.getParameter("from");
    var until = request.getParameter("to");
    var range = ask.range();
    var address =
        to.encode()
            .buildAndExpand(
                text,
                own ? range.from() : from == null ? "-1h" : from,
                own ? range.to() : until == null ? "now" : until)
            .toUriString();
    return redirect(address);
  }

  private static String bound(Queries.Ask ask) {
    return Binding.text(ask.text().strip(), ask.controls()::get, ask.store());
  }

  /** A rule that begins with what a panel shows. */
  @GetMapping("/dashboards/{name}/panels/{id}/watch")
  String watch(@PathVariable String name, @PathVariable String id, HttpServletRequest request) {
    var panel = need(need(name), id);
    var address =
        UriComponentsBuilder.fromPath("/watch/rules/new")
            .queryParam("query", "{q}")
            .queryParam("title", "{t}")
            .queryParam("unit", "{u}")
            .encode()
            .buildAndExpand(
                bound(drawing.ask(need(name), panel, 0, request)), panel.title(), panel.unit())
            .toUriString();
    return redirect(address);
  }

  private static String redirect(String address) {
    if (address.length() > MAX_ADDRESS) {
      throw new IllegalArgumentException(
          "The query is too long for an address with all that is chosen. Choose fewer values.");
    }
    return "redirect:" + address;
  }

  /** The result of a panel as a file. */
  @PostMapping("/dashboards/{name}/panels/{id}/csv")
  ResponseEntity<String> csv(
      @PathVariable String name, @PathVariable String id, HttpServletRequest request) {
    var dashboard = need(name);
    var panel = need(dashboard, id);
    var result = drawing.result(dashboard, panel, PanelDrawing.Size.of(request), request);
    var answer = result.answered() == null ? List.<Frame>of() : result.answered().frames();
    var frames = result.panel().kind().file(result.asked(), answer);
    return FrameCsv.file(panel.title() + ".csv", frames, queries.claim());
  }

  /** A panel as it is shown; the request gives its {@link PanelDrawing.Size}. */
  @PostMapping("/dashboards/{name}/panels/{id}")
  @ResponseBody
  PanelDrawing.PanelAnswer panel(
      @PathVariable String name, @PathVariable String id, HttpServletRequest request) {
    var dashboard = need(name);
    var size = PanelDrawing.Size.of(request);
    return drawing.draw(dashboard, need(dashboard, id), size, request);
  }
}
