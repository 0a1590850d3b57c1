package vintrel.server.ask;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Stream;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseBody;
import vintrel.core.index.NameTree;
import vintrel.core.query.assist.Completer;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.series.Condition;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** The Bench's catalogue: metrics of local and external stores, and completions. */
@Controller
class CatalogueController {
  private static final int MAX_VALUES = 200;

  /** Labels of a metric that are offered to sum by. */
  private static final int MAX_GROUPINGS = 6;

  /** So few metrics can be seen at once: their branches are open. */
  private static final int FEW = 100;

  private final Catalogue catalogue;
  private final RemoteCatalogue remote;
  private final SampleStore store;
  private final Queries queries;
  private final Clock clock;

  CatalogueController(
      Catalogue catalogue,
      RemoteCatalogue remote,
      SampleStore store,
      Queries queries,
      Clock clock) {
    this.queries = queries;
    this.catalogue = catalogue;
    this.remote = remote;
    this.store = store;
    this.clock = clock;
  }

  /**
   * A metric in the tree.
   *
   * @param unit in words
   * @param age of the newest sample, short; empty if there is none
   * @param store the external store, or empty for a local one
   * @param places other stores here than the main one that have it
   * @param about kind, unit, series, stores, freshness in words
   * @param source the query text for it
   */
  public record Item(
      String name,
      String kind,
      String unit,
      String age,
      boolean stale,
      int series,
      String store,
      String places,
      String about,
      String note,
      String source) {
    /** A line that asks for it; counters are drawn as rates. */
    public String line() {
      var asked = source == null || source.isEmpty() ? Printer.metric(name) : source;
      return asked + (kind.equals("counter") ? " then rate" : "");
    }
  }

  /**
   * A tree of the catalogue.
   *
   * @param store the external store, or empty for a local one
   * @param fault why it may be more, or empty
   */
  public record Part(String store, Branch tree, boolean open, String fault) {}

  /**
   * A branch of it.
   *
   * @param places the stores of all its metrics; empty if they differ or are the usual ones
   */
  public record Branch(
      String name, int count, String places, List<Branch> branches, List<Leaf> leaves) {}

  /**
   * @param places where it is kept, if its branch does not say so already
   */
  public record Leaf(String rest, String places, Item of) {}

  @GetMapping("/bench/catalogue")
  String catalogue(
      @RequestParam(defaultValue = "") String search,
      @RequestParam(defaultValue = "false") boolean here,
      Model model) {
    fill(model, search, here);
    return "ask/catalogue :: all";
  }

  /** Local and external metrics that match every word of the search. */
  void fill(Model model, String search) {
    fill(model, search, false);
  }

  private void fill(Model model, String search, boolean onlyHere) {
    boolean sought = !search.isBlank();
    var parts = new ArrayList<Part>();
    var here = queries.inTurn(() -> catalogue.find(search, "")).stream().map(this::item).toList();
    if (!here.isEmpty()) {
      parts.add(part("", here, sought || here.size() <= FEW, ""));
    }
    for (var p : onlyHere ? List.<RemoteCatalogue.Part>of() : remote.find(search)) {
      if (!p.metrics().isEmpty() || !p.fault().isEmpty()) {
        var there = p.metrics().stream().map(this::item).toList();
        parts.add(part(p.store(), there, sought && there.size() <= FEW, p.fault()));
      }
    }
    model.addAttribute("parts", parts);
    model.addAttribute("search", search.strip());
  }

  private static Part part(String store, List<Item> items, boolean open, String fault) {
    return new Part(store, branch(NameTree.of(items, Item::name), ""), open, fault);
  }

  private static Branch branch(NameTree.Branch<Item> b, String inner) {
    var places = new HashSet<String>();
    places(b, places);
    // The root has no line of its own to say it on.
    boolean same = places.size() == 1 && !b.name().isEmpty();
    var now = same ? places.iterator().next() : inner;
    return new Branch(
        b.name(),
        b.count(),
        now.equals(inner) ? "" : now,
        b.branches().stream().map(x -> branch(x, now)).toList(),
        b.leaves().stream()
            .map(
                l -> new Leaf(l.rest(), l.of().places().equals(now) ? "" : l.of().places(), l.of()))
            .toList());
  }

  private static void places(NameTree.Branch<Item> b, Set<String> into) {
    b.leaves().forEach(l -> into.add(l.of().places()));
    b.branches().forEach(x -> places(x, into));
  }

  private Item item(Catalogue.Found found) {
    var metric = found.metric();
    boolean plain = found.stores().equals(Set.of(SeriesKey.MAIN));
    return item(
        metric.name(),
        metric.kind().text(),
        metric.unit(),
        metric.series(),
        found.newest(),
        "",
        plain ? "" : String.join(", ", found.stores().stream().sorted().toList()),
        found.note(),
        "");
  }

  private Item item(RemoteCatalogue.Metric m) {
    return item(
        m.name(), m.kind(), m.unit(), m.series(), m.newest(), m.store(), "", m.note(), m.source());
  }

  private Item item(
      String name,
      String kind,
      String unit,
      int series,
      long newest,
      String store,
      String places,
      String note,
      String source) {
    long age = Math.max(0, clock.millis() - newest);
    var where = store.isEmpty() ? places : store;
    var about =
        kind
            + (unit.isEmpty() ? "" : " in " + Units.words(unit))
            + ", "
            + series
            + " series"
            + (where.isEmpty() ? "" : " in " + where)
            + (newest == 0 ? ", no samples yet" : ", last sample " + Durations.words(age) + " ago");
    var brief = newest == 0 ? "none" : brief(age);
    boolean stale = newest == 0 || age > 5 * Durations.MINUTE;
    return new Item(
        name, kind, Units.words(unit), brief, stale, series, store, places, about, note, source);
  }

  /** An age of one unit: {@code 5s}, {@code 3h}. */
  private static String brief(long age) {
    long seconds = age / 1000;
    return seconds < 60
        ? seconds + "s"
        : seconds < 3600
            ? seconds / 60 + "m"
            : seconds < 86_400 ? seconds / 3600 + "h" : seconds / 86_400 + "d";
  }

  /** Completions at the cursor. */
  @PostMapping("/bench/complete")
  @ResponseBody
  Completer.Completion complete(@RequestParam String text, @RequestParam int at) {
    if (at < 0 || at > text.length()) {
      throw new IllegalArgumentException("at must lie within the text");
    }
    return queries.inTurn(() -> new Completer(store.catalog(), remote).at(text, at));
  }

  /**
   * What a chip could say instead.
   *
   * @param kind as in {@link vintrel.core.query.assist.Chips.Chip}
   * @param metric whose labels and values these are, or empty
   * @param named the store named with the metric, or empty
   */
  @GetMapping("/bench/choices")
  @ResponseBody
  List<String> choices(
      @RequestParam String kind,
      @RequestParam(defaultValue = "") String metric,
      @RequestParam(defaultValue = "") String label,
      @RequestParam(name = "store", defaultValue = "") String named) {
    var found =
        remote.stores().contains(named)
            ? there(kind, metric, label, named)
            : here(kind, metric, label);
    return found.stream().limit(MAX_VALUES).toList();
  }

  private Collection<String> here(String kind, String metric, String label) {
    var known = store.catalog().hasMetric("", metric) ? metric : null;
    return switch (kind) {
      case "metric" -> store.catalog().metricNames("");
      case "store" -> stores();
      case "label" -> store.catalog().labelNames("", known);
      case "value" -> store.catalog().labelValues(label, "", known, Condition.ALL);
      case "step" -> steps(known == null ? List.of() : store.catalog().labelNames("", known));
      default -> List.of();
    };
  }

  private Collection<String> there(String kind, String metric, String label, String named) {
    return switch (kind) {
      case "metric" -> remote.metrics(named);
      case "store" -> stores();
      case "label" -> remote.labels(named, metric);
      case "value" -> remote.values(named, metric, label);
      case "step" -> steps(remote.labels(named, metric));
      default -> List.of();
    };
  }

  private List<String> stores() {
    var out = new ArrayList<>(store.catalog().stores());
    out.addAll(remote.stores());
    return out;
  }

  /** Steps to choose from; first those that sum by a label that the metric has. */
  private static List<String> steps(Collection<String> labels) {
    return Stream.concat(
            labels.stream().limit(MAX_GROUPINGS).map(l -> "sum by " + Printer.name(l)),
            Vocabulary.STEPS.stream().map(Vocabulary.Entry::example).filter(e -> e != null))
        .toList();
  }
}
