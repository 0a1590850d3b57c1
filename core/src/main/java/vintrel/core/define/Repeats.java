package vintrel.core.define;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;

/**
 * Panels and sections that are shown once for each value of a control. Copies of a panel across
 * share the columns up to the next panel at the right, and go on below; what lies below them makes
 * room. Pure; any thread.
 */
public final class Repeats {
  /** Copies of one panel or section at most. */
  public static final int MAX = 12;

  /** Panels and headings of a whole page from which on nothing is repeated any more. */
  public static final int MAX_SHOWN = 300;

  /**
   * A panel as it is shown.
   *
   * @param panel with the place and the title of the copy
   * @param values of the controls that it, or its section, is repeated by; empty: it is not
   * @param section the index of its heading in the layout, or -1
   * @param left how many more values there are, on the last copy
   */
  public record Shown(Dashboard.Panel panel, Map<String, String> values, int section, int left) {
    /** Which copy it is, as pages and requests say it: a line {@code control=value} for each. */
    public String copy() {
      return values.entrySet().stream()
          .map(e -> e.getKey() + "=" + e.getValue())
          .collect(Collectors.joining("\n"));
    }
  }

  /**
   * A section as it is shown.
   *
   * @param title of the copy
   * @param row of the heading, with everything unfolded
   * @param rows below it that folding takes away
   * @param value that it is repeated for; empty: it is not
   * @param panels how many it has
   * @param left how many more values there are, on the last copy
   */
  public record Heading(
      Dashboard.Section section,
      String title,
      int row,
      int rows,
      String value,
      int panels,
      int left) {
    Heading titled(String other) {
      return new Heading(section, other, row, rows, value, panels, left);
    }
  }

  /**
   * A dashboard as it is shown.
   *
   * @param panels by their places
   */
  public record Layout(List<Heading> headings, List<Shown> panels) {}

  private Repeats() {}

  /**
   * The same with what is chosen in the titles.
   *
   * @param chosen in each control, in words: in place of its name in braces
   */
  public static Layout of(
      Dashboard dashboard, Map<String, List<String>> values, Map<String, String> chosen) {
    var plain = of(dashboard, values);
    return new Layout(
        plain.headings.stream().map(h -> h.titled(filled(h.title, chosen))).toList(),
        plain.panels.stream()
            .map(
                s ->
                    new Shown(
                        s.panel.titled(filled(s.panel.title(), chosen)),
                        s.values,
                        s.section,
                        s.left))
            .toList());
  }

  private static String filled(String title, Map<String, String> chosen) {
    var out = title;
    for (var c : chosen.entrySet()) {
      out = out.replace("{" + c.getKey() + "}", c.getValue());
    }
    return out;
  }

  /**
   * @param values of each control that something is repeated by; without values it stays one
   */
  public static Layout of(Dashboard dashboard, Map<String, List<String>> values) {
    var order =
        dashboard.panels().stream()
            .sorted(
                Comparator.comparingInt((Dashboard.Panel p) -> p.place().row())
                    .thenComparingInt(p -> p.place().column()))
            .toList();
    var sections = dashboard.sections();
    var out = new Layout(new ArrayList<>(), new ArrayList<>());
    int down = 0;
    for (int i = -1; i < sections.size(); i++) {
      int from = i < 0 ? 0 : sections.get(i).row();
      int to = i + 1 < sections.size() ? sections.get(i + 1).row() : Integer.MAX_VALUE;
      var inside =
          order.stream().filter(p -> p.place().row() >= from && p.place().row() < to).toList();
      down +=
          i < 0
              ? block(inside, values, Map.of(), -1, 0, out.panels())
              : section(sections.get(i), inside, to, values, down, out);
    }
    return new Layout(List.copyOf(out.headings()), List.copyOf(out.panels()));
  }

  /** How many copies of so many parts the page has room for; one at least. */
  private static int roomFor(Layout out, int parts) {
    return Math.max(1, (MAX_SHOWN - out.panels().size() - out.headings().size()) / parts);
  }

  /** Adds a section, once for each value; returns how many rows it takes more than planned. */
  private static int section(
      Dashboard.Section s,
      List<Dashboard.Panel> inside,
      int next,
      Map<String, List<String>> values,
      int down,
      Layout out) {
    var all = s.repeat().isEmpty() ? List.<String>of() : values.getOrDefault(s.repeat(), List.of());
    int n = Math.min(Math.clamp(all.size(), 1, MAX), roomFor(out, inside.size() + 1));
    int end = inside.stream().mapToInt(p -> p.place().end()).max().orElse(s.row() + 1);
    int planned = (next == Integer.MAX_VALUE ? end : next) - s.row();
    int grown = 0;
    for (int i = 0; i < n; i++) {
      var value = all.isEmpty() ? "" : all.get(i);
      var mine = all.isEmpty() ? Map.<String, String>of() : Map.of(s.repeat(), value);
      int lower = down + i * planned + grown;
      int more = block(inside, values, mine, out.headings().size(), lower, out.panels());
      out.headings()
          .add(
              new Heading(
                  s,
                  all.isEmpty() ? s.title() : title(s.title(), s.repeat(), value),
                  s.row() + lower,
                  planned - 1 + more,
                  value,
                  inside.size(),
                  i == n - 1 ? Math.max(0, all.size() - n) : 0));
      grown += more;
    }
    return (n - 1) * planned + grown;
  }

  /** Adds the panels of a section; returns how many rows they take more than planned. */
  private static int block(
      List<Dashboard.Panel> inside,
      Map<String, List<String>> values,
      Map<String, String> mine,
      int section,
      int lower,
      List<Shown> out) {
    var shifts = new ArrayList<int[]>();
    for (var p : inside) {
      int down = lower;
      for (var s : shifts) {
        down += p.place().row() >= s[0] ? s[1] : 0;
      }
      // What its section is repeated by has one value in it.
      boolean single = p.repeat().isEmpty() || mine.containsKey(p.repeat());
      var all = single ? List.<String>of() : values.getOrDefault(p.repeat(), List.of());
      if (all.isEmpty()) {
        out.add(new Shown(p.at(lower(p.place(), down)), mine, section, 0));
        continue;
      }
      int grown = copies(p, all, down, inside, mine, section, out);
      int end = p.place().end();
      var same = shifts.stream().filter(s -> s[0] == end).findFirst();
      same.ifPresentOrElse(
          s -> s[1] = Math.max(s[1], grown), () -> shifts.add(new int[] {end, grown}));
    }
    return shifts.stream().mapToInt(s -> s[1]).sum();
  }

  /** Adds the copies of a panel; returns how many rows they take more than the one. */
  private static int copies(
      Dashboard.Panel p,
      List<String> all,
      int down,
      List<Dashboard.Panel> others,
      Map<String, String> mine,
      int section,
      List<Shown> out) {
    var place = p.place();
    int n = Math.clamp(MAX_SHOWN - out.size(), 1, Math.min(MAX, all.size()));
    int inRow = p.repeatDown() ? 1 : Math.max(1, room(p, others) / place.width());
    for (int i = 0; i < n; i++) {
      var at =
          new Dashboard.Place(
              place.column() + i % inRow * place.width(),
              place.row() + down + i / inRow * place.height(),
              place.width(),
              place.height());
      var value = all.get(i);
      var copy = p.at(at).titled(title(p.title(), p.repeat(), value));
      var both = new TreeMap<>(mine);
      both.put(p.repeat(), value);
      out.add(new Shown(copy, both, section, i == n - 1 ? all.size() - n : 0));
    }
    return (Math.ceilDiv(n, inRow) - 1) * place.height();
  }

  private static String title(String title, String control, String value) {
    var hole = "{" + control + "}";
    return title.contains(hole) ? title.replace(hole, value) : title + " · " + value;
  }

  /** Columns from a panel's left edge to what is beside it, or to the end. */
  private static int room(Dashboard.Panel p, List<Dashboard.Panel> others) {
    var at = p.place();
    int end = Dashboard.COLUMNS + 1;
    for (var o : others) {
      var beside = o.place();
      boolean same = beside.row() < at.end() && at.row() < beside.end();
      if (same && beside.column() > at.column()) {
        end = Math.min(end, beside.column());
      }
    }
    return end - at.column();
  }

  private static Dashboard.Place lower(Dashboard.Place p, int rows) {
    return new Dashboard.Place(p.column(), p.row() + rows, p.width(), p.height());
  }
}
