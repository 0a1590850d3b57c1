package vintrel.core.define;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.panel.Limit;
import vintrel.core.panel.PanelKind;
import vintrel.core.panel.PanelKinds;
import vintrel.core.panel.TimeChart;
import vintrel.core.watch.Priority;

/** {@code kind: dashboard}. */
final class DashboardKind implements Kind<Definition.OfDashboard> {
  private static final int MAX_PANELS = 500;

  /** What documents called the kinds before they had names. */
  private static final Map<String, String> EARLIER =
      Map.of("lines", "time-chart", "number", "number", "table", "table");

  private static final String USUAL = TimeChart.DEFAULT.word();

  private static Map<String, Shape.Fields> options() {
    var out = new LinkedHashMap<String, Shape.Fields>();
    PanelKinds.ALL.forEach(k -> out.put(k.word(), RecordShape.of(k.getClass())));
    return out;
  }

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
              "label", Shape.text(200), "The label whose values it offers. Default: the name."),
          Field.of("metric", Shape.text(500), "The metric that has the label.").needed());

  private static final Shape.Fields LIMIT =
      new Shape.Fields(
              Field.of("above", Shape.number(), "A limit for values above it."),
              Field.of("below", Shape.number(), "A limit for values below it."),
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
          Field.of("unit", Shape.text(100), "The unit of the values, as UCUM writes it.").or(""),
          Field.of(
              "legend",
              new Shape.Choice(List.of("table", "names", "none")),
              "The earlier form of the option legend of a time chart."),
          Field.of(
              "options",
              new Shape.Options("kind", USUAL, options()),
              "Settings of the kind; what is absent is as by default."),
          Field.of("limits", new Shape.ListOf(LIMIT, 20), "Values drawn across it."));

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
          Field.of("controls", new Shape.ListOf(CONTROL, 50), "Choices at the top."),
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
    var controls = new ArrayList<Dashboard.Control>();
    for (var c : doc.objects("controls")) {
      var name = c.text("name");
      controls.add(
          new Dashboard.Control(
              name, c.text("title", name), c.text("label", name), c.text("metric")));
    }
    var panels = new ArrayList<Dashboard.Panel>();
    var ids = new HashSet<String>();
    for (var p : doc.objects("panels")) {
      var panel = panel(p, path + ".panels[" + panels.size() + "]", faults);
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
    return new Definition.OfDashboard(
        new Dashboard(
            doc.text("name"),
            doc.text("title"),
            doc.text("folder"),
            doc.text("description"),
            doc.text("range"),
            controls,
            panels));
  }

  private static Dashboard.Panel panel(Node p, String path, List<String> faults) {
    var at = p.place("at");
    var limits = new ArrayList<Limit>();
    for (var l : p.objects("limits")) {
      boolean above = l.has("above");
      limits.add(
          new Limit(
              l.number(above ? "above" : "below"),
              above,
              l.choice("priority", Priority.class).text()));
    }
    var kind = kind(p, path, faults);
    return new Dashboard.Panel(
        p.text("id", Dashboard.panelId(p.text("title"))),
        p.text("title"),
        p.text("description"),
        p.text("link"),
        kind,
        new Dashboard.Place(at.get(0), at.get(1), at.get(2), at.get(3)),
        p.text("query"),
        p.text("unit"),
        limits);
  }

  /** A document with what it called the kinds before they had names in today's words. */
  static Map<String, Object> current(Map<String, Object> document) {
    if (!(document.get("panels") instanceof List<?> panels)) {
      return document;
    }
    var out = new LinkedHashMap<>(document);
    out.put("panels", panels.stream().map(DashboardKind::currentPanel).toList());
    return out;
  }

  private static Object currentPanel(Object panel) {
    if (!(panel instanceof Map<?, ?> fields)) {
      return panel;
    }
    var out = new LinkedHashMap<Object, Object>(fields);
    var earlier = EARLIER.get(String.valueOf(out.remove("show")));
    if (earlier != null && !earlier.equals(USUAL)) {
      out.putIfAbsent("kind", earlier);
    }
    var legend = out.remove("legend");
    if (legend != null && out.getOrDefault("kind", USUAL).equals(USUAL)) {
      var options = new LinkedHashMap<Object, Object>();
      if (out.get("options") instanceof Map<?, ?> old) {
        options.putAll(old);
      }
      options.putIfAbsent("legend", legend);
      out.put("options", options);
    }
    return out;
  }

  private static PanelKind kind(Node p, String path, List<String> faults) {
    var word = p.text("kind", EARLIER.getOrDefault(p.text("show"), USUAL));
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
    var controls = new ArrayList<Object>();
    for (var c : d.controls()) {
      var control = new LinkedHashMap<String, Object>();
      control.put("name", c.name());
      Kinds.put(control, "title", c.title(), c.name());
      Kinds.put(control, "label", c.label(), c.name());
      control.put("metric", c.metric());
      controls.add(control);
    }
    Kinds.put(out, "controls", controls, List.of());
    Kinds.put(out, "panels", d.panels().stream().map(DashboardKind::write).toList(), List.of());
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
    Kinds.put(out, "unit", p.unit(), "");
    Kinds.put(out, "options", RecordShape.write((Record) p.kind()), Map.of());
    var limits = new ArrayList<Object>();
    for (var l : p.limits()) {
      var limit = new LinkedHashMap<String, Object>();
      limit.put(l.direction(), l.value());
      limit.put("priority", l.priority());
      limits.add(limit);
    }
    Kinds.put(out, "limits", limits, List.of());
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
