package vintrel.core.panel;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Drawing.Mark;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** Names with a bar each, from zero, sorted; a tick is the value of an earlier time. */
public record Ranking(
    @Setting(value = "Which number stands for the range, of series.", group = "Bars")
        Statistic shows,
    @Setting(value = "How the bars are sorted.", group = "Bars", words = "sort") Order order,
    @Setting(
            value = "How many bars are shown at most.",
            group = "Bars",
            min = 1,
            max = 200,
            label = "at most",
            words = "top")
        int most,
    @Setting(
            value = "Marks the value from an earlier time: how far back. 0: off.",
            group = "Bars",
            duration = true,
            min = 0,
            words = "compare before")
        long before)
    implements PanelKind {
  public static final Ranking DEFAULT = new Ranking(Statistic.LAST, Order.GREATEST_FIRST, 15, 0);

  private static final double ROW = 22;
  private static final double CHARACTER = 7.2;

  /** How bars are sorted. */
  public enum Order {
    GREATEST_FIRST,
    LEAST_FIRST,
    NAME,
    AS_GIVEN
  }

  private record Bar(String name, double value, String unit) {}

  @Override
  public String word() {
    return "ranking";
  }

  @Override
  public String title() {
    return "Ranking";
  }

  @Override
  public Question question() {
    return Question.AMOUNT;
  }

  @Override
  public Need need() {
    return Need.NAMED_NUMBERS;
  }

  @Override
  public long earlier() {
    return before;
  }

  private List<Bar> bars(List<Frame> frames, Asked asked) {
    var out = new ArrayList<Bar>();
    for (var frame : frames) {
      if (frame.drawable()) {
        for (var n : frame.numbers()) {
          out.add(
              new Bar(n.name(), shows.of(n.values(), n.low(), n.high()), asked.unitOf(n.unit())));
        }
      } else {
        rows(frame, asked, out);
      }
    }
    out.removeIf(b -> Double.isNaN(b.value()));
    Comparator<Bar> by =
        switch (order) {
          case GREATEST_FIRST -> Comparator.comparingDouble(Bar::value).reversed();
          case LEAST_FIRST -> Comparator.comparingDouble(Bar::value);
          case NAME -> Comparator.comparing(Bar::name);
          case AS_GIVEN -> (a, b) -> 0;
        };
    out.sort(by);
    return out;
  }

  private static void rows(Frame frame, Asked asked, List<Bar> out) {
    var texts = frame.columns().stream().filter(Column.Text.class::isInstance).toList();
    if (frame.numbers().isEmpty()) {
      return;
    }
    var n = frame.numbers().getLast();
    for (int i = 0; i < frame.rows(); i++) {
      var name = new ArrayList<String>();
      for (var t : texts) {
        name.add(((Column.Text) t).values()[i]);
      }
      out.add(new Bar(String.join(" · ", name), n.values()[i], asked.unitOf(n.unit())));
    }
  }

  @Override
  public Drawing draw(Asked asked) {
    var all = bars(asked.frames(), asked);
    var shown = all.subList(0, Math.min(all.size(), most));
    var earlier = new HashMap<String, Double>();
    bars(asked.earlier(), asked).forEach(b -> earlier.put(b.name(), b.value()));
    var marks = new ArrayList<Mark>();
    double height = Math.max(asked.height(), shown.size() * ROW + 22);
    lay(shown, earlier, asked, height, marks);
    var words =
        shown.stream()
            .limit(5)
            .map(b -> b.name() + " " + Units.format(b.value(), b.unit()))
            .toList();
    return new Drawing.Shapes(
        word(),
        String.join(", ", words)
            + (all.size() > 5 ? " and " + Counts.of(all.size() - 5, "other") : ""),
        asked.width(),
        (int) Math.ceil(height),
        List.copyOf(marks));
  }

  private void lay(
      List<Bar> bars, Map<String, Double> earlier, Asked asked, double height, List<Mark> marks) {
    double width = asked.width();
    double longest = bars.stream().mapToInt(b -> b.name().length()).max().orElse(0) * CHARACTER;
    double names = Math.min(longest + 12, width * 0.4);
    var values = bars.stream().map(b -> Units.format(b.value(), b.unit())).toList();
    double numbers = values.stream().mapToInt(String::length).max().orElse(0) * 8.0 + 14;
    double room = Math.max(20, width - names - numbers);
    double least = Math.min(0, bars.stream().mapToDouble(Bar::value).min().orElse(0));
    double most = Math.max(0, bars.stream().mapToDouble(Bar::value).max().orElse(1));
    for (var limit : asked.limits()) {
      least = Math.min(least, limit.value());
      most = Math.max(most, limit.value());
    }
    double size = most - least == 0 ? 1 : most - least;
    double zero = names + room * -least / size;
    int fit = (int) (names / CHARACTER);
    for (int i = 0; i < bars.size(); i++) {
      var b = bars.get(i);
      double y = i * ROW;
      double end = zero + room * b.value() / size;
      var passed = Limit.worst(asked.limits(), b.value());
      var name =
          b.name().length() > fit ? b.name().substring(0, Math.max(1, fit - 1)) + "…" : b.name();
      marks.add(Mark.text("name", 0, y + 15, name).hint(b.name()));
      marks.add(
          Mark.path(
                  "bar" + (passed.isEmpty() ? "" : " " + passed),
                  box(Math.min(zero, end), y + 4, Math.max(1, Math.abs(end - zero)), ROW - 8))
              .hint(b.name() + " " + values.get(i)));
      var then = earlier.get(b.name());
      if (then != null && !Double.isNaN(then)) {
        double x = Math.clamp(zero + room * then / size, names, names + room);
        marks.add(Mark.path("then", line(x, y + 1, x, y + ROW - 1)));
      }
      marks.add(
          Mark.text(
              "value end" + (passed.isEmpty() ? "" : " passed-" + passed),
              width - 1,
              y + 15,
              values.get(i)));
    }
    double under = bars.size() * ROW;
    var words = new ArrayList<String>();
    if (!earlier.isEmpty()) {
      words.add("Tick: " + Durations.words(before) + " before");
    }
    for (var limit : asked.limits()) {
      double x = zero + room * limit.value() / size;
      marks.add(Mark.path("limit " + limit.priority(), line(x, 0, x, under)));
      words.add(
          "limit "
              + limit.direction()
              + " "
              + Units.format(limit.value(), bars.isEmpty() ? "" : bars.getFirst().unit()));
    }
    if (!words.isEmpty()) {
      var text = String.join(", ", words);
      marks.add(
          Mark.text(
              "words",
              0,
              Math.min(height - 5, under + 16),
              text.substring(0, 1).toUpperCase(Locale.ROOT) + text.substring(1)));
    }
  }

  private static String box(double x, double y, double w, double h) {
    return String.format(Locale.ROOT, "M%.1f %.1f h%.1f v%.1f h%.1f Z", x, y, w, h, -w);
  }

  private static String line(double x0, double y0, double x1, double y1) {
    return String.format(Locale.ROOT, "M%.1f %.1f L%.1f %.1f", x0, y0, x1, y1);
  }
}
