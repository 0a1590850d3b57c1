package vintrel.core.define;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import vintrel.core.define.Shape.Field;
import vintrel.core.panel.Feed;
import vintrel.core.panel.Limit;
import vintrel.core.panel.PanelKind;
import vintrel.core.panel.PanelKinds;
import vintrel.core.panel.TimeChart;
import vintrel.core.watch.Priority;

/** {@code kind: dashboard}. */
final class DashboardKind implements Kind<Definition.OfDashboard> {
  private static final int MAX_PANELS = 500;

  private static final List<String> REFRESH = List.of("", "5s", "10s", "30s", "1m", "off");

  /** What pages and requests say along with the values of controls. */
  private static final Set<String> IN_ADDRESSES =
      Set.of("from", "to", "page", "width", "height", "draft", "edit", "has");

  private static final String USUAL = TimeChart.DEFAULT.word();

  private static Map<String, Shape.Fields> options() {
    var out = new LinkedHashMap<String, Shape.Fields>();
    PanelKinds.ALL.forEach(k -> out.put(k.word(), RecordShape.of(k.getClass())));
    return out;
  }

  private static final Shape.Text WIDTH =
      new Shape.Text(20, "[0-9]{1,6}(s|m|h|d|w)", "must be a width such as 5m, not '{}'");

  private static final Shape.Fields CONTROL =
      new Shape.Fields(
              Field.of(
                      "name",
                      new Shape.Text(
                          80,
                          "[A-Za-z_][A-Za-z0-9_]*",
                          "must be letters, digits and underscores, not '{}'"),
                      "What queries call it, after a dollar sign.")
                  .needed(),
              Field.of("title", Shape.text(200), "Its name on the page. Default: the name."),
              Field.of(
                  "metric",
                  Shape.text(500),
                  "Offers the values of a label of this metric; or one of query, values, text,"
                      + " stores, intervals."),
              Field.of(
                  "label", Shape.text(200), "The label whose values it offers. Default: the name."),
              Field.of(
                      "where",
                      Shape.text(2_000),
                      "A condition on the metric; other controls may be named in it.")
                  .or("")
                  .checked(Checks::conditionOrNone),
              Field.of(
                      "query",
                      Shape.text(10_000),
                      "Offers the result of this query: its names, or the values of the label.")
                  .checked(Checks::queryOrNone),
              Field.of("values", new Shape.ListOf(Shape.text(500), 500), "Offers these."),
              Field.of("text", new Shape.Truth(), "A text that is typed, for example north-%."),
              Field.of(
                  "stores",
                  new Shape.Truth(),
                  "Offers the stores; lines that name none read the chosen one."),
              Field.of(
                  "intervals",
                  new Shape.ListOf(WIDTH, 50),
                  "Offers widths of buckets; the chosen one is that of all panels."),
              Field.of("several", new Shape.Truth(), "Whether several values can be chosen.")
                  .or(false),
              Field.of(
                  "default",
                  new Shape.ListOf(Shape.text(500), 100),
                  "What is chosen at first. Default: all."))
          .oneOf("metric", "query", "values", "text", "stores", "intervals");

  private static final Shape LEVEL = new Shape.Fed(Shape.number(), false);

  private static final Shape.Fields LIMIT =
      new Shape.Fields(
              Field.of("above", LEVEL, "A limit for values above it, or the line that gives it."),
              Field.of("below", LEVEL, "A limit for values below it, or the line that gives it."),
              Field.of("priority", Shape.choice(Priority.class), "Decides the colour.")
                  .or("medium"))
          .oneOf("above", "below");

  private static final Shape.Fields PANEL =
      new Shape.Fields(
          Field.of("title", Shape.text(200), "The heading.").needed(),
          Field.of("id", Shape.text(200), "Unique on the dashboard. Default: from the title."),
          Field.of(
              "kind",
              new Shape.Choice(PanelKinds.ALL.stream().map(PanelKind::word).toList()),
              "How the result is shown. Default: " + USUAL + "."),
          Field.of(
              "show",
              new Shape.Choice(List.of("lines", "number", "table")),
              "The earlier form of kind."),
          Field.of("description", Shape.text(10_000), "What it shows, as Markdown.").or(""),
          Field.of("link", Checks.LINK, "Where the title leads.").or(""),
          Field.of(
                  "at",
                  new Shape.Place(Dashboard.COLUMNS, Dashboard.MAX_ROW),
                  "Column from 1 to 12, row from 1, width and height.")
              .needed(),
          Field.of("query", Shape.text(100_000), "The lines of the query. Only notes need none.")
              .needed()
              .unless("kind", "note")
              .checked(Checks::queryOrNone),
          Field.of(
                  "time",
                  new Shape.Text(
                      20,
                      PanelTime.PATTERN,
                      "must be today, yesterday, this week, or how far back, such as -24h; not"
                          + " '{}'"),
                  "Its own time in place of the page's: today, yesterday, this week, or how far"
                      + " back, such as -24h; each up to where the page's ends.")
              .or(""),
          Field.of("unit", Shape.text(100), "The unit of the values, as UCUM writes it.").or(""),
          Field.of(
              "legend",
              new Shape.Choice(List.of("table", "names", "none")),
              "The earlier form of the option legend of a time chart."),
          Field.of(
              "options",
              new Shape.Options("kind", USUAL, options()),
              "Settings of the kind; what is absent is as by default."),
          Field.of("limits", new Shape.ListOf(LIMIT, 20), "Values drawn across it."),
          Field.of(
                  "repeat",
                  Shape.text(80),
                  "A control: the panel is shown once for each chosen value, twelve at most.")
              .or(""),
          Field.of("repeat-down", new Shape.Truth(), "Whether the copies go down, not across.")
              .or(false));

  private static final Shape.Fields SECTION =
      new Shape.Fields(
          Field.of("title", Shape.text(200), "The heading.").needed(),
          Field.of(
                  "row",
                  new Shape.Whole(1, Dashboard.MAX_ROW),
                  "The row of the heading; panels below it, down to the next one, are in the"
                      + " section.")
              .needed(),
          Field.of("folded", new Shape.Truth(), "Whether it is folded at first.").or(false),
          Field.of(
                  "repeat",
                  Shape.text(80),
                  "A control: the section is shown once for each chosen value, twelve at most.")
              .or(""));

  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of("title", Shape.text(200), "The name that people read.").needed(),
          Field.of("folder", Shape.text(200), "Where it is listed.").or(""),
          Field.of("description", Shape.text(2_000), "What it is for.").or(""),
          Field.of(
                  "range",
                  new Shape.Text(
                      20,
                      "(-[0-9]{1,9}(s|m|h|d|w))?",
                      "must be how far back it begins, such as -6h"),
                  "The range that it opens on, such as -6h. Default: that of the rail.")
              .or(""),
          Field.of(
                  "zone",
                  Shape.text(80),
                  "A time zone that holds for everybody, such as Europe/Oslo. Default: the"
                      + " person's.")
              .or("")
              .checked(Checks::zone),
          Field.of("refresh", new Shape.Choice(REFRESH), "Refresh interval. Default: the user's.")
              .or(""),
          Field.of("controls", new Shape.ListOf(CONTROL, 50), "Choices at the top."),
          Field.of("sections", new Shape.ListOf(SECTION, 100), "Headings over panels."),
          Field.of("panels", new Shape.ListOf(PANEL, MAX_PANELS), "What it shows."));

  @Override
  public String name() {
    return "dashboard";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfDashboard> type() {
    return Definition.OfDashboard.class;
  }

  @Override
  public Definition.OfDashboard read(Node doc, String path, List<String> faults) {
    var controls = doc.objects("controls").stream().map(DashboardKind::control).toList();
    for (int i = 0; i < controls.size(); i++) {
      var name = controls.get(i).name();
      if (IN_ADDRESSES.contains(name)) {
        faults.add(
            path
                + ".controls["
                + i
                + "].name: `"
                + name
                + "` has another meaning in addresses; choose another name");
      }
      if (controls.subList(0, i).stream().anyMatch(c -> c.name().equals(name))) {
        faults.add(path + ".controls[" + i + "].name: two controls are named `" + name + "`");
      }
    }
    var panels = new ArrayList<Dashboard.Panel>();
    var ids = new HashSet<String>();
    for (var p : doc.objects("panels")) {
      var panel = panel(p, path + ".panels[" + panels.size() + "]", faults);
      var by = panel.repeat();
      if (!by.isEmpty() && controls.stream().noneMatch(c -> c.name().equals(by))) {
        faults.add(path + ".panels[" + panels.size() + "].repeat: no control named `" + by + "`");
      }
      if (!ids.add(panel.id())) {
        faults.add(
            path
                + ".panels["
                + panels.size()
                + "].id: two panels have the id `"
                + panel.id()
                + "`");
      }
      panels.add(panel);
    }
    var sections = sections(doc, path, controls, panels, faults);
    return new Definition.OfDashboard(
        new Dashboard(
            doc.text("name"),
            doc.text("title"),
            doc.text("folder"),
            doc.text("description"),
            doc.text("range"),
            doc.text("zone"),
            doc.text("refresh"),
            controls,
            sections,
            panels));
  }

  private static List<Dashboard.Section> sections(
      Node doc,
      String path,
      List<Control> controls,
      List<Dashboard.Panel> panels,
      List<String> faults) {
    var out = new ArrayList<Dashboard.Section>();
    var nodes = doc.objects("sections");
    for (int i = 0; i < nodes.size(); i++) {
      var n = nodes.get(i);
      int row = (int) n.number("row");
      var place = path + ".sections[" + i + "]";
      var by = n.text("repeat");
      if (!by.isEmpty() && controls.stream().noneMatch(c -> c.name().equals(by))) {
        faults.add(place + ".repeat: no control named `" + by + "`");
      }
      panels.stream()
          .filter(p -> p.place().row() <= row && row < p.place().end())
          .findFirst()
          .ifPresent(
              p -> faults.add(place + ".row: the panel " + p.title() + " stands in this row"));
      if (out.stream().anyMatch(s -> s.row() == row)) {
        faults.add(place + ".row: two sections begin in row " + row);
      }
      out.add(new Dashboard.Section(n.text("title"), row, n.truth("folded"), by));
    }
    out.sort(Comparator.comparingInt(Dashboard.Section::row));
    return out;
  }

  private static Control control(Node c) {
    var name = c.text("name");
    var kind =
        c.has("metric")
            ? Control.Kind.LABEL
            : c.has("query")
                ? Control.Kind.QUERY
                : c.has("values")
                    ? Control.Kind.LIST
                    : c.has("text")
                        ? Control.Kind.TEXT
                        : c.has("stores") ? Control.Kind.STORE : Control.Kind.INTERVAL;
    return new Control(
        name,
        c.text("title", name),
        kind,
        c.text("label", kind == Control.Kind.LABEL ? name : ""),
        c.text("metric", ""),
        c.text("where"),
        c.text("query", ""),
        c.texts(kind == Control.Kind.INTERVAL ? "intervals" : "values"),
        c.truth("several"),
        c.texts("default"));
  }

  private static Dashboard.Panel panel(Node p, String path, List<String> faults) {
    var at = p.place("at");
    var kind = kind(p, path, faults);
    var fed = new LinkedHashMap<String, Feed>();
    RecordShape.feeds(kind.getClass(), p.options("options"), "", fed);
    var limits = new ArrayList<Limit>();
    for (var l : p.objects("limits")) {
      boolean above = l.has("above");
      var level = l.map().get(above ? "above" : "below");
      var feed = Feed.of(level);
      if (feed != null) {
        fed.put("limits[" + limits.size() + "]", feed);
      }
      double value = ((Number) Shape.Fed.plain(level)).doubleValue();
      limits.add(new Limit(value, above, l.choice("priority", Priority.class).text()));
    }
    Feeding.faults(p.text("query"), fed)
        .forEach((where, what) -> faults.add(path + "." + where + ": " + what));
    return new Dashboard.Panel(
        p.text("id", Dashboard.panelId(p.text("title"))),
        p.text("title"),
        p.text("description"),
        p.text("link"),
        kind,
        new Dashboard.Place(at.get(0), at.get(1), at.get(2), at.get(3)),
        p.text("query"),
        p.text("time"),
        p.text("unit"),
        limits,
        p.text("repeat"),
        p.truth("repeat-down"),
        fed);
  }

  @Override
  public Map<String, Object> today(Map<String, Object> document) {
    return EarlierWords.gone(document);
  }

  private static PanelKind kind(Node p, String path, List<String> faults) {
    var word = p.text("kind", EarlierWords.KINDS.getOrDefault(p.text("show"), USUAL));
    var options = new LinkedHashMap<>(p.options("options"));
    if (p.has("legend") && word.equals(USUAL)) {
      options.putIfAbsent("legend", p.text("legend"));
    }
    var type = PanelKinds.named(word).getClass();
    var kind = (PanelKind) RecordShape.read(type.asSubclass(Record.class), options);
    kind.faults().forEach((name, what) -> faults.add(path + ".options." + name + ": " + what));
    return kind;
  }

  @Override
  public Map<String, Object> write(Definition.OfDashboard definition) {
    var d = definition.dashboard();
    var out = new LinkedHashMap<String, Object>();
    out.put("title", d.title());
    Kinds.put(out, "folder", d.folder(), "");
    Kinds.put(out, "description", d.description(), "");
    Kinds.put(out, "range", d.range(), "");
    Kinds.put(out, "zone", d.zone(), "");
    Kinds.put(out, "refresh", d.refresh(), "");
    var controls = d.controls().stream().map(DashboardKind::write).toList();
    Kinds.put(out, "controls", controls, List.of());
    Kinds.put(out, "sections", d.sections().stream().map(DashboardKind::write).toList(), List.of());
    Kinds.put(out, "panels", d.panels().stream().map(DashboardKind::write).toList(), List.of());
    return out;
  }

  private static Map<String, Object> write(Dashboard.Section s) {
    var out = new LinkedHashMap<String, Object>();
    out.put("title", s.title());
    out.put("row", s.row());
    Kinds.put(out, "folded", s.folded(), false);
    Kinds.put(out, "repeat", s.repeat(), "");
    return out;
  }

  private static Map<String, Object> write(Control c) {
    var out = new LinkedHashMap<String, Object>();
    out.put("name", c.name());
    Kinds.put(out, "title", c.title(), c.name());
    switch (c.kind()) {
      case LABEL -> {
        out.put("metric", c.metric());
        Kinds.put(out, "label", c.label(), c.name());
      }
      case QUERY -> {
        out.put("query", c.query());
        Kinds.put(out, "label", c.label(), "");
      }
      case LIST -> out.put("values", c.values());
      case TEXT -> out.put("text", true);
      case STORE -> out.put("stores", true);
      case INTERVAL -> out.put("intervals", c.values());
    }
    Kinds.put(out, "where", c.where(), "");
    Kinds.put(out, "several", c.several(), false);
    Kinds.put(out, "default", c.initial(), List.of());
    return out;
  }

  private static Map<String, Object> write(Dashboard.Panel p) {
    var out = new LinkedHashMap<String, Object>();
    out.put("title", p.title());
    Kinds.put(out, "id", p.id(), Dashboard.panelId(p.title()));
    Kinds.put(out, "kind", p.kind().word(), USUAL);
    Kinds.put(out, "description", p.description(), "");
    Kinds.put(out, "link", p.link(), "");
    var at = p.place();
    out.put("at", List.of(at.column(), at.row(), at.width(), at.height()));
    Kinds.put(out, "query", p.query(), "");
    Kinds.put(out, "time", p.time(), "");
    Kinds.put(out, "unit", p.unit(), "");
    Kinds.put(out, "options", Feeding.options(p), Map.of());
    var limits = new ArrayList<Object>();
    for (var l : p.limits()) {
      var limit = new LinkedHashMap<String, Object>();
      var feed = p.fed().get("limits[" + limits.size() + "]");
      limit.put(l.direction(), feed == null ? l.value() : feed.written());
      limit.put("priority", l.priority());
      limits.add(limit);
    }
    Kinds.put(out, "limits", limits, List.of());
    Kinds.put(out, "repeat", p.repeat(), "");
    Kinds.put(out, "repeat-down", p.repeatDown(), false);
    return out;
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: dashboard
        name: boarding
        title: Boarding
        folder: Ferries
        controls:
        - {name: vessel, title: Vessel, metric: deck.load}
        panels:
        - title: Load of the car decks
          at: [1, 1, 8, 7]
          query: deck.load where vessel = $vessel then mean by vessel
          unit: t
          limits:
          - {above: 180, priority: high}
        - {title: Heaviest now, kind: number, at: [9, 1, 4, 7], query: deck.load then max}
        """);
  }
}
