package vintrel.server.watch;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
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
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.Changes;
import vintrel.core.define.DefinitionException;
import vintrel.core.define.Names;
import vintrel.core.unit.Durations;
import vintrel.server.ask.RangeParams;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.web.CurrentUser;
import vintrel.server.web.PagePreferences;

/** The pages of rules: the list, and the sheet on which one is made and changed. */
@Controller
class RulesController {
  private static final String KIND = "rule";

  private final AlertLog log;
  private final Watcher watcher;
  private final Definitions definitions;
  private final RuleList list;
  private final RangeParams ranges;
  private final JsonMapper json;
  private final Clock clock;

  RulesController(
      AlertLog log,
      Watcher watcher,
      Definitions definitions,
      RuleList list,
      RangeParams ranges,
      JsonMapper json,
      Clock clock) {
    this.list = list;
    this.ranges = ranges;
    this.log = log;
    this.watcher = watcher;
    this.definitions = definitions;
    this.json = json;
    this.clock = clock;
  }

  @GetMapping("/watch/rules")
  String rules(
      @RequestParam(defaultValue = "") String done,
      @RequestParam(defaultValue = "") String rule,
      Model model,
      HttpServletRequest request) {
    if (request.getParameter("from") == null) {
      return "redirect:" + week(request);
    }
    var range = ranges.of(request);
    var zone = PagePreferences.zone(request);
    model.addAttribute("folders", list.folders(range, zone));
    model.addAttribute("ticks", StripAxis.of(range, zone));
    model.addAttribute("done", done);
    model.addAttribute("doneTo", rule);
    return "watch/rules";
  }

  /**
   * A rule that is not saved yet.
   *
   * @param query to begin with
   * @param copy the name of a rule to begin with
   */
  @GetMapping("/watch/rules/new")
  String fresh(
      @RequestParam(defaultValue = "") String query,
      @RequestParam(defaultValue = "") String title,
      @RequestParam(defaultValue = "") String unit,
      @RequestParam(defaultValue = "") String copy,
      Model model,
      HttpServletRequest request) {
    if (request.getParameter("from") == null) {
      return "redirect:" + week(request);
    }
    var document = new LinkedHashMap<String, Object>();
    if (!copy.isEmpty()) {
      document.putAll(need(copy).content());
      document.put("title", document.getOrDefault("title", copy) + ", copy");
    } else {
      document.put("title", title);
      document.put("query", query);
      if (!unit.isEmpty()) {
        document.put("unit", unit);
      }
      document.put("limits", List.of());
      document.put("every", "15s");
    }
    return sheet(document, "", 0, model);
  }

  @GetMapping("/watch/rules/{name}")
  String rule(@PathVariable String name, Model model, HttpServletRequest request) {
    if (request.getParameter("from") == null) {
      return "redirect:" + week(request);
    }
    var stored = need(name);
    watcher.rules().stream()
        .filter(r -> r.name.equals(name))
        .findFirst()
        .ifPresent(r -> model.addAttribute("rule", live(r)));
    long now = clock.millis();
    model.addAttribute(
        "series", log.of(name).stream().map(a -> WatchController.view(a, now)).toList());
    return sheet(stored.content(), name, stored.version(), model);
  }

  private Definitions.Stored need(String name) {
    var stored = definitions.find(KIND, name);
    if (stored == null) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    return stored;
  }

  /** The same address with the range that a rule is judged by. */
  private static String week(HttpServletRequest request) {
    var asked = request.getQueryString();
    return request.getRequestURI() + "?" + (asked == null ? "" : asked + "&") + "from=-1w&to=now";
  }

  private String sheet(Map<String, Object> content, String name, int version, Model model) {
    var document = new LinkedHashMap<>(content);
    document.remove("kind");
    document.remove("name");
    var title = String.valueOf(document.getOrDefault("title", name));
    document.putIfAbsent("title", title);
    model.addAttribute("name", name);
    model.addAttribute("title", title.isEmpty() ? "New rule" : title);
    model.addAttribute("version", version);
    model.addAttribute("document", json.writeValueAsString(document));
    return "watch/rule";
  }

  /**
   * What became of a save.
   *
   * @param name of the rule
   * @param version in force now
   * @param by who saved meanwhile; empty if this was saved
   * @param changes that were made meanwhile, in words
   * @param faults of the document; empty if it was saved
   */
  record Saved(
      String name, int version, String by, List<String> changes, List<RuleDraft.Fault> faults) {}

  /**
   * Saves a rule; the old one goes on until the new one is valid.
   *
   * @param name of the saved rule; empty for a new one
   * @param version that the changes are based on; 0 for a new one
   */
  @PostMapping("/watch/rules/save")
  @ResponseBody
  ResponseEntity<Saved> save(
      @RequestParam String document,
      @RequestParam(defaultValue = "") String name,
      @RequestParam(defaultValue = "0") int version) {
    try {
      var title = RuleDraft.title(document);
      if (title.isEmpty()) {
        throw new DefinitionException(List.of("rule new-rule.title: a rule needs a title"));
      }
      var named = name.isEmpty() ? definitions.free(KIND, free(title)) : name;
      var saved =
          definitions.save(
              RuleDraft.text(document, named), version, CurrentUser.name(), Origin.PAGE);
      return ResponseEntity.ok(
          new Saved(named, saved.stored().version(), "", List.of(), List.of()));
    } catch (DefinitionException e) {
      return ResponseEntity.status(HttpStatus.UNPROCESSABLE_ENTITY)
          .body(new Saved(name, version, "", List.of(), RuleDraft.faults(e.faults())));
    } catch (StaleVersionException e) {
      var now = definitions.find(KIND, name);
      return ResponseEntity.status(HttpStatus.PRECONDITION_FAILED)
          .body(
              new Saved(
                  name,
                  e.version(),
                  now == null ? "another user, who deleted it" : now.by(),
                  e.since().stream().map(Changes.Change::words).toList(),
                  List.of()));
    }
  }

  /** {@code new} is an address of its own. */
  private static String free(String title) {
    var name = Names.of(title);
    return name.equals("new") ? "new-2" : name;
  }

  /** Checks a paused rule again. */
  @PostMapping("/watch/rules/{name}/resume")
  String resume(@PathVariable String name) {
    watcher.resume(name);
    return "redirect:/watch/rules/" + name;
  }

  /** Stops the checks of a rule, or lets them go on; a change like any other. */
  @PostMapping("/watch/rules/{name}/pause")
  String pause(@PathVariable String name, @RequestParam boolean on) {
    var rule = new LinkedHashMap<>(need(name).content());
    if (on) {
      rule.put("paused", true);
    } else {
      rule.remove("paused");
    }
    definitions.save(json.writeValueAsString(rule), null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/watch/rules?done=" + (on ? "paused" : "resumed") + "&rule=" + name;
  }

  @PostMapping("/watch/rules/{name}/delete")
  String delete(@PathVariable String name) {
    definitions.remove(KIND, name, null, CurrentUser.name(), Origin.PAGE);
    return "redirect:/watch/rules?done=deleted&rule=" + name;
  }

  /** How its checks go. */
  public record Live(String words, String fault, String pause, boolean paused) {}

  private Live live(WatchedRule w) {
    var words =
        w.checkedUntil == 0
            ? "waiting for its first check"
            : "last check %s ago, took %d ms"
                .formatted(Durations.words(Math.max(0, clock.millis() - w.checkedUntil)), w.millis);
    var band = w.bandFault.isEmpty() ? "" : "; " + w.bandFault;
    var cut = w.cut ? "; series limit reached: some series are not watched" : "";
    return new Live(words + band + cut, w.fault, w.pause, w.wanted.paused());
  }
}
