package vintrel.core.slow;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/**
 * A query as the slow evaluator sees it; it has a tree of its own, so that the parser is tested
 * too.
 */
public record SlowQuery(List<Line> lines) {
  public record Line(String name, Node node) {}

  public sealed interface Node {}

  /**
   * @param label of a condition, or null
   */
  public record Metric(String name, String label, String op, String value) implements Node {}

  public record LineRef(String name) implements Node {}

  public record Num(double value) implements Node {}

  public record Neg(Node of) implements Node {}

  public record Two(String op, Node left, Node right, List<String> on, Double missing)
      implements Node {}

  public record Chain(Node input, List<Step> steps) implements Node {}

  /**
   * @param kind every, over, across, rate, increase, change, slope, value, keep, fill, gap, …
   * @param by a reducer, function or operator; of across and quantile, by or without
   * @param flag of change and slope, whether the window slides
   */
  public record Step(
      String kind, String by, long millis, double a, double b, List<String> labels, boolean flag) {
    static Step of(String kind, String by, long millis, double a) {
      return new Step(kind, by, millis, a, 0, List.of(), false);
    }

    String text() {
      var every = millis == 0 ? "" : (flag ? " over " : " every ") + duration(millis);
      return switch (kind) {
        case "every", "over" -> by + " " + kind + " " + duration(millis);
        case "across" -> by + grouping();
        case "rate", "slope" -> kind + per((long) a) + every;
        case "increase", "change" -> kind + every;
        case "value" ->
            by
                + (by.equals("times") ? " " + number(a) : "")
                + (by.equals("clamp") ? " " + number(a) + " to " + number(b) : "");
        case "keep" -> "keep when " + by + " " + number(a);
        case "fill" -> "fill with " + (by.equals("number") ? number(a) : by);
        case "gap" -> "gap after " + duration(millis);
        case "smooth" -> "smooth over " + duration(millis);
        case "shift", "forecast" -> kind + " " + duration(millis);
        case "band" -> "band " + number(a) + (millis == 0 ? "" : " seasonal " + duration(millis));
        case "outliers" -> "outliers " + number(a);
        case "top", "bottom" -> kind + " " + (int) a + " by " + by;
        case "quantile" -> "quantile " + number(a) + grouping();
        case "label" -> "label as 'x'";
        case "unit" -> "unit 'By'";
        case "off" -> "off abs";
        default -> kind;
      };
    }

    private String grouping() {
      return labels.isEmpty() ? "" : (flag ? " without " : " by ") + String.join(", ", labels);
    }

    private static String per(long millis) {
      return switch ((int) (millis / 1000)) {
        case 60 -> " per minute";
        case 3600 -> " per hour";
        case 86400 -> " per day";
        default -> "";
      };
    }
  }

  static String number(double v) {
    return v == Math.rint(v) ? Long.toString((long) v) : Double.toString(v);
  }

  static String duration(long millis) {
    var units = new ArrayList<>(List.of("d", "h", "m", "s"));
    long[] sizes = {86_400_000, 3_600_000, 60_000, 1000};
    for (int i = 0; i < sizes.length; i++) {
      if (millis % sizes[i] == 0) {
        return millis / sizes[i] + units.get(i);
      }
    }
    return millis + "ms";
  }

  /**
   * Whether the document says what it gives: not of buckets that are narrower than those they are
   * made of, whose last is cut by more than the range; nor of a shift of what {@code missing}
   * fills, which depends on the series that are there in a longer range.
   *
   * @param pitch of the grid
   */
  boolean isDefined(long pitch) {
    return lines.stream().allMatch(l -> isDefined(l.node(), pitch, lines));
  }

  private static boolean isDefined(Node node, long pitch, List<Line> lines) {
    return switch (node) {
      case Neg n -> isDefined(n.of(), pitch, lines);
      case Two t -> isDefined(t.left(), pitch, lines) && isDefined(t.right(), pitch, lines);
      case Chain c -> {
        long before = c.input() instanceof Metric ? 0 : width(c.input(), pitch, lines);
        boolean defined = isDefined(c.input(), pitch, lines);
        for (var s : c.steps()) {
          defined &= !s.kind().equals("shift") || !fills(c.input(), lines);
          long own = width(s, pitch);
          defined &= own == 0 || own >= before;
          before = Math.max(own, before);
        }
        yield defined;
      }
      default -> true;
    };
  }

  /** The width of the buckets that a step makes, or 0 if it makes none. */
  private static long width(Step s, long pitch) {
    boolean fixed = s.millis() > 0 && !s.flag() && !s.kind().equals("over");
    return switch (s.kind()) {
      case "every", "rate", "increase", "change", "slope" -> fixed ? s.millis() : pitch;
      case "over", "age", "across", "quantile" -> pitch;
      default -> 0;
    };
  }

  private static long width(Node node, long pitch, List<Line> lines) {
    return switch (node) {
      case LineRef l -> width(line(l, lines), pitch, lines);
      case Neg n -> width(n.of(), pitch, lines);
      case Two t -> Math.max(width(t.left(), pitch, lines), width(t.right(), pitch, lines));
      case Chain c -> {
        long widest = c.input() instanceof Metric ? 0 : width(c.input(), pitch, lines);
        for (var s : c.steps()) {
          widest = Math.max(widest, width(s, pitch));
        }
        yield Math.max(widest, pitch);
      }
      default -> pitch;
    };
  }

  private static Node line(LineRef l, List<Line> lines) {
    return lines.stream().filter(x -> x.name().equals(l.name())).findFirst().orElseThrow().node();
  }

  private static boolean fills(Node node, List<Line> lines) {
    return switch (node) {
      case LineRef l -> fills(line(l, lines), lines);
      case Neg n -> fills(n.of(), lines);
      case Chain c -> fills(c.input(), lines);
      case Two t -> t.missing() != null || fills(t.left(), lines) || fills(t.right(), lines);
      default -> false;
    };
  }

  public String text() {
    return lines.stream()
        .map(l -> (l.name().isEmpty() ? "" : l.name() + ": ") + text(l.node()))
        .collect(Collectors.joining("\n"));
  }

  private static String text(Node node) {
    return switch (node) {
      case Metric m ->
          m.name()
              + (m.label() == null
                  ? ""
                  : " where " + m.label() + " " + m.op() + " '" + m.value() + "'");
      case LineRef l -> l.name();
      case Num n -> number(n.value());
      case Neg n -> "-(" + text(n.of()) + ")";
      case Two t ->
          "("
              + text(t.left())
              + ") "
              + t.op()
              + " ("
              + text(t.right())
              + ")"
              + (t.on().isEmpty() ? "" : " on (" + String.join(", ", t.on()) + ")")
              + (t.missing() == null ? "" : " missing " + number(t.missing()));
      case Chain c ->
          (c.input() instanceof Metric || c.input() instanceof LineRef
                  ? text(c.input())
                  : "(" + text(c.input()) + ")")
              + c.steps().stream().map(s -> " then " + s.text()).collect(Collectors.joining());
    };
  }
}
