package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.util.List;
import java.util.Locale;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.util.UriComponentsBuilder;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.unit.Counts;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** The page of all dashboards: search, folders, stars; make, rename, copy, move and delete. */
@Controller
class DashboardsController {

  private static final int MAX_SEVERAL = 1_000;

  private final Definitions definitions;
  private final DashboardUse use;
  private final DashboardList list;
  private final Titles titles;
  private final FirstPictures pictures;

  DashboardsController(
      Definitions definitions,
      DashboardUse use,
      DashboardList list,
      Titles titles,
      FirstPictures pictures) {
    this.pictures = pictures;
    this.definitions = definitions;
    this.use = use;
    this.list = list;
    this.titles = titles;
  }

  @GetMapping("/dashboards")
  String list(
      @RequestParam(defaultValue = "") String q,
      @RequestParam(defaultValue = "") String folder,
      @RequestParam(defaultValue = "opened") String sort,
      @RequestParam(defaultValue = "") String done,
      @RequestParam(defaultValue = "") String dashboard,
      @RequestParam(defaultValue = "") String chosen,
      Model model,
      HttpServletRequest request) {
    var page = list.page(q, folder, sort);
    model.addAttribute("page", page);
    model.addAttribute("folder", folder);
    model.addAttribute("sort", sort);
    model.addAttribute("q", q);
    model.addAttribute("done", done);
    model.addAttribute("doneTo", dashboard);
    var first =
        page.rows().stream()
            .filter(r -> r.name().equals(chosen))
            .findFirst()
            .or(() -> page.rows().stream().findFirst());
    // Its picture, if it has none, is asked for by the page.
    first.ifPresent(
        r -> model.addAttribute("card", list.card(find(r.name()), PagePreferences.zone(request))));
    return "show/list";
  }

  /** What is said of one beside the list. */
  @GetMapping("/dashboards/{name}/card")
  String card(@PathVariable String name, Model model, HttpServletRequest request) {
    var dashboard = find(name);
    pictures.need(dashboard, request);
    model.addAttribute("card", list.card(dashboard, PagePreferences.zone(request)));
    return "show/card :: card";
  }

  /** Makes one and opens it for editing. */
  @PostMapping("/dashboards")
  String make(
      @RequestParam(defaultValue = "") String title,
      @RequestParam(defaultValue = "") String folder) {
    var made =
        Dashboard.empty(titles.free(title), Titles.need(title)).about(folder.strip(), "", "");
    definitions.save(new Definition.OfDashboard(made), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/dashboards/" + made.name() + "?edit=1";
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
            d.titled(Titles.need(title))
                .about(folder.strip(), description.strip(), range.strip())
                .timed(zone.strip(), refresh),
        CurrentUser.name());
    return "redirect:/dashboards?done=saved&dashboard=" + name;
  }

  @PostMapping("/dashboards/{name}/copy")
  String copy(@PathVariable String name) {
    var made = titles.copy(find(name));
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

  /** What is done to several at once. */
  enum Act {
    MOVE,
    STAR,
    UNSTAR,
    DELETE
  }

  /**
   * Moves, stars or deletes several. Those that are not there are left out.
   *
   * @param names of the dashboards
   * @param folder where they are moved
   */
  @PostMapping("/dashboards/several")
  String several(
      @RequestParam List<String> names,
      @RequestParam Act act,
      @RequestParam(defaultValue = "") String folder) {
    if (names.size() > MAX_SEVERAL) {
      throw new IllegalArgumentException("choose at most 1,000 dashboards");
    }
    var by = CurrentUser.name();
    int n = 0;
    for (var name : names) {
      if (definitions.dashboard(name) == null) {
        continue;
      }
      n++;
      switch (act) {
        case MOVE ->
            definitions.change(name, d -> d.about(folder.strip(), d.description(), d.range()), by);
        case STAR -> use.star(by, name, true);
        case UNSTAR -> use.star(by, name, false);
        case DELETE -> definitions.remove("dashboard", name, null, by, Origin.PAGE);
      }
    }
    return "redirect:/dashboards?done=%s&dashboard=%s"
        .formatted(
            act.name().toLowerCase(Locale.ROOT), Counts.of(n, "dashboard").replace(' ', '+'));
  }
}
