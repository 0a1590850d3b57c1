package vintrel.core.panel;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import vintrel.core.frame.Column;
import vintrel.core.panel.Drawing.Mark;
import vintrel.core.picture.Axis;
import vintrel.core.unit.Units;

/**
 * One number on an arc of 42° to each side; on its rim a ridge shows where the reading has been in
 * the range.
 */
public record Dial(
    @Setting(value = "Which number stands for the range.", group = "Dial") Statistic shows,
    @Setting(
            value = "The left end; by default from the data and the limits.",
            group = "Dial",
            words = "minimum")
        Double from,
    @Setting(
            value = "The right end; by default from the data and the limits.",
            group = "Dial",
            words = "maximum")
        Double to,
    @Setting(
            value = "Shows the distribution of values in the range along the dial.",
            group = "Dial",
            words = "histogram")
        boolean ridge)
    implements PanelKind {
  public static final Dial DEFAULT = new Dial(Statistic.LAST, null, null, true);

  /** To each side of upright. */
  private static final double HALF = Math.toRadians(42);

  private static final double PART_OF_WIDTH = 0.64;
  private static final int BINS = 48;
  private static final double RIDGE = 26;

  @Override
  public String word() {
    return "dial";
  }

  @Override
  public String title() {
    return "Dial";
  }

  @Override
  public Question question() {
    return Question.AMOUNT;
  }

  @Override
  public Need need() {
    return Need.NUMBER;
  }

  @Override
  public Drawing draw(Asked asked) {
    var n = asked.frames().stream().flatMap(f -> f.numbers().stream()).findFirst().orElse(null);
    if (n == null) {
      return new Drawing.Shapes(word(), "no number", asked.width(), asked.height(), List.of());
    }
    return new Face(n, asked).drawing();
  }

  private final class Face {
    private final Column.Number n;
    private final Asked asked;
    private final String unit;
    private final double value;
    private final Axis axis;
    private final double radius;
    private final double x;
    private final double y;
    private final List<Mark> marks = new ArrayList<>();

    Face(Column.Number n, Asked asked) {
      this.n = n;
      this.asked = asked;
      this.unit = asked.unitOf(n.unit());
      this.value = shows.of(n.values(), n.low(), n.high());
      this.axis = axis();
      // Room for the ridge above, and for the number and its words below.
      double rise = 1 - Math.cos(HALF);
      double room = asked.height() - RIDGE - 62;
      this.radius = Math.max(30, Math.min(PART_OF_WIDTH * asked.width(), room / rise));
      this.x = asked.width() / 2.0;
      this.y = RIDGE + 6 + radius;
    }

    private Axis axis() {
      double low = Statistic.MIN.of(n.values(), n.low(), n.high());
      double high = Statistic.MAX.of(n.values(), n.low(), n.high());
      for (var l : asked.limits()) {
        low = Double.isNaN(low) ? l.value() : Math.min(low, l.value());
        high = Double.isNaN(high) ? l.value() : Math.max(high, l.value());
      }
      if (unit.equals("%") && low >= 0 && high <= 100) {
        low = 0;
        high = 100;
      }
      return ValueScale.LINEAR.axis(
          low, high, new ValueScale.Ends(from, to, null, null, false), 1, unit, 4);
    }

    private double angle(double v) {
      double part = (v - axis.min()) / (axis.max() - axis.min());
      return -HALF + 2 * HALF * Math.clamp(part, 0, 1);
    }

    private String at(double angle, double r) {
      return String.format(
          Locale.ROOT, "%.1f %.1f", x + r * Math.sin(angle), y - r * Math.cos(angle));
    }

    private String arc(double a, double b, double r) {
      return String.format(Locale.ROOT, "M%s A%.1f %.1f 0 0 1 %s", at(a, r), r, r, at(b, r));
    }

    Drawing drawing() {
      if (ridge) {
        marks.add(Mark.path("ridge", ridge()));
      }
      for (var l : asked.limits()) {
        if (l.value() < axis.min() || l.value() > axis.max()) {
          continue;
        }
        double a = angle(l.value());
        var part = l.above() ? arc(a, HALF, radius - 3) : arc(-HALF, a, radius - 3);
        marks.add(Mark.path("beyond " + l.priority(), part));
        marks.add(
            Mark.path(
                "limit " + l.priority(), "M" + at(a, radius - 10) + " L" + at(a, radius + 6)));
      }
      marks.add(Mark.path("rim", arc(-HALF, HALF, radius)));
      for (var tick : axis.ticks()) {
        double a = angle(tick.at());
        marks.add(Mark.path("tick", "M" + at(a, radius) + " L" + at(a, radius - 7)));
        double tx = x + (radius - 20) * Math.sin(a);
        double ty = y - (radius - 20) * Math.cos(a) + 4;
        marks.add(Mark.text("scale middle", tx, ty, bare(tick.text())));
      }
      if (!Double.isNaN(value)) {
        double a = angle(value);
        marks.add(
            Mark.path(
                "needle",
                "M"
                    + at(a - 6 / (radius - 56), radius - 56)
                    + " L"
                    + at(a, radius - 2)
                    + " L"
                    + at(a + 6 / (radius - 56), radius - 56)
                    + " Z"));
      }
      return numbers();
    }

    private String bare(String text) {
      int space = text.indexOf(' ');
      return space < 0 ? text : text.substring(0, space);
    }

    private Drawing numbers() {
      var text = Units.format(value, unit);
      int space = text.indexOf(' ');
      var passed = Double.isNaN(value) ? "" : Limit.worst(asked.limits(), value);
      double base = asked.height() - 24;
      marks.add(
          Mark.text(
              "reading middle " + (passed.isEmpty() ? "" : "passed-" + passed),
              x,
              base,
              bare(text)));
      if (space > 0) {
        double wide = bare(text).length() * 9.2;
        marks.add(Mark.text("reading-unit", x + wide + 5, base, text.substring(space + 1)));
      }
      double low = Statistic.MIN.of(n.values(), n.low(), n.high());
      double high = Statistic.MAX.of(n.values(), n.low(), n.high());
      var range = Double.isNaN(low) ? "" : Units.range(low, high, unit) + " in this range";
      var words = new StringBuilder(range);
      for (var l : asked.limits()) {
        words
            .append("; limit ")
            .append(l.direction())
            .append(' ')
            .append(Units.format(l.value(), unit));
      }
      marks.add(Mark.text("words middle", x, asked.height() - 5, words.toString()));
      return new Drawing.Shapes(
          word(), text + ", " + words, asked.width(), asked.height(), List.copyOf(marks));
    }

    /** How often the reading was in each of 48 parts of the scale, as a hill on the rim. */
    private String ridge() {
      var bins = new int[BINS];
      int most = 0;
      for (double v : n.values()) {
        if (!Double.isNaN(v)) {
          double part = (v - axis.min()) / (axis.max() - axis.min());
          int bin = (int) Math.clamp(Math.floor(part * BINS), 0, BINS - 1);
          most = Math.max(most, ++bins[bin]);
        }
      }
      var out = new StringBuilder("M" + at(-HALF, radius + 2));
      for (int i = 0; i < BINS && most > 0; i++) {
        double middle = -HALF + 2 * HALF * (i + 0.5) / BINS;
        // Neighbours count a little, so that few readings make a hill and not a comb.
        double around = bins[i] * 2 + (i > 0 ? bins[i - 1] : 0) + (i < BINS - 1 ? bins[i + 1] : 0);
        out.append(" L")
            .append(at(middle, radius + 2 + RIDGE * Math.min(1, around / (3.0 * most))));
      }
      return out
          + " L"
          + at(HALF, radius + 2)
          + " "
          + arc(-HALF, HALF, radius + 2)
              .replaceFirst("M[^A]*", "")
              .replaceFirst("0 0 1 .*", "0 0 0 " + at(-HALF, radius + 2))
          + " Z";
    }
  }
}
