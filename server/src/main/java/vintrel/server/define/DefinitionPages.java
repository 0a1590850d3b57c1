package vintrel.server.define;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.define.Changes;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** The versions of a definition, and the way back to one. */
@Controller
class DefinitionPages {
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("EEE d MMM yyyy HH:mm", Locale.UK);

  /** Where the definitions of a kind are shown: %s is the name. */
  private static final Map<String, String> PAGES =
      Map.of(
          "job", "/collect/jobs?job=%s",
          "check", "/collect/checks?check=%s",
          "collector", "/collect/collectors?config=%s",
          "resources", "/collect/resources",
          "dashboard", "/dashboards/%s",
          "rule", "/watch/rules/%s");

  /** The area of work that the definitions of a kind belong to. */
  private static final Map<String, String> AREAS =
      Map.of(
          "dashboard",
          "dashboards",
          "rule",
          "watch",
          "recipient",
          "notify",
          "routing",
          "notify",
          "window",
          "notify");

  private final Definitions definitions;

  DefinitionPages(Definitions definitions) {
    this.definitions = definitions;
  }

  /**
   * A version.
   *
   * @param changes from the version before, in words
   */
  public record VersionView(
      int version,
      String when,
      String by,
      String from,
      String text,
      boolean deleted,
      boolean inForce,
      List<String> changes) {}

  private static String page(String kind, String name) {
    return PAGES.getOrDefault(kind, "/").formatted(name);
  }

  @GetMapping("/definitions/{kind}/{name}")
  String history(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestParam(defaultValue = "0") int from,
      @RequestParam(defaultValue = "0") int to,
      Model model,
      HttpServletRequest request) {
    var revisions = definitions.history(kind, name);
    if (revisions.isEmpty()) {
      throw new NoSuchElementException("there was never a %s named `%s`".formatted(kind, name));
    }
    var stored = definitions.find(kind, name);
    model.addAttribute("timeless", true);
    model.addAttribute("kind", kind);
    model.addAttribute("name", name);
    model.addAttribute("area", AREAS.getOrDefault(kind, "collect"));
    model.addAttribute("called", title(stored, name));
    var comparison = Comparison.of(revisions, from, to);
    model.addAttribute("comparison", comparison);
    model.addAttribute("incomparable", comparison == null && (from != 0 || to != 0));
    model.addAttribute("page", page(kind, name));
    model.addAttribute(
        "versions",
        views(revisions, stored == null ? 0 : stored.version(), PagePreferences.zone(request)));
    return "define/history";
  }

  private static Object title(Definitions.Stored stored, String name) {
    return stored == null ? name : stored.content().getOrDefault("title", name);
  }

  private static List<VersionView> views(List<Revision> revisions, int inForce, ZoneId zone) {
    var out = new ArrayList<VersionView>();
    for (int i = 0; i < revisions.size(); i++) {
      var r = revisions.get(i);
      var before = i + 1 < revisions.size() ? revisions.get(i + 1) : null;
      var changes = new ArrayList<String>();
      if (r.deleted()) {
        changes.add("deleted");
      } else if (before == null) {
        changes.add("created");
      } else if (before.deleted()) {
        changes.add("restored");
      } else {
        Changes.between(before.text(), r.text()).forEach(c -> changes.add(c.words()));
      }
      out.add(
          new VersionView(
              r.version(),
              TIME.format(Instant.ofEpochMilli(r.at()).atZone(zone)),
              r.by(),
              r.from().text(),
              r.deleted() ? "" : r.text(),
              r.deleted(),
              r.version() == inForce,
              changes));
    }
    return out;
  }

  /**
   * Puts a version in force again.
   *
   * @param version 0 for the one before the present: undoes the last change
   */
  @PostMapping("/definitions/{kind}/{name}/restore")
  String restore(
      @PathVariable String kind,
      @PathVariable String name,
      @RequestParam(defaultValue = "0") int version) {
    definitions.restore(kind, name, version == 0 ? null : version, CurrentUser.name(), Origin.PAGE);
    var page = page(kind, name);
    return "redirect:" + page + (page.contains("?") ? "&" : "?") + "done=restored";
  }
}
