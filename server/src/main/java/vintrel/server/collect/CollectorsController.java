package vintrel.server.collect;

import java.util.List;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.define.Bundle;
import vintrel.core.define.CollectorFile;
import vintrel.core.define.DefinitionException;
import vintrel.core.unit.Counts;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.web.CurrentUser;

/** Collectors: how they are, and the configurations that they can take from here. */
@Controller
class CollectorsController {
  private static final String NEW =
      """
      every: 10s
      labels: {site: north-quay}
      fetch: inputs
      inputs:
      - input: host
      """;

  private final Definitions definitions;
  private final CollectorsView views;

  CollectorsController(Definitions definitions, CollectorsView views) {
    this.definitions = definitions;
    this.views = views;
  }

  @GetMapping("/collect/collectors")
  String page(
      @RequestParam(defaultValue = "") String collector,
      @RequestParam(defaultValue = "") String config,
      @RequestParam(defaultValue = "") String done,
      Model model) {
    model.addAttribute("view", views.of(collector));
    model.addAttribute("timeless", true);
    model.addAttribute("done", done);
    model.addAttribute("doneTo", config);
    return "collect/collectors";
  }

  @GetMapping("/collect/collectors/list")
  String list(@RequestParam(defaultValue = "") String collector, Model model) {
    model.addAttribute("view", views.of(collector));
    return "collect/collectors :: list";
  }

  @GetMapping("/collect/collectors/edit")
  String edit(@RequestParam(defaultValue = "") String config, Model model) {
    var stored = definitions.find("collector", config);
    if (!config.isEmpty() && stored == null) {
      throw new NoSuchElementException("no collector configuration named `" + config + "`");
    }
    var text =
        stored == null ? NEW : stored.text().replaceFirst("^kind: collector\nname: .*\n", "");
    form(config, config, text, stored == null ? 0 : stored.version(), "", model);
    return "collect/collector-edit";
  }

  private static void form(
      String old, String name, String text, int version, String fault, Model model) {
    model.addAttribute("timeless", true);
    model.addAttribute("old", old);
    model.addAttribute("heading", old.isEmpty() ? "New configuration" : "Edit " + old);
    model.addAttribute("name", name);
    model.addAttribute("text", text);
    model.addAttribute("version", version);
    model.addAttribute("fault", fault);
    model.addAttribute("catalogue", CollectorCatalogue.ALL);
    model.addAttribute("reading", reading(text));
  }

  /** What the text is read as. */
  public record Reading(List<String> faults, String summary) {}

  private static Reading reading(String text) {
    var file = CollectorFile.parse(text, "collector");
    var faults =
        java.util.stream.Stream.concat(file.faults().stream(), file.warnings().stream())
            .map(Object::toString)
            .toList();
    return new Reading(
        faults,
        file.config() == null ? "" : "Valid: " + Counts.of(file.config().inputs().size(), "input"));
  }

  /** Reads a text while it is written. */
  @PostMapping("/collect/collectors/check")
  String check(@RequestParam(defaultValue = "") String text, Model model) {
    model.addAttribute("reading", reading(text));
    return "collect/collector-edit :: reading";
  }

  @PostMapping("/collect/collectors")
  String save(
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "") String text,
      @RequestParam(defaultValue = "") String old,
      @RequestParam(defaultValue = "0") int version,
      Model model) {
    String fault;
    try {
      if (name.isBlank()) {
        throw new DefinitionException(List.of("the name is missing"));
      }
      if (!CollectorFile.parse(text, name.strip()).faults().isEmpty()) {
        throw new DefinitionException(List.of("the text has faults; see below"));
      }
      definitions.save(
          Bundle.named(text, "collector", name.strip()), version, CurrentUser.name(), Origin.PAGE);
      return "redirect:/collect/collectors?done=saved&config=" + name.strip();
    } catch (DefinitionException e) {
      fault = String.join("; ", e.faults());
    } catch (StaleVersionException e) {
      fault =
          version == 0
              ? "a configuration of this name already exists"
              : e.getMessage() + "; open it again to go on from there";
    }
    form(old, name, text, version, fault, model);
    return "collect/collector-edit";
  }

  @PostMapping("/collect/collectors/{name}/delete")
  String delete(@PathVariable String name) {
    definitions.remove("collector", name, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/collect/collectors?done=deleted&config=" + name;
  }
}
