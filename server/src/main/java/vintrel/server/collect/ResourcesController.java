package vintrel.server.collect;

import java.time.Clock;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.define.Definition;
import vintrel.core.series.Labels;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.wire.ResourceRules;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.StaleVersionException;
import vintrel.server.web.CurrentUser;

/** The resources that samples come from, and the rules for their attributes. */
@Controller
class ResourcesController {
  private static final int SHOWN = 200;

  /** Series of a metric multiply by the values of an attribute: from here on it is pointed out. */
  private static final int MANY = 20;

  private final Resources resources;
  private final Definitions definitions;
  private final Clock clock;

  ResourcesController(Resources resources, Definitions definitions, Clock clock) {
    this.resources = resources;
    this.definitions = definitions;
    this.clock = clock;
  }

  public record Pair(String name, String value) {}

  /** A resource in words, named by its service or its host. */
  public record Row(String title, List<Pair> labels, List<Pair> aside, String since) {}

  /**
   * An attribute of resources.
   *
   * @param many whether it has so many values that its series are worth a thought
   */
  public record Attribute(
      String name, String values, String example, boolean label, boolean many) {}

  @GetMapping("/collect/resources")
  String page(
      @RequestParam(defaultValue = "") String q,
      @RequestParam(defaultValue = "") String done,
      Model model) {
    var stored = definitions.find("resources", Resources.DEFAULT);
    var rules = resources.rules(Resources.DEFAULT);
    fill(q, text(rules), stored == null ? 0 : stored.version(), "", model);
    model.addAttribute("done", done);
    return "collect/resources";
  }

  private static String text(ResourceRules rules) {
    return rules.rules().stream().map(ResourceRules::write).collect(Collectors.joining("\n"));
  }

  private void fill(String q, String lines, int version, String fault, Model model) {
    var store = CurrentUser.store();
    var found = resources.search(store, q);
    model.addAttribute("timeless", true);
    model.addAttribute("q", q);
    model.addAttribute("rows", found.stream().limit(SHOWN).map(this::row).toList());
    model.addAttribute("more", Math.max(0, found.size() - SHOWN));
    model.addAttribute("count", Counts.of(found.size(), "resource"));
    model.addAttribute("full", resources.isFull());
    model.addAttribute("attributes", attributes(resources.search(store, ""), rules(lines)));
    model.addAttribute("lines", lines);
    model.addAttribute("version", version);
    model.addAttribute("fault", fault);
  }

  private Row row(Resources.Resource r) {
    var all = r.labels().asMap();
    var title = all.getOrDefault("service", all.getOrDefault("host", "without a name"));
    long age = Math.max(Durations.MINUTE, clock.millis() - r.since());
    return new Row(
        title, pairs(r.labels()), pairs(r.aside()), Durations.words(age - age % Durations.MINUTE));
  }

  private static List<Pair> pairs(Labels labels) {
    return labels.asMap().entrySet().stream().map(e -> new Pair(e.getKey(), e.getValue())).toList();
  }

  private static List<Attribute> attributes(List<Resources.Resource> all, ResourceRules rules) {
    var values = new TreeMap<String, TreeSet<String>>();
    for (var r : all) {
      for (var part : List.of(r.labels(), r.aside())) {
        part.asMap().forEach((k, v) -> values.computeIfAbsent(k, x -> new TreeSet<>()).add(v));
      }
    }
    var out = new ArrayList<Attribute>();
    values.forEach(
        (name, some) ->
            out.add(
                new Attribute(
                    name,
                    "%,d".formatted(some.size()),
                    some.first(),
                    rules.isLabel(name),
                    some.size() >= MANY && rules.isLabel(name))));
    return out;
  }

  /** The lines that can be read. */
  private static ResourceRules rules(String lines) {
    var out = new ArrayList<ResourceRules.Rule>();
    for (var line : lines.lines().filter(l -> !l.isBlank()).toList()) {
      try {
        out.add(ResourceRules.parse(line));
      } catch (IllegalArgumentException e) {
        // Said beside the field.
      }
    }
    return new ResourceRules(out);
  }

  private static String fault(String lines) {
    int number = 0;
    for (var line : lines.lines().toList()) {
      number++;
      try {
        if (!line.isBlank()) {
          ResourceRules.parse(line);
        }
      } catch (IllegalArgumentException e) {
        return "line " + number + ": " + e.getMessage();
      }
    }
    return number > ResourceRules.MAX_RULES
        ? "more than " + ResourceRules.MAX_RULES + " lines"
        : "";
  }

  /** Which attributes the rules, as they are typed, make labels. */
  @PostMapping("/collect/resources/preview")
  String preview(@RequestParam(defaultValue = "") String rules, Model model) {
    fill("", rules, 0, fault(rules), model);
    return "collect/resources :: attributes";
  }

  @PostMapping("/collect/resources")
  String save(
      @RequestParam(defaultValue = "") String rules,
      @RequestParam(defaultValue = "0") int version,
      Model model) {
    var fault = fault(rules);
    if (fault.isEmpty()) {
      try {
        definitions.save(
            new Definition.OfResources(Resources.DEFAULT, rules(rules)),
            version,
            CurrentUser.name(),
            Origin.PAGE);
        return "redirect:/collect/resources?done=saved";
      } catch (StaleVersionException e) {
        fault = e.getMessage() + "; open it again to go on from there";
      }
    }
    fill("", rules, version, fault, model);
    model.addAttribute("done", "");
    return "collect/resources";
  }

  /** Resources of which some label or attribute holds the words. */
  @GetMapping("/api/v1/resources")
  @ResponseBody
  Map<String, Object> search(@RequestParam(defaultValue = "") String q) {
    var store = CurrentUser.store();
    var found = resources.search(store, q);
    var out = new ArrayList<Map<String, Object>>();
    for (var r : found.subList(0, Math.min(found.size(), 1_000))) {
      var one = new LinkedHashMap<String, Object>();
      one.put("store", r.store());
      one.put("labels", r.labels().asMap());
      one.put("aside", r.aside().asMap());
      one.put("since", r.since());
      one.put("seen", r.seen());
      out.add(one);
    }
    return Map.of("resources", out, "found", found.size());
  }
}
