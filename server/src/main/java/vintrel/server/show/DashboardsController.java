package vintrel.server.show;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.util.UriComponentsBuilder;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.Names;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.web.CurrentUser;

/** The page of all dashboards: search, folders, stars; make, rename, copy, move and delete. */
@Controller
class DashboardsController {
  private static final int MAX_TITLE = 200;

  private static final Definitions.LastChange NO_CHANGE = new Definitions.LastChange("", 0);

  private final Definitions definitions;
  private final DashboardUse use;
  private final Thumbnails thumbnails;
  private final RaisedOn raisedOn;
  private final Clock clock;

  DashboardsController(
      Definitions definitions,
      DashboardUse use,
      Thumbnails thumbnails,
      RaisedOn raisedOn,
      Clock clock) {
    this.thumbnails = thumbnails;
    this.raisedOn = raisedOn;
    this.definitions = definitions;
    this.use = use;
    this.clock = clock;
  }

  /** A way to narrow the list. */
  public record Way(String word, String title, int count, boolean chosen) {}

  /**
   * A dashboard in the list.
   *
   * @param places of its panels, for a small picture: column, row, width and height
   * @param paths of their lines, as they were last answered
   * @param raised active alerts on what it shows
   */
  public record Row(
      String name,
      String title,
      String folder,
      String description,
      String range,
      String zone,
      String refresh,
      boolean starred,
      String opened,
      String changedBy,
      String changed,
      String kind,
      List<Dashboard.Place> places,
      List<String> paths,
      List<RaisedOn.Count> raised,
      int rows) {}

  private record Known(
      Dashboard dashboard, DashboardUse.Use use, Definitions.LastChange change, String text) {}

  @GetMapping("/dashboards")
  String list(
      @RequestParam(defaultValue = "") String q,
      @RequestParam(defaultValue = "") String folder,
      @RequestParam(defaultValue = "opened") String sort,
      @RequestParam(defaultValue = "") String done,
      @RequestParam(defaultValue = "") String dashboard,
      Model model) {
    var all = known();
    var raised = raisedOn.of(all.stream().map(Known::dashboard).toList());
    var words = q.strip().toLowerCase(Locale.ROOT);
    var shown =
        all.stream()
            .filter(k -> in(k, folder, raised.keySet()))
            .filter(k -> words.isEmpty() || k.text().contains(words))
            .sorted(order(sort))
            .map(k -> row(k, raised))
            .toList();
    model.addAttribute("rows", shown);
    model.addAttribute("ways", ways(all, folder, raised.keySet()));
    model.addAttribute("folders", folders(all, folder));
    model.addAttribute("folder", folder);
    model.addAttribute("sort", sort);
    model.addAttribute("q", q);
    model.addAttribute("none", all.isEmpty());
    model.addAttribute("done", done);
    model.addAttribute("doneTo", dashboard);
    return "show/list";
  }

  private List<Known> known() {
    var uses = use.of(CurrentUser.name());
    var changes = definitions.lastChanges("dashboard");
    var out = new ArrayList<Known>();
    for (var d : definitions.dashboards()) {
      var text = (d.title() + " " + d.folder() + " " + d.description()).toLowerCase(Locale.ROOT);
      var queries =
          d.panels().stream()
              .map(p -> p.title() + " " + p.query())
              .collect(Collectors.joining(" "))
              .toLowerCase(Locale.ROOT);
      out.add(
          new Known(
              d,
              uses.getOrDefault(d.name(), DashboardUse.Use.NONE),
              changes.getOrDefault(d.name(), NO_CHANGE),
              text + " " + queries));
    }
    return out;
  }

  private static boolean in(Known k, String folder, Set<String> raised) {
    return switch (folder) {
      case "" -> true;
      case "*starred" -> k.use().starred();
      case "*raised" -> raised.contains(k.dashboard().name());
      case "*mine" -> k.change().by().equals(CurrentUser.name());
      default -> k.dashboard().folder().equals(folder);
    };
  }

  private static Comparator<Known> order(String sort) {
    var byTitle = Comparator.comparing((Known k) -> k.dashboard().title());
    return switch (sort) {
      case "name" -> byTitle;
      case "changed" ->
          Comparator.comparingLong((Known k) -> -k.change().at()).thenComparing(byTitle);
      default ->
          Comparator.comparing((Known k) -> !k.use().starred())
              .thenComparing(k -> -k.use().openedAt())
              .thenComparing(byTitle);
    };
  }

  private static List<Way> ways(List<Known> all, String chosen, Set<String> raised) {
    return List.of(
        way("", "All", all, chosen, raised),
        way("*starred", "Starred", all, chosen, raised),
        way("*raised", "With active alerts", all, chosen, raised),
        way("*mine", "Changed by me", all, chosen, raised));
  }

  private static Way way(
      String word, String title, List<Known> all, String chosen, Set<String> raised) {
    int n = (int) all.stream().filter(k -> in(k, word, raised)).count();
    return new Way(word, title, n, word.equals(chosen));
  }

  private static List<Way> folders(List<Known> all, String chosen) {
    var counts = new TreeMap<String, Integer>();
    all.forEach(k -> counts.merge(k.dashboard().folder(), 1, Integer::sum));
    counts.remove("");
    return counts.entrySet().stream()
        .map(e -> new Way(e.getKey(), e.getKey(), e.getValue(), e.getKey().equals(chosen)))
        .toList();
  }

  private Row row(Known k, Map<String, List<RaisedOn.Count>> raised) {
    var d = k.dashboard();
    long now = clock.millis();
    int rows =
        d.panels().stream().mapToInt(p -> p.place().row() + p.place().height()).max().orElse(1);
    return new Row(
        d.name(),
        d.title(),
        d.folder(),
        d.description(),
        d.range(),
        d.zone(),
        d.refresh(),
        k.use().starred(),
        k.use().openedAt() == 0 ? "–" : ago(now - k.use().openedAt()),
        k.change().by(),
        ago(now - k.change().at()),
        Counts.of(d.panels().size(), "panel"),
        d.panels().stream().map(Dashboard.Panel::place).toList(),
        d.panels().stream()
            .map(p -> thumbnails.path(d.name(), p))
            .filter(path -> !path.isEmpty())
            .toList(),
        raised.getOrDefault(d.name(), List.of()),
        Math.min(24, rows));
  }

  private static String ago(long ms) {
    if (ms < Durations.MINUTE) {
      return "now";
    }
    long unit =
        ms < Durations.HOUR
            ? Durations.MINUTE
            : ms < Durations.DAY ? Durations.HOUR : Durations.DAY;
    return Durations.words(ms - ms % unit) + " ago";
  }

  /** Makes one and opens it for editing. */
  @PostMapping("/dashboards")
  String make(
      @RequestParam(defaultValue = "") String title,
      @RequestParam(defaultValue = "") String folder) {
    var made = Dashboard.empty(free(title), need(title)).about(folder.strip(), "", "");
    definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/dashboards/" + made.name() + "?edit=1";
  }

  private static String need(String title) {
    var clean = title.strip();
    if (clean.isEmpty() || clean.length() > MAX_TITLE) {
      throw new IllegalArgumentException("a dashboard needs a title of 1 to 200 characters");
    }
    return clean;
  }

  /** A name that no dashboard has. */
  private String free(String title) {
    return definitions.free("dashboard", Names.of(need(title)));
  }

  private Dashboard find(String name) {
    var d = definitions.dashboard(name);
    if (d == null) {
      throw new NoSuchElementException("no dashboard named `" + name + "`");
    }
    return d;
  }

  /**
   * Changes what is said of one; its name in addresses stays.
   *
   * @param range that it opens on, such as -6h; empty: that of the rail
   * @param zone for everybody; empty: the person's
   * @param refresh how often it is asked again; empty: as the person chose
   */
  @PostMapping("/dashboards/{name}/about")
  String about(
      @PathVariable String name,
      @RequestParam String title,
      @RequestParam(defaultValue = "") String folder,
      @RequestParam(defaultValue = "") String description,
      @RequestParam(defaultValue = "") String range,
      @RequestParam(defaultValue = "") String zone,
      @RequestParam(defaultValue = "") String refresh) {
    find(name);
    definitions.change(
        name,
        d ->
            d.titled(need(title))
                .about(folder.strip(), description.strip(), range.strip())
                .timed(zone.strip(), refresh),
        CurrentUser.name());
    return "redirect:/dashboards?done=saved&dashboard=" + name;
  }

  @PostMapping("/dashboards/{name}/copy")
  String copy(@PathVariable String name) {
    var from = find(name);
    var title =
        need(from.title().length() > MAX_TITLE - 8 ? from.title() : from.title() + ", copy");
    var made = from.called(free(title)).titled(title);
    definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/dashboards/" + made.name() + "?edit=1";
  }

  @PostMapping("/dashboards/{name}/delete")
  String delete(@PathVariable String name) {
    definitions.remove("dashboard", name, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/dashboards?done=deleted&dashboard=" + name;
  }

  /** Gives a star or takes it away; the list stays narrowed as it was. */
  @PostMapping("/dashboards/{name}/star")
  String star(
      @PathVariable String name,
      @RequestParam boolean on,
      @RequestParam(defaultValue = "") String q,
      @RequestParam(defaultValue = "") String folder,
      @RequestParam(defaultValue = "opened") String sort) {
    find(name);
    use.star(CurrentUser.name(), name, on);
    return "redirect:"
        + UriComponentsBuilder.fromPath("/dashboards")
            .queryParam("folder", "{f}")
            .queryParam("q", "{q}")
            .queryParam("sort", "{s}")
            .encode()
            .buildAndExpand(folder, q, sort)
            .toUriString();
  }
}
