package vintrel.server.show;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import vintrel.core.define.Changes;
import vintrel.core.define.Dashboard;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.server.define.Definitions;
import vintrel.server.define.Origin;
import vintrel.server.define.Revision;
import vintrel.server.web.CurrentUser;

/** What the page of all dashboards says of them. Any thread. */
@Component
class DashboardList {
  /** Ways to narrow the list that are no folders begin with this. */
  private static final String STAR = "*";

  private static final String METRIC = STAR + "metric:";
  private static final int METRICS = 3;
  private static final int CHANGES = 4;
  private static final int ROWS = 24;

  /** Height of the picture beside the list, and of a title in it, px. */
  private static final int THUMB_HEIGHT = 190;

  private static final int TITLE = 12;
  private static final DateTimeFormatter DAY = DateTimeFormatter.ofPattern("d MMM", Locale.UK);
  private static final Definitions.LastChange NO_CHANGE =
      new Definitions.LastChange("", 0, Origin.PAGE, 0);

  private final Definitions definitions;
  private final DashboardUse use;
  private final Thumbnails thumbnails;
  private final RaisedOn raisedOn;
  private final Clock clock;

  DashboardList(
      Definitions definitions,
      DashboardUse use,
      Thumbnails thumbnails,
      RaisedOn raisedOn,
      Clock clock) {
    this.definitions = definitions;
    this.use = use;
    this.thumbnails = thumbnails;
    this.raisedOn = raisedOn;
    this.clock = clock;
  }

  /** A way to narrow the list. */
  public record Way(String word, String title, int count, boolean chosen) {}

  /**
   * Ways under a heading; some are shown on request only.
   *
   * @param title empty: none
   */
  public record Ways(String title, List<Way> ways, List<Way> more) {}

  /**
   * A small picture of a dashboard.
   *
   * @param places of its panels: column, row, width and height
   * @param paths of their lines, as they were last answered
   * @param titles of those that are tall enough for one
   */
  public record Thumb(
      List<Dashboard.Place> places, List<String> paths, int rows, List<Caption> titles) {}

  /** The title of a panel in a small picture; x, y and width are percent of the picture. */
  public record Caption(String title, double x, double y, double width) {}

  /**
   * A dashboard in the list.
   *
   * @param raised active alerts on what it shows
   * @param days how often it was opened on each day, in percent of the most of all
   * @param openings on all these days
   */
  public record Row(
      String name,
      String title,
      String folder,
      boolean starred,
      String opened,
      String changedBy,
      String changed,
      String kept,
      Thumb thumb,
      List<RaisedOn.Count> raised,
      int[] days,
      int openings) {}

  /** One that was deleted and can be brought back. */
  public record Deleted(String name, String by, String when) {}

  /**
   * @param none whether there is no dashboard at all
   * @param folders the names of all
   */
  public record Page(
      List<Row> rows, List<Ways> ways, List<Deleted> deleted, boolean none, List<String> folders) {}

  private record Known(
      Dashboard dashboard,
      DashboardUse.Use use,
      Definitions.LastChange change,
      int[] days,
      List<RaisedOn.Count> raised,
      Set<String> metrics) {
    int openings() {
      return Arrays.stream(days).sum();
    }

    boolean says(String words) {
      var d = dashboard;
      var text = new StringBuilder(d.title() + " " + d.folder() + " " + d.description());
      d.panels().forEach(p -> text.append(' ').append(p.title()).append(' ').append(p.query()));
      text.append(' ').append(change.by());
      return text.toString().toLowerCase(Locale.ROOT).contains(words);
    }
  }

  /**
   * The list, narrowed and sorted.
   *
   * @param way a folder, or one of the other ways that {@link Way#word} gives
   * @param sort opened, name, changed or used
   */
  Page page(String search, String way, String sort) {
    var all = known();
    var words = search.strip().toLowerCase(Locale.ROOT);
    int most = all.stream().flatMapToInt(k -> Arrays.stream(k.days())).max().orElse(0);
    var shown =
        all.stream()
            .filter(narrowed(way))
            .filter(k -> words.isEmpty() || k.says(words))
            .sorted(order(sort))
            .map(k -> row(k, most))
            .toList();
    var deleted = deleted();
    var folders = new TreeMap<String, Integer>();
    all.forEach(k -> folders.merge(k.dashboard().folder(), 1, Integer::sum));
    folders.remove("");
    return new Page(
        way.equals(STAR + "deleted") ? List.of() : shown,
        ways(all, way, folders, deleted.size()),
        way.equals(STAR + "deleted") ? deleted : List.of(),
        all.isEmpty(),
        List.copyOf(folders.keySet()));
  }

  private List<Known> known() {
    var uses = use.of(CurrentUser.name());
    var openings = use.openings();
    var changes = definitions.lastChanges("dashboard");
    var raised = raisedOn.of(definitions.dashboards());
    var out = new ArrayList<Known>();
    for (var d : definitions.dashboards()) {
      out.add(
          new Known(
              d,
              uses.getOrDefault(d.name(), DashboardUse.Use.NONE),
              changes.getOrDefault(d.name(), NO_CHANGE),
              openings.getOrDefault(d.name(), new int[DashboardUse.DAYS]),
              raised.getOrDefault(d.name(), List.of()),
              RaisedOn.metrics(d)));
    }
    return out;
  }

  private List<Deleted> deleted() {
    var out = new ArrayList<Deleted>();
    definitions
        .lastChanges("dashboard")
        .forEach(
            (name, change) -> {
              if (!definitions.isDefined("dashboard", name)) {
                out.add(new Deleted(name, change.by(), ago(clock.millis() - change.at())));
              }
            });
    return out;
  }

  private static Predicate<Known> narrowed(String way) {
    return switch (way) {
      case "" -> k -> true;
      case "*starred" -> k -> k.use().starred();
      case "*raised" -> k -> !k.raised().isEmpty();
      case "*mine" -> k -> k.change().by().equals(CurrentUser.name());
      case "*file" -> k -> k.change().from() == Origin.FILE;
      case "*here" -> k -> k.change().from() != Origin.FILE;
      default ->
          way.startsWith(METRIC)
              ? k -> k.metrics().contains(way.substring(METRIC.length()))
              : k -> k.dashboard().folder().equals(way);
    };
  }

  private static Comparator<Known> order(String sort) {
    var byTitle = Comparator.comparing((Known k) -> k.dashboard().title());
    return switch (sort) {
      case "name" -> byTitle;
      case "changed" ->
          Comparator.comparingLong((Known k) -> -k.change().at()).thenComparing(byTitle);
      case "used" -> Comparator.comparingInt((Known k) -> -k.openings()).thenComparing(byTitle);
      default ->
          Comparator.comparing((Known k) -> !k.use().starred())
              .thenComparing(k -> -k.use().openedAt())
              .thenComparing(byTitle);
    };
  }

  private static List<Ways> ways(
      List<Known> all, String chosen, Map<String, Integer> folders, int deleted) {
    var out = new ArrayList<Ways>();
    out.add(
        new Ways(
            "",
            List.of(
                way("", "All", all, chosen),
                way("*starred", "Starred", all, chosen),
                way("*raised", "With active alerts", all, chosen),
                way("*mine", "Changed by me", all, chosen)),
            List.of()));
    out.add(new Ways("Folders", some(folders, "", chosen), List.of()));
    var metrics = new HashMap<String, Integer>();
    all.forEach(k -> k.metrics().forEach(m -> metrics.merge(m, 1, Integer::sum)));
    var byUse = some(metrics, METRIC, chosen);
    var most =
        byUse.stream()
            .sorted(
                Comparator.comparing(Way::chosen)
                    .reversed()
                    .thenComparing(Comparator.comparingInt(Way::count).reversed())
                    .thenComparing(Way::title))
            .toList();
    int first = Math.min(METRICS, most.size());
    out.add(new Ways("Use a metric", most.subList(0, first), most.subList(first, most.size())));
    out.add(
        new Ways(
            "Origin",
            List.of(way("*file", "From a file", all, chosen), way("*here", "No file", all, chosen)),
            List.of()));
    if (deleted > 0) {
      var way = new Way("*deleted", "Can be restored", deleted, chosen.equals("*deleted"));
      out.add(new Ways("Deleted", List.of(way), List.of()));
    }
    return out.stream().filter(w -> !w.ways().isEmpty()).toList();
  }

  private static Way way(String word, String title, List<Known> all, String chosen) {
    int n = (int) all.stream().filter(narrowed(word)).count();
    return new Way(word, title, n, word.equals(chosen));
  }

  private static List<Way> some(Map<String, Integer> counts, String prefix, String chosen) {
    return counts.entrySet().stream()
        .map(
            e ->
                new Way(
                    prefix + e.getKey(),
                    e.getKey(),
                    e.getValue(),
                    chosen.equals(prefix + e.getKey())))
        .sorted(Comparator.comparing(Way::title))
        .toList();
  }

  private Row row(Known k, int most) {
    var d = k.dashboard();
    long now = clock.millis();
    var days =
        Arrays.stream(k.days())
            .map(n -> most == 0 ? 0 : (int) Math.ceil(100.0 * n / most))
            .toArray();
    return new Row(
        d.name(),
        d.title(),
        d.folder(),
        k.use().starred(),
        k.use().openedAt() == 0 ? "–" : ago(now - k.use().openedAt()),
        k.change().by(),
        ago(now - k.change().at()),
        k.change().from() == Origin.FILE ? "from a file" : "",
        thumb(d, false),
        k.raised(),
        days,
        k.openings());
  }

  /**
   * @param titled whether panels have their titles, where they are tall enough
   */
  private Thumb thumb(Dashboard d, boolean titled) {
    var panels = d.panels();
    int all = panels.stream().mapToInt(p -> p.place().row() + p.place().height()).max().orElse(1);
    int rows = Math.min(ROWS, all);
    double room = (double) TITLE * rows / THUMB_HEIGHT;
    Predicate<Dashboard.Panel> has = p -> titled && p.place().height() > 2 * room;
    return new Thumb(
        panels.stream().map(Dashboard.Panel::place).toList(),
        panels.stream()
            .map(p -> thumbnails.path(d.name(), p, has.test(p) ? room : 0))
            .filter(path -> !path.isEmpty())
            .toList(),
        rows,
        panels.stream()
            .filter(has)
            .filter(p -> p.place().row() < rows)
            .map(p -> caption(p, rows))
            .toList());
  }

  private static Caption caption(Dashboard.Panel panel, int rows) {
    var at = panel.place();
    return new Caption(
        panel.title(),
        (at.column() - 0.92) / 12 * 100,
        (at.row() - 0.85) / rows * 100,
        (at.width() - 0.16) / 12 * 100);
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

  /** An active alert on what a dashboard shows. */
  public record Raised(long id, String shape, String title, String words) {}

  /** A version, with what changed in it. */
  public record Version(String day, String by, String words) {}

  /**
   * What is said of one dashboard beside the list.
   *
   * @param kept where it is kept, in words
   */
  public record Card(
      Dashboard dashboard,
      boolean starred,
      String panels,
      Thumb thumb,
      List<Raised> raised,
      List<Version> versions,
      String kept) {}

  Card card(Dashboard d, ZoneId zone) {
    var history = definitions.history("dashboard", d.name());
    var raised =
        raisedOn.alerts(d).stream()
            .map(
                a ->
                    new Raised(
                        a.id(),
                        a.priority().text(),
                        a.rule().title(),
                        a.limit() + ", for " + lasting(clock.millis() - a.raisedAt())))
            .toList();
    return new Card(
        d,
        use.of(CurrentUser.name()).getOrDefault(d.name(), DashboardUse.Use.NONE).starred(),
        Counts.of(d.panels().size(), "panel"),
        thumb(d, true),
        raised,
        versions(history, zone),
        kept(history, zone));
  }

  private static String lasting(long ms) {
    return ms < Durations.MINUTE ? "less than a minute" : ago(ms).replace(" ago", "");
  }

  private static List<Version> versions(List<Revision> history, ZoneId zone) {
    var out = new ArrayList<Version>();
    for (int i = 0; i < Math.min(CHANGES, history.size()); i++) {
      var r = history.get(i);
      var before = i + 1 < history.size() ? history.get(i + 1) : null;
      out.add(new Version(day(r, zone), r.by(), words(before, r)));
    }
    return out;
  }

  private static String day(Revision r, ZoneId zone) {
    return DAY.format(Instant.ofEpochMilli(r.at()).atZone(zone));
  }

  private static String words(Revision before, Revision r) {
    if (r.deleted()) {
      return "deleted";
    }
    if (before == null) {
      return r.from() == Origin.FILE ? "applied from a file" : "created";
    }
    if (before.deleted()) {
      return "restored";
    }
    var changes = Changes.between(before.text(), r.text());
    var some =
        changes.stream().limit(2).map(Changes.Change::words).collect(Collectors.joining("; "));
    return changes.size() > 2 ? some + " and " + (changes.size() - 2) + " more" : some;
  }

  private static String kept(List<Revision> history, ZoneId zone) {
    var file = history.stream().filter(r -> r.from() == Origin.FILE).findFirst();
    if (file.isEmpty()) {
      return history.getFirst().from() == Origin.API
          ? "Created through the API. Not in a definition file."
          : "Created here. Not in a definition file.";
    }
    return file.get() == history.getFirst()
        ? "Matches its file, applied " + day(file.get(), zone) + "."
        : "Edited here after it was applied from a file on " + day(file.get(), zone) + ".";
  }
}
