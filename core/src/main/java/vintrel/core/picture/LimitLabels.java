package vintrel.core.picture;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;

/**
 * Places the labels of limit lines: beside their own line, over no other line and no other label.
 * Lines run over the whole width, so a label finds room above or below its line, or further left
 * where another label takes the end. One between lines that are too close joins its neighbour's
 * text.
 */
public final class LimitLabels {
  /** Height of a label and its distance from the line, px. */
  static final int TALL = 15;

  static final int AWAY = 4;

  /** Between two labels on one height, px. */
  static final int GAP = 10;

  /** Width of a character on average, px; rather too much. */
  static final double CHARACTER = 7.5;

  private LimitLabels() {}

  /** A limit to be labelled. */
  public record Limit(double value, String text) {}

  /**
   * Where a label goes.
   *
   * @param text empty if another label has its words
   * @param above true if it is above the line, false if below
   * @param shift px from the right end of the plot
   */
  public record Label(String text, boolean above, int shift) {}

  private record Box(double left, double right, double top, double bottom) {
    boolean touches(Box o) {
      return left < o.right && o.left < right && top < o.bottom && o.top < bottom;
    }
  }

  /**
   * Labels in the order of the limits.
   *
   * @param min the value at the bottom of the plot
   * @param max the value at its top
   * @param width of the plot, px
   * @param height of the plot, px
   */
  public static List<Label> place(
      List<Limit> limits, double min, double max, int width, int height) {
    return place(limits, min, max, width, height, (left, right, top, bottom) -> false);
  }

  /** Whether something is drawn in a part of the plot, px from its left and top. */
  public interface Ink {
    boolean in(double left, double right, double top, double bottom);
  }

  /**
   * As above; a label avoids what else is drawn as long as there is another place.
   *
   * @param ink of the series
   */
  public static List<Label> place(
      List<Limit> limits, double min, double max, int width, int height, Ink ink) {
    var lines = limits.stream().map(l -> height * (max - l.value()) / (max - min)).toList();
    var out = new Label[limits.size()];
    var boxes = new ArrayList<Box>();
    var order = new ArrayList<Integer>();
    for (int i = 0; i < limits.size(); i++) {
      order.add(i);
    }
    order.sort(Comparator.comparingDouble(lines::get));
    var left = new ArrayList<Integer>();
    for (int i : order) {
      var text = limits.get(i).text();
      var box = free(lines, i, text, boxes, width, height, ink);
      if (box == null) {
        box = free(lines, i, text, boxes, width, height, (l, r, t, b) -> false);
      }
      if (box == null) {
        left.add(i);
      } else {
        boxes.add(box);
        out[i] =
            new Label(
                limits.get(i).text(),
                box.bottom <= lines.get(i),
                (int) Math.round(width - box.right));
      }
    }
    for (int i : left) {
      join(limits, lines, i, out);
    }
    return List.of(out);
  }

  private static Box free(
      List<Double> lines, int i, String text, List<Box> boxes, int width, int height, Ink ink) {
    double wide = text.length() * CHARACTER;
    double y = lines.get(i);
    if (!(y >= 0 && y <= height) || wide > width) {
      return null;
    }
    for (double right = width; right - wide >= 0; right -= GAP) {
      for (boolean above : new boolean[] {true, false}) {
        double top = above ? y - AWAY - TALL : y + AWAY;
        var box = new Box(right - wide, right, top, top + TALL);
        boolean inside = top >= 0 && top + TALL <= height;
        if (inside
            && fits(box, lines, i, boxes)
            && !ink.in(box.left, box.right, box.top, box.bottom)) {
          return box;
        }
      }
    }
    return null;
  }

  private static boolean fits(Box box, List<Double> lines, int own, List<Box> boxes) {
    double mine = lines.get(own);
    // From its own line to the far side of the label there is no other line.
    double top = Math.min(box.top, mine);
    double bottom = Math.max(box.bottom, mine);
    for (double y : lines) {
      boolean same = Math.abs(y - mine) < 0.5;
      if (!same && y > top - 1 && y < bottom + 1) {
        return false;
      }
    }
    return boxes.stream().noneMatch(box::touches);
  }

  /** Adds the words of a limit without room to the nearest label that has some. */
  private static void join(List<Limit> limits, List<Double> lines, int i, Label[] out) {
    int near = -1;
    for (int k = 0; k < out.length; k++) {
      boolean has = out[k] != null && !out[k].text().isEmpty();
      if (has
          && (near < 0
              || Math.abs(lines.get(k) - lines.get(i))
                  < Math.abs(lines.get(near) - lines.get(i)))) {
        near = k;
      }
    }
    if (near >= 0) {
      var n = out[near];
      out[near] = new Label(n.text() + ", " + limits.get(i).text(), n.above(), n.shift());
    }
    out[i] = new Label("", true, 0);
  }
}
