package vintrel.core.define;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.UnaryOperator;
import vintrel.core.panel.Feed;
import vintrel.core.panel.Limit;
import vintrel.core.panel.PanelKind;

/**
 * Panels on a grid of 12 columns. Changes return another dashboard.
 *
 * @param name the slug in addresses and files
 * @param description what it is for; or empty
 * @param range that it opens on, such as -6h; empty: that of the rail
 * @param sections by their rows
 */
public record Dashboard(
    String name,
    String title,
    String folder,
    String description,
    String range,
    String zone,
    String refresh,
    List<Control> controls,
    List<Section> sections,
    List<Panel> panels) {
  public static final int COLUMNS = 12;
  public static final int MAX_ROW = 9_999;

  private static final int NEW_WIDTH = 6;
  private static final int NEW_HEIGHT = 7;

  public Dashboard {
    controls = List.copyOf(controls);
    sections = List.copyOf(sections);
    panels = List.copyOf(panels);
  }

  /**
   * @param column from 1 to 12
   * @param row from 1; rows are 40 px high
   */
  public record Place(int column, int row, int width, int height) {
    /** The row below. */
    int end() {
      return row + height;
    }
  }

  /**
   * Panels under a heading: those below its row, down to the next section.
   *
   * @param row of the heading, which takes the whole width
   * @param folded whether only the heading is shown at first
   * @param repeat the control for each of whose values it is shown; or empty
   */
  public record Section(String title, int row, boolean folded, String repeat) {}

  /**
   * @param id unique within the dashboard
   * @param description shown on request, Markdown; or empty
   * @param link where the title leads: an address of this site, http or https; or empty
   * @param kind how it shows its result
   * @param time that it shows in place of the page's, as {@link PanelTime} reads it; or empty
   * @param unit overrides that of the data, as UCUM writes it; or empty
   * @param repeat the control for each of whose values it is shown; or empty
   * @param repeatDown whether the copies go down, not across
   * @param fed the numbers that lines give, by their places: {@code to}, {@code styles[1].width},
   *     {@code limits[0]}; kind and limits have what holds otherwise
   */
  public record Panel(
      String id,
      String title,
      String description,
      String link,
      PanelKind kind,
      Place place,
      String query,
      String time,
      String unit,
      List<Limit> limits,
      String repeat,
      boolean repeatDown,
      Map<String, Feed> fed) {
    public Panel {
      limits = List.copyOf(limits);
      fed = Collections.unmodifiableMap(new LinkedHashMap<>(fed));
    }

    /** Its own time as it stands beside its title; empty if it has none. */
    public String ownTime() {
      return PanelTime.words(time);
    }

    public Panel at(Place other) {
      return new Panel(
          id,
          title,
          description,
          link,
          kind,
          other,
          query,
          time,
          unit,
          limits,
          repeat,
          repeatDown,
          fed);
    }

    public Panel called(String other) {
      return new Panel(
          other,
          title,
          description,
          link,
          kind,
          place,
          query,
          time,
          unit,
          limits,
          repeat,
          repeatDown,
          fed);
    }

    /** With another kind and limits, which no line gives. */
    Panel dressed(PanelKind other, List<Limit> otherLimits) {
      return new Panel(
          id,
          title,
          description,
          link,
          other,
          place,
          query,
          time,
          unit,
          otherLimits,
          repeat,
          repeatDown,
          Map.of());
    }

    Panel asking(String other) {
      return new Panel(
          id,
          title,
          description,
          link,
          kind,
          place,
          other,
          time,
          unit,
          limits,
          repeat,
          repeatDown,
          fed);
    }

    Panel titled(String other) {
      return new Panel(
          id,
          other,
          description,
          link,
          kind,
          place,
          query,
          time,
          unit,
          limits,
          repeat,
          repeatDown,
          fed);
    }

    /** One that is placed by {@link Dashboard#with}. */
    public static Panel of(String title, PanelKind kind, String query) {
      return new Panel(
          panelId(title),
          title,
          "",
          "",
          kind,
          new Place(1, 1, NEW_WIDTH, NEW_HEIGHT),
          query,
          "",
          "",
          List.of(),
          "",
          false,
          Map.of());
    }
  }

  /** A stored document in today's words; panels that say nothing of the past are unchanged. */
  public static Map<String, Object> current(Map<String, Object> document) {
    return EarlierWords.all(document);
  }

  /** Whether panels or sections are shown once for each value of a control. */
  public boolean repeats(String control) {
    return panels.stream().anyMatch(p -> p.repeat().equals(control))
        || sections.stream().anyMatch(s -> s.repeat().equals(control));
  }

  /** An empty one. */
  public static Dashboard empty(String name, String title) {
    return new Dashboard(name, title, "", "", "", "", "", List.of(), List.of(), List.of());
  }

  /** The id of a panel that gives none of its own. */
  static String panelId(String title) {
    return title.toLowerCase(Locale.ROOT).replaceAll("[^a-z0-9]+", "-");
  }

  /** With a panel more, below all others; its id becomes unlike theirs. */
  public Dashboard with(Panel panel) {
    var ids = panels.stream().map(Panel::id).toList();
    var id = panel.id();
    for (int n = 2; ids.contains(id); n++) {
      id = panel.id() + "-" + n;
    }
    int row =
        Math.max(
            panels.stream().mapToInt(p -> p.place().end()).max().orElse(1),
            sections.stream().mapToInt(s -> s.row() + 1).max().orElse(1));
    var p = panel.place();
    var all = new ArrayList<>(panels);
    all.add(panel.called(id).at(new Place(p.column(), row, p.width(), p.height())));
    return panels(all);
  }

  /**
   * With one panel changed; its id stays.
   *
   * @throws IllegalArgumentException if no panel has the id
   */
  public Dashboard changed(String id, UnaryOperator<Panel> change) {
    need(id);
    return panels(
        panels.stream().map(p -> p.id().equals(id) ? change.apply(p).called(id) : p).toList());
  }

  /**
   * Without a panel.
   *
   * @throws IllegalArgumentException if no panel has the id
   */
  /** Adds panels of the usual size below the others, two in a row. */
  public Dashboard withPairs(List<Panel> more) {
    var out = this;
    for (int i = 0; i < more.size(); i++) {
      out = out.with(more.get(i));
      if (i % 2 == 1) {
        var all = new ArrayList<>(out.panels);
        var left = all.get(all.size() - 2).place();
        var beside =
            new Place(left.column() + left.width(), left.row(), left.width(), left.height());
        all.set(all.size() - 1, all.getLast().at(beside));
        out = out.panels(all);
      }
    }
    return out;
  }

  public Dashboard without(String id) {
    need(id);
    return panels(panels.stream().filter(p -> !p.id().equals(id)).toList());
  }

  private void need(String id) {
    if (panels.stream().noneMatch(p -> p.id().equals(id))) {
      throw new IllegalArgumentException("no panel of `%s` has the id `%s`".formatted(name, id));
    }
  }

  private Dashboard panels(List<Panel> other) {
    return new Dashboard(
        name, title, folder, description, range, zone, refresh, controls, sections, other);
  }

  /** The same under another name. */
  public Dashboard called(String other) {
    return new Dashboard(
        other, title, folder, description, range, zone, refresh, controls, sections, panels);
  }

  public Dashboard titled(String other) {
    return new Dashboard(
        name, other, folder, description, range, zone, refresh, controls, sections, panels);
  }

  /** With every query changed: of panels and of controls. */
  Dashboard asking(UnaryOperator<String> change) {
    return new Dashboard(
        name,
        title,
        folder,
        description,
        range,
        zone,
        refresh,
        controls.stream().map(c -> c.asking(change.apply(c.query()))).toList(),
        sections,
        panels.stream().map(p -> p.asking(change.apply(p.query()))).toList());
  }

  /** With another zone and pace; empty: those of the person. */
  public Dashboard timed(String newZone, String newRefresh) {
    return new Dashboard(
        name, title, folder, description, range, newZone, newRefresh, controls, sections, panels);
  }

  /** With other words about it. */
  public Dashboard about(String newFolder, String newDescription, String newRange) {
    return new Dashboard(
        name,
        title,
        newFolder,
        newDescription,
        newRange,
        zone,
        refresh,
        controls,
        sections,
        panels);
  }
}
