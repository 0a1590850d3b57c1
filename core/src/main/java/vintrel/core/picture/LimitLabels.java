package vintrel.core.picture;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.TreeSet;
import java.util.function.IntFunction;

/**
 * Places the labels of limit lines: beside their own line, over no other line, no other label and
 * nothing else that is drawn. Lines run over the whole width, so a label finds room above or below
 * its line, or further left where another label takes the end. One that finds none stands in a row
 * above the plot, which gets lower by the rows.
 */
public final class LimitLabels {
  /** Height of a label and its distance from the line, px. */
  static final int TALL = 15;

  static final int AWAY = 4;

  /** Between two labels on one height, px. */
  static final int GAP = 10;

  /** Width of a character on average, px; rather too much. */
  public static final double CHARACTER = 7.5;

  /** Of a label above the plot: its sign of a line, px. */
  static final int SIGN = 18;

  /** The rows above a plot take no more than this share of its height. */
  static final double MOST = 0.35;

  private LimitLabels() {}

  /** A limit to be labelled. */
  public record Limit(double value, String text) {}

  /**
   * Where a label goes.
   *
   * @param text empty if another label has its words
   * @param above true if it is above the line, false if below
   * @param shift px from the right end of the plot
   * @param row 0 in the plot; from 1 on, counted from above, the row over the plot
   */
  public record Label(String text, boolean above, int shift, int row) {}

  private record Box(double left, double right, double top, double bottom) {
    boolean touches(Box o) {
      return left < o.right && o.left < right && top < o.bottom && o.top < bottom;
    }
  }

  /**
   * Labels in the order of the limits, where nothing else is drawn.
   *
   * @param min the value at the bottom of the plot
   * @param max the value at its top
   * @param width of the plot, px
   * @param height of the plot without rows above it, px
   */
  public static List<Label> place(
      List<Limit> limits, double min, double max, int width, int height) {
    return place(limits, min, max, width, height, tall -> (left, right, top, bottom) -> false);
  }

  /** Whether something is drawn in a part of the plot, px from its left and top. */
  public interface Ink {
    boolean in(double left, double right, double top, double bottom);
  }

  /**
   * As above, beside what else is drawn.
   *
   * @param ink what is drawn in a plot of a height, px
   */
  public static List<Label> place(
      List<Limit> limits, double min, double max, int width, int height, IntFunction<Ink> ink) {
    var outside = new TreeSet<Integer>();
    for (; ; ) {
      var out = new Label[limits.size()];
      int rows = aboveThePlot(limits, outside, width, height, out);
      int tall = height - rows * TALL;
      var lines = limits.stream().map(l -> tall * (max - l.value()) / (max - min)).toList();
      var left = beside(limits, lines, outside, width, tall, ink.apply(tall), out);
      if (left.isEmpty()) {
        return List.of(out);
      }
      outside.addAll(left);
    }
  }

  /** Which found no place beside their line; the others are in `out`. */
  private static List<Integer> beside(
      List<Limit> limits,
      List<Double> lines,
      TreeSet<Integer> outside,
      int width,
      int height,
      Ink ink,
      Label[] out) {
    var order = new ArrayList<Integer>();
    for (int i = 0; i < limits.size(); i++) {
      if (!outside.contains(i)) {
        order.add(i);
      }
    }
    order.sort(Comparator.comparingDouble(lines::get));
    var boxes = new ArrayList<Box>();
    var left = new ArrayList<Integer>();
    for (int i : order) {
      var text = limits.get(i).text();
      var box = free(lines, i, text, boxes, width, height, ink);
      if (box == null) {
        left.add(i);
      } else {
        boxes.add(box);
        int shift = (int) Math.round(width - box.right);
        out[i] = new Label(text, box.bottom <= lines.get(i), shift, 0);
      }
    }
    return left;
  }

  /** Fills rows from the right; what finds no room in the last adds its words there. */
  private static int aboveThePlot(
      List<Limit> limits, TreeSet<Integer> outside, int width, int height, Label[] out) {
    int most = Math.max(1, (int) (height * MOST / TALL));
    int row = 0;
    int last = -1;
    double taken = 0;
    for (int i : outside.descendingSet()) {
      var text = limits.get(i).text();
      double wide = SIGN + text.length() * CHARACTER;
      if (row == 0 || taken + wide > width) {
        if (row == most) {
          var l = out[last];
          out[last] = new Label(text + ", " + l.text(), true, l.shift(), row);
          out[i] = new Label("", true, 0, row);
          continue;
        }
        row++;
        taken = 0;
      }
      out[i] = new Label(text, true, (int) Math.round(taken), row);
      taken += wide + GAP;
      last = i;
    }
    return row;
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
}
