package vintrel.server.show;

import jakarta.servlet.http.HttpServletRequest;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.springframework.http.ContentDisposition;
import org.springframework.http.HttpHeaders;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.Bundle;
import vintrel.core.define.Changes;
import vintrel.core.define.Dashboard;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.define.Portable;
import vintrel.server.ask.ExternalStores;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.store.NamedStores;
import vintrel.server.web.CurrentUser;

/** Dashboards as files: out as YAML or JSON, and in with everything listed before it happens. */
@Controller
class FilesController {
  private static final int MAX_CHANGES = 8;

  private final Definitions definitions;
  private final NamedStores named;
  private final ExternalStores external;
  private final JsonMapper json;

  FilesController(
      Definitions definitions, NamedStores named, ExternalStores external, JsonMapper json) {
    this.definitions = definitions;
    this.named = named;
    this.external = external;
    this.json = json;
  }

  /**
   * Dashboards as a file.
   *
   * @param names of dashboards; none: all
   * @param format yaml or json, the latter for one alone
   */
  @GetMapping("/dashboards/export")
  ResponseEntity<String> export(
      @RequestParam(name = "name", required = false) List<String> names,
      @RequestParam(defaultValue = "yaml") String format) {
    var chosen =
        names == null || names.isEmpty()
            ? definitions.dashboards().stream().map(Dashboard::name).toList()
            : names;
    boolean asJson = format.equals("json");
    var text = new StringBuilder();
    for (var name : chosen) {
      var stored = definitions.find("dashboard", name);
      if (stored == null) {
        throw new NoSuchElementException("no dashboard named `" + name + "`");
      }
      text.append(chosen.size() > 1 ? "---\n" : "");
      text.append(
          asJson
              ? json.writerWithDefaultPrettyPrinter().writeValueAsString(stored.content()) + "\n"
              : stored.text());
    }
    var file =
        (chosen.size() == 1 ? chosen.getFirst() : "dashboards") + (asJson ? ".json" : ".yaml");
    return ResponseEntity.ok()
        .contentType(asJson ? MediaType.APPLICATION_JSON : new MediaType("application", "yaml"))
        .header(
            HttpHeaders.CONTENT_DISPOSITION,
            ContentDisposition.attachment().filename(file).build().toString())
        .body(text.toString());
  }

  /**
   * What would become of a dashboard in a file.
   *
   * @param version of the one of this name; 0 if there is none
   * @param what made, changed or left
   * @param changes to the one of this name, in words
   * @param free a name that nothing has, for keeping both
   */
  public record Row(
      String name,
      String title,
      int version,
      String what,
      List<String> changes,
      int more,
      String free) {}

  @GetMapping("/dashboards/import")
  String page(Model model) {
    return shown("", List.of(), null, Map.of(), model);
  }

  /**
   * Looks a file over, or imports it.
   *
   * @param apply whether it is imported; else everything that would change is listed
   */
  @PostMapping("/dashboards/import")
  String take(
      @RequestParam(defaultValue = "") String text,
      @RequestParam(defaultValue = "false") boolean apply,
      HttpServletRequest request,
      Model model) {
    var stores = chosenStores(request);
    try {
      var read = dashboards(text);
      if (!apply || !missing(read, stores).isEmpty()) {
        return shown(text, List.of(), read, stores, model);
      }
      var unseen = unseen(read, request);
      if (!unseen.isEmpty()) {
        return shown(text, unseen, read, stores, model);
      }
      var taken =
          read.stream()
              .filter(d -> !action(d, request).equals("leave"))
              .map(d -> Portable.with(d, stores))
              .map(
                  d ->
                      action(d, request).equals("both")
                          ? d.called(definitions.free("dashboard", d.name()))
                          : d)
              .toList();
      var bundle =
          taken.stream()
              .map(d -> "---\n" + Bundle.Document.of(new Definition.OfDashboard(d)).text())
              .collect(Collectors.joining());
      if (!bundle.isEmpty()) {
        definitions.apply(bundle, false, CurrentUser.name(), Origin.PAGE);
      }
      return "redirect:/dashboards" + (taken.isEmpty() ? "" : "?chosen=" + taken.getFirst().name());
    } catch (DefinitionException e) {
      return shown(text, e.faults(), null, stores, model);
    }
  }

  /** What would happen to these dashboards was not listed, or is not what was listed any more. */
  private List<String> unseen(List<Dashboard> read, HttpServletRequest request) {
    var out = new ArrayList<String>();
    for (var d : read) {
      var seen = request.getParameter("seen." + d.name());
      if (seen == null) {
        out.add(d.name() + ": the text changed after the check. Look at the list and import again");
      } else if (!seen.equals(String.valueOf(version(d.name())))) {
        out.add(
            "another user saved "
                + d.name()
                + " after the check; review the preview and import again");
      }
    }
    return out;
  }

  /** Of the dashboard that is here; 0 if there is none. */
  private int version(String name) {
    var here = definitions.find("dashboard", name);
    return here == null ? 0 : here.version();
  }

  private static String action(Dashboard d, HttpServletRequest request) {
    var value = request.getParameter("do." + d.name());
    return value == null ? "replace" : value;
  }

  private static Map<String, String> chosenStores(HttpServletRequest request) {
    var out = new LinkedHashMap<String, String>();
    request
        .getParameterMap()
        .forEach(
            (key, values) -> {
              if (key.startsWith("store.") && !values[0].isBlank()) {
                out.put(key.substring("store.".length()), values[0]);
              }
            });
    return out;
  }

  private static List<Dashboard> dashboards(String text) {
    var faults = new ArrayList<String>();
    var out = new ArrayList<Dashboard>();
    if (text.isBlank()) {
      throw new DefinitionException(List.of("choose a file, or paste its text"));
    }
    for (var document : Bundle.parse(text).documents()) {
      if (document.definition() instanceof Definition.OfDashboard d) {
        out.add(d.dashboard());
      } else {
        faults.add(document.key() + ": only dashboards are imported here; send others to the API");
      }
    }
    if (!faults.isEmpty()) {
      throw new DefinitionException(faults);
    }
    return out;
  }

  private List<String> known() {
    var out = new ArrayList<String>();
    named.all().forEach(n -> out.add(n.name()));
    external.all().forEach(k -> out.add(k.name()));
    return out;
  }

  /** Stores that the file names and that are not here, without those that others stand for. */
  private List<String> missing(List<Dashboard> read, Map<String, String> chosen) {
    var known = known();
    var out = new TreeSet<String>();
    read.forEach(d -> out.addAll(Portable.stores(d)));
    out.removeIf(s -> known.contains(chosen.getOrDefault(s, s)));
    return List.copyOf(out);
  }

  private String shown(
      String text,
      List<String> faults,
      List<Dashboard> read,
      Map<String, String> stores,
      Model model) {
    model.addAttribute("timeless", true);
    model.addAttribute("text", text);
    model.addAttribute("faults", faults);
    model.addAttribute("read", read != null);
    if (read != null) {
      model.addAttribute("rows", read.stream().map(d -> row(Portable.with(d, stores))).toList());
      var named = new TreeSet<String>(missing(read, Map.of()));
      model.addAttribute("stores", named);
      model.addAttribute("chosen", stores);
      model.addAttribute("missing", missing(read, stores));
      model.addAttribute("known", known());
    }
    return "show/import";
  }

  private Row row(Dashboard d) {
    var here = definitions.find("dashboard", d.name());
    if (here == null) {
      return new Row(d.name(), d.title(), 0, "made", List.of(), 0, "");
    }
    var document = Bundle.Document.of(new Definition.OfDashboard(d));
    // Both as they would be written: what somebody typed in another way is no change.
    var changes = Changes.between(Bundle.Document.of(here.definition()).text(), document.text());
    return new Row(
        d.name(),
        d.title(),
        here.version(),
        changes.isEmpty() ? "left" : "changed",
        changes.stream().limit(MAX_CHANGES).map(Changes.Change::words).toList(),
        Math.max(0, changes.size() - MAX_CHANGES),
        definitions.free("dashboard", d.name()));
  }
}
