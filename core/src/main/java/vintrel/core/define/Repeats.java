package vintrel.core.define;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;

/**
 * Panels that are shown once for each value of a control. Copies across share the columns up to the
 * next panel at the right, and go on below; what lies below them makes room. Pure; any thread.
 */
public final class Repeats {
  /** Copies of one panel at most. */
  public static final int MAX = 12;

  /**
   * A panel as it is shown.
   *
   * @param panel with the place and the title of the copy
   * @param control that it is repeated by; empty: it is not
   * @param value of the control in this copy
   * @param left how many more values there are, on the last copy
   */
  public record Shown(Dashboard.Panel panel, String control, String value, int left) {}

  private Repeats() {}

  /**
   * The panels as they are shown, by their places.
   *
   * @param values of each control that panels are repeated by; without values a panel stays one
   */
  public static List<Shown> of(Dashboard dashboard, Map<String, List<String>> values) {
    var order =
        dashboard.panels().stream()
            .sorted(
                Comparator.comparingInt((Dashboard.Panel p) -> p.place().row())
                    .thenComparingInt(p -> p.place().column()))
            .toList();
    var out = new ArrayList<Shown>();
    var shifts = new ArrayList<int[]>();
    for (var p : order) {
      int down = 0;
      for (var s : shifts) {
        down += p.place().row() >= s[0] ? s[1] : 0;
      }
      var all =
          p.repeat().isEmpty() ? List.<String>of() : values.getOrDefault(p.repeat(), List.of());
      if (all.isEmpty()) {
        out.add(new Shown(p.at(lower(p.place(), down)), "", "", 0));
        continue;
      }
      int grown = copies(p, all, down, order, out);
      int end = p.place().end();
      var same = shifts.stream().filter(s -> s[0] == end).findFirst();
      same.ifPresentOrElse(
          s -> s[1] = Math.max(s[1], grown), () -> shifts.add(new int[] {end, grown}));
    }
    return out;
  }

  /** Adds the copies of a panel; returns how many rows they take more than the one. */
  private static int copies(
      Dashboard.Panel p,
      List<String> all,
      int down,
      List<Dashboard.Panel> others,
      List<Shown> out) {
    var place = p.place();
    int n = Math.min(MAX, all.size());
    int inRow = p.repeatDown() ? 1 : Math.max(1, room(p, others) / place.width());
    for (int i = 0; i < n; i++) {
      var at =
          new Dashboard.Place(
              place.column() + i % inRow * place.width(),
              place.row() + down + i / inRow * place.height(),
              place.width(),
              place.height());
      var value = all.get(i);
      var copy = p.at(at).titled(title(p, value));
      out.add(new Shown(copy, p.repeat(), value, i == n - 1 ? all.size() - n : 0));
    }
    return (Math.ceilDiv(n, inRow) - 1) * place.height();
  }

  private static String title(Dashboard.Panel p, String value) {
    var hole = "{" + p.repeat() + "}";
    return p.title().contains(hole) ? p.title().replace(hole, value) : p.title() + " · " + value;
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
