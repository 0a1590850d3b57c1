package vintrel.server.collect;

import jakarta.servlet.http.HttpServletRequest;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.ModelAttribute;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.collect.Check;
import vintrel.core.define.Bundle;
import vintrel.core.define.Definition;
import vintrel.core.define.DefinitionException;
import vintrel.core.unit.Durations;
import vintrel.server.ask.ExternalStores;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** Checks: how they are, and the form that makes and edits them. */
@Controller
class ChecksController {
  private static final List<String> KINDS = List.of("http", "tcp", "dns", "tls", "sql");

  private final Definitions definitions;
  private final Checks checks;
  private final ChecksView views;
  private final ExternalStores stores;

  ChecksController(
      Definitions definitions, Checks checks, ChecksView views, ExternalStores stores) {
    this.definitions = definitions;
    this.checks = checks;
    this.views = views;
    this.stores = stores;
  }

  @GetMapping("/collect/checks")
  String page(
      @RequestParam(defaultValue = "") String check,
      @RequestParam(defaultValue = "") String done,
      Model model,
      HttpServletRequest request) {
    fill(check, model, request);
    model.addAttribute("timeless", true);
    model.addAttribute("done", done);
    model.addAttribute("doneTo", check);
    model.addAttribute("site", checks.site());
    return "collect/checks";
  }

  @GetMapping("/collect/checks/list")
  String list(
      @RequestParam(defaultValue = "") String check, Model model, HttpServletRequest request) {
    fill(check, model, request);
    return "collect/checks :: list";
  }

  private void fill(String check, Model model, HttpServletRequest request) {
    model.addAttribute("view", views.of(check, PagePreferences.zone(request)));
  }

  /** Runs a check now. */
  @PostMapping("/collect/checks/{name}/run")
  String run(
      @PathVariable String name,
      @RequestParam(defaultValue = "") String check,
      Model model,
      HttpServletRequest request) {
    var wanted = need(name);
    if (!wanted.isHere()) {
      throw new IllegalArgumentException("the check `" + name + "` runs only on collectors");
    }
    checks.runOnce(wanted);
    fill(check, model, request);
    return "collect/checks :: list";
  }

  private Check need(String name) {
    var stored = definitions.find("check", name);
    if (stored == null) {
      throw new NoSuchElementException("no check named `" + name + "`");
    }
    return ((Definition.OfCheck) stored.definition()).check();
  }

  @GetMapping("/collect/checks/edit")
  String edit(
      @RequestParam(defaultValue = "") String check,
      @RequestParam(defaultValue = "http") String kind,
      @RequestParam(defaultValue = "") String address,
      Model model) {
    var form =
        check.isEmpty()
            ? CheckForm.empty(KINDS.contains(kind) ? kind : "http", address)
            : CheckForm.of(need(check));
    int version = check.isEmpty() ? 0 : definitions.find("check", check).version();
    form(form, check, version, Map.of(), model);
    return "collect/check-edit";
  }

  private void form(
      CheckForm form, String old, int version, Map<String, String> faults, Model model) {
    model.addAttribute("timeless", true);
    model.addAttribute("form", form);
    model.addAttribute("old", old);
    model.addAttribute("heading", old.isEmpty() ? "New check" : "Edit " + old);
    model.addAttribute("version", version);
    model.addAttribute("faults", faults);
    model.addAttribute("kinds", KINDS);
    model.addAttribute("places", places(form));
    model.addAttribute("storeNames", stores.names(ExternalStores.Form.SQL));
  }

  /** Where a check may run: the server, configurations of collectors, and what the form names. */
  private List<String> places(CheckForm form) {
    var out = new java.util.LinkedHashSet<String>();
    out.add(Check.SERVER);
    definitions.collectors().forEach(c -> out.add(c.config().name()));
    out.addAll(form.from());
    return List.copyOf(out);
  }

  @PostMapping("/collect/checks")
  String save(
      @ModelAttribute CheckForm form,
      @RequestParam(defaultValue = "") String old,
      @RequestParam(defaultValue = "0") int version,
      Model model) {
    needKind(form);
    var document = form.document();
    Map<String, String> faults;
    try {
      if (!document.isFaulty()) {
        definitions.save(document.text(), version, CurrentUser.name(), Origin.PAGE);
        return "redirect:/collect/checks?done=saved&check=" + form.name().strip();
      }
      faults = document.faults(List.of());
    } catch (DefinitionException e) {
      faults = document.faults(e.faults());
    } catch (StaleVersionException e) {
      faults =
          version == 0
              ? Map.of("name", "a check of this name already exists")
              : Map.of("", e.getMessage() + "; open it again to go on from there");
    }
    form(form, old, version, faults, model);
    return "collect/check-edit";
  }

  private static void needKind(CheckForm form) {
    if (form.kind() == null || !KINDS.contains(form.kind())) {
      throw new IllegalArgumentException("`kind` must be one of " + String.join(", ", KINDS));
    }
  }

  /** What a run found, for the form. */
  public record Trial(
      String fault, boolean passed, String found, String step, List<ChecksView.Part> parts) {}

  /** Runs what the form says once. */
  @PostMapping("/collect/checks/try")
  String tryIt(@ModelAttribute CheckForm form, Model model) {
    needKind(form);
    model.addAttribute("trial", trial(form));
    return "collect/check-edit :: trial";
  }

  private Trial trial(CheckForm form) {
    boolean named = form.name() != null && !form.name().isBlank();
    var document = (named ? form : form.named("trial")).document();
    try {
      if (document.isFaulty()) {
        return new Trial(document.words(List.of()), false, "", "", List.of());
      }
      definitions.apply(document.text(), true, CurrentUser.name(), Origin.PAGE);
      var definition = Bundle.parse(document.text()).documents().getFirst().definition();
      var state = checks.look(((Definition.OfCheck) definition).check());
      return new Trial(
          "",
          state.verdict().passed(),
          state.verdict().found(),
          state.finding().failedPhase(),
          ChecksView.parts(state.finding()));
    } catch (DefinitionException e) {
      return new Trial(document.words(e.faults()), false, "", "", List.of());
    }
  }

  @PostMapping("/collect/checks/{name}/pause")
  String pause(@PathVariable String name) {
    return change(name, true);
  }

  @PostMapping("/collect/checks/{name}/resume")
  String resume(@PathVariable String name) {
    return change(name, false);
  }

  private String change(String name, boolean paused) {
    var changed = new Definition.OfCheck(need(name).paused(paused));
    definitions.save(changed, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/collect/checks?done=" + (paused ? "paused" : "resumed") + "&check=" + name;
  }

  @PostMapping("/collect/checks/{name}/delete")
  String delete(@PathVariable String name) {
    definitions.remove("check", name, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/collect/checks?done=deleted&check=" + name;
  }

  /** Time without a run after which the proposed rule is raised, ms. */
  static long silence(Check check) {
    return Math.max(5 * Durations.MINUTE, 3 * check.every());
  }

  /** Makes the rule that is proposed for a check. */
  @PostMapping("/collect/checks/{name}/rule")
  String rule(@PathVariable String name) {
    var check = need(name);
    var rule = new LinkedHashMap<String, Object>();
    rule.put("kind", "rule");
    var wanted = name + "-fails";
    rule.put("name", wanted.length() > 80 ? wanted.substring(0, 80) : wanted);
    rule.put("title", check.title() + " fails");
    rule.put("folder", "checks");
    // The window holds a run of a slow check at any time.
    long window = Math.max(Durations.MINUTE, 2 * check.every());
    rule.put(
        "query",
        "check.up where check = '%s' then last over %s".formatted(name, Durations.text(window)));
    rule.put("every", "15s");
    rule.put("missing", "raise");
    rule.put("missing-after", Durations.text(silence(check)));
    rule.put("limits", List.of(Map.of("below", 1, "priority", "high", "on-delay", "1m")));
    definitions.save(
        JsonMapper.shared().writeValueAsString(rule), 0, CurrentUser.name(), Origin.PAGE);
    return "redirect:/watch/rules/" + rule.get("name");
  }
}
