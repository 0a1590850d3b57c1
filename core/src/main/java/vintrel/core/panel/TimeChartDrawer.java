package vintrel.core.panel;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.stream.IntStream;
import vintrel.core.panel.Drawing.LimitLine;
import vintrel.core.panel.Drawing.Style;
import vintrel.core.panel.TimeChart.Draw;
import vintrel.core.panel.TimeChart.StyleRule;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;
import vintrel.core.picture.PictureInk;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Units;

/** Draws one time chart. One thread. */
final class TimeChartDrawer {
  /** Of an axis, what is left at least over a limit, where values that pass it will be. */
  private static final double HEADROOM = 0.03;

  /** Of an axis, what the series take at least if a limit of a rule is to be on it. */
  private static final double SERIES_SHARE = 0.4;

  private final TimeChart chart;
  private final List<List<String>> caught = new ArrayList<>();
  private final Asked asked;
  private final List<Dressed> all = new ArrayList<>();
  private Picture plain;
  private ChartAxes axes;

  /** A trace with its settings. */
  private static final class Dressed {
    Picture.Trace trace;
    ValueAxis.Side side;
    int axis;
    String unit;
    Draw draw;
    TimeChart.Curve curve;
    double width;
    TimeChart.Dash dash;
    double fill;
    String fillTo;
    TimeChart.Points points;
    double pointSize;
    TimeChart.Gaps gaps;
    boolean envelope;
    double[] base;
    double[] top;
    double[] low;
    double[] high;
  }

  TimeChartDrawer(TimeChart chart, Asked asked) {
    this.chart = chart;
    this.asked = asked;
    chart.styles().forEach(rule -> caught.add(new ArrayList<>()));
  }

  Drawing drawing() {
    var limits = asked.limits().stream().mapToDouble(Limit::value).toArray();
    plain =
        Picture.of(
            asked.frames(),
            asked.from(),
            asked.to(),
            new Picture.Look(
                asked.zone(),
                asked.unit(),
                limits,
                asked.width(),
                asked.height(),
                asked.palette(),
                asked.earlier(),
                chart.earlier()));
    for (var trace : plain.traces()) {
      var dressed = dress(trace);
      if (dressed != null) {
        all.add(dressed);
      }
    }
    order();
    place();
    if (chart.stack() != TimeChart.Stack.OFF) {
      stack();
    }
    all.forEach(this::fillBetween);
    var second = axes.get(1);
    var more = new ArrayList<Picture.Further>();
    for (int n = 2; n < axes.count(); n++) {
      more.add(new Picture.Further(axis(n), axes.get(n).unit()));
    }
    var picture =
        new Picture(
            plain.from(),
            plain.to(),
            plain.timeTicks(),
            axis(0),
            plain.unit(),
            second == null ? null : axis(1),
            second == null ? "" : second.unit(),
            more,
            all.stream().map(d -> d.trace).toList());
    return new Drawing.Chart(
        chart.word(),
        words(),
        picture,
        all.stream().map(this::style).toList(),
        limitLines(picture),
        new Drawing.LegendStyle(
            word(chart.legend()),
            word(chart.place()),
            chart.shows().stream().map(Statistic::word).toList(),
            word(chart.sort()),
            chart.legendRows(),
            chart.legendWidth()),
        new Drawing.Pointer(
            word(chart.hover()), word(chart.readoutOrder()), chart.zeros(), word(chart.cursor())),
        reading(),
        zones(picture),
        caught,
        looks(),
        word(chart.cutBuckets()),
        chart.night() ? Nights.of(picture.from(), picture.to(), asked.zone()) : null,
        chart.beyond(),
        asked.watched().raised());
  }

  private List<Drawing.AxisLook> looks() {
    var out = new ArrayList<Drawing.AxisLook>();
    for (int n = 0; n < axes.count(); n++) {
      out.add(axes.get(n) == null ? Drawing.AxisLook.NONE : look(n, axes.get(n)));
    }
    return out;
  }

  private Drawing.AxisLook look(int number, ChartAxes.One axis) {
    var on = all.stream().filter(d -> d.trace.axis() == number).toList();
    var now = on.stream().filter(d -> !d.trace.earlier()).toList();
    boolean coloured = chart.axisColour() && now.size() == 1;
    var set = axis.set();
    // One that all its series left for another is not drawn.
    var side = on.isEmpty() && number > 0 ? ValueAxis.Side.HIDDEN : set.side();
    return new Drawing.AxisLook(
        set.words(),
        word(side),
        set.grid(),
        set.room(),
        coloured ? now.getFirst().trace.colour() : null,
        axis.setting(),
        word(set.scale()),
        set.linear());
  }

  /** In the order that is set; series that are alike in it stay as they are given. */
  private void order() {
    Comparator<Dressed> by =
        switch (chart.order()) {
          case AS_GIVEN -> (a, b) -> 0;
          case NAME -> Comparator.comparing(d -> d.trace.name());
          case LAST -> Comparator.comparingDouble(d -> -known(d.trace.readout().last()));
          case MAX -> Comparator.comparingDouble(d -> -known(d.trace.readout().max()));
        };
    all.sort(by);
  }

  private static double known(double v) {
    return Double.isNaN(v) ? Double.NEGATIVE_INFINITY : v;
  }

  /** Puts the series on the axes at the sides that rules name. */
  private void place() {
    axes = new ChartAxes(chart, plain);
    for (var d : all) {
      if (d.side != null) {
        d.axis = axes.on(d.side, d.unit);
        d.trace = d.trace.on(d.axis);
      }
    }
  }

  static String word(Enum<?> constant) {
    return constant.name().toLowerCase(Locale.ROOT).replace('_', ' ');
  }

  private Dressed dress(Picture.Trace trace) {
    var out = new Dressed();
    out.draw = chart.draw();
    out.curve = chart.curve();
    out.width = chart.width();
    out.dash = chart.dash();
    out.fill = chart.fill();
    out.fillTo = chart.fillTo();
    out.points = chart.points();
    out.pointSize = chart.pointSize();
    out.gaps = chart.gaps();
    out.envelope = chart.envelope();
    int colour = trace.colour();
    boolean hidden = false;
    for (int i = 0; i < chart.styles().size(); i++) {
      var rule = chart.styles().get(i);
      if (!StyleMatch.catches(rule, trace, asked)) {
        continue;
      }
      if (!trace.earlier()) {
        caught.get(i).add(trace.name());
      }
      if (Boolean.TRUE.equals(rule.hidden())) {
        hidden = true;
      }
      colour = rule.colour() == null ? colour : rule.colour().intValue();
      apply(rule, out);
    }
    if (hidden) {
      return null;
    }
    out.trace = trace.drawn(colour, joined(trace, out.gaps));
    out.axis = trace.axis();
    out.unit = plain.unitOf(trace.axis());
    out.top = trace.values();
    boolean envelope = out.envelope && out.draw == Draw.LINE && trace.low() != null;
    out.low = envelope ? trace.low() : null;
    out.high = envelope ? trace.high() : null;
    return out;
  }

  private static void apply(StyleRule rule, Dressed to) {
    to.draw = rule.draw() == null ? to.draw : rule.draw();
    to.curve = rule.curve() == null ? to.curve : rule.curve();
    to.width = rule.width() == null ? to.width : rule.width();
    to.dash = rule.dash() == null ? to.dash : rule.dash();
    to.fill = rule.fill() == null ? to.fill : rule.fill();
    to.fillTo = rule.fillTo().isEmpty() ? to.fillTo : rule.fillTo();
    to.points = rule.points() == null ? to.points : rule.points();
    to.pointSize = rule.pointSize() == null ? to.pointSize : rule.pointSize();
    to.gaps = rule.gaps() == null ? to.gaps : rule.gaps();
    to.envelope = rule.envelope() == null ? to.envelope : rule.envelope();
    to.side = rule.axis() == null ? to.side : rule.axis();
  }

  /** Missing buckets over which the line goes on. */
  private int[] joined(Picture.Trace trace, TimeChart.Gaps gaps) {
    if (gaps == TimeChart.Gaps.OPEN) {
      return trace.joined();
    }
    var there =
        IntStream.range(0, trace.values().length)
            .filter(i -> !Double.isNaN(trace.values()[i]))
            .toArray();
    var dense = Arrays.stream(trace.joined()).boxed().collect(java.util.stream.Collectors.toSet());
    var out = IntStream.builder();
    for (int i = 1; i < there.length; i++) {
      long apart = trace.times()[there[i]] - trace.times()[there[i - 1]];
      boolean near = apart <= chart.joinTo();
      boolean bridged = gaps == TimeChart.Gaps.JOINED || near;
      for (int k = there[i - 1] + 1; k < there[i]; k++) {
        if (gaps == TimeChart.Gaps.CUT_AFTER
            ? near && dense.contains(k)
            : bridged || dense.contains(k)) {
          out.add(k);
        }
      }
    }
    return out.build().toArray();
  }

  /**
   * Adds up the series of the left axis that have the same buckets as the first; a missing value
   * counts as nothing. Those of an earlier time are not stacked.
   */
  private void stack() {
    var in =
        all.stream()
            .filter(d -> d.trace.axis() == 0 && !d.trace.earlier())
            .filter(d -> Arrays.equals(d.trace.times(), all.getFirst().trace.times()))
            .toList();
    if (in.isEmpty() || in.getFirst() != all.getFirst()) {
      return;
    }
    int n = in.getFirst().trace.times().length;
    var total = new double[n];
    for (var d : in) {
      for (int i = 0; i < n; i++) {
        total[i] += Double.isNaN(d.trace.values()[i]) ? 0 : d.trace.values()[i];
      }
    }
    boolean percent = chart.stack() == TimeChart.Stack.PERCENT;
    var sum = new double[n];
    for (var d : in) {
      d.base = new double[n];
      d.top = new double[n];
      d.low = null;
      d.high = null;
      var share = new double[n];
      for (int i = 0; i < n; i++) {
        double v = d.trace.values()[i];
        share[i] = total[i] == 0 ? Double.NaN : 100 * v / total[i];
        double part = percent ? share[i] : v;
        d.base[i] = sum[i];
        sum[i] += Double.isNaN(part) ? 0 : part;
        d.top[i] = Double.isNaN(part) ? Double.NaN : sum[i];
      }
      d.trace = percent ? d.trace.sharing(share) : d.trace;
    }
  }

  /** The area of a series ends at another that has the same axis and the same times. */
  private void fillBetween(Dressed d) {
    if (d.base != null || d.fillTo.isEmpty() || d.draw == Draw.BARS) {
      return;
    }
    if (isCalled(d, d.fillTo)) {
      d.fill = 0;
      return;
    }
    all.stream()
        .filter(o -> o != d && o.trace.axis() == d.trace.axis() && !o.trace.earlier())
        .filter(o -> isCalled(o, d.fillTo))
        .filter(o -> Arrays.equals(o.trace.times(), d.trace.times()))
        .findFirst()
        .ifPresent(o -> d.base = o.top);
  }

  private static boolean isCalled(Dressed d, String name) {
    return d.trace.name().equals(name) || d.trace.line().equals(name);
  }

  private ValueScale scale(int axis) {
    return axes.get(axis).set().scale();
  }

  private double zone(int axis) {
    return axes.get(axis).set().linear();
  }

  private Axis axis(int which) {
    double low = Double.POSITIVE_INFINITY;
    double high = Double.NEGATIVE_INFINITY;
    boolean log = scale(which) == ValueScale.LOG || scale(which) == ValueScale.LOG_2;
    for (var d : all) {
      if (d.trace.axis() != which) {
        continue;
      }
      for (var values :
          new double[][] {d.top, d.low, d.high, bars(d) ? new double[] {0} : d.base}) {
        for (double v : values == null ? new double[0] : values) {
          if (Double.isFinite(v) && !(log && v <= 0)) {
            low = Math.min(low, v);
            high = Math.max(high, v);
          }
        }
      }
    }
    double over = Double.NEGATIVE_INFINITY;
    if (which == 0 && low <= high && chart.limitsAs() != TimeChart.LimitForm.NONE) {
      for (var limit : asked.limits()) {
        for (double v : LimitLines.valuesOf(limit, asked)) {
          low = !Double.isFinite(v) || log && v <= 0 ? low : Math.min(low, v);
          high = Double.isFinite(v) ? Math.max(high, v) : high;
          over = Double.isFinite(v) && limit.above() ? Math.max(over, v) : over;
        }
      }
    }
    if (which == 0 && low < high && chart.limitsAs() != TimeChart.LimitForm.NONE) {
      for (var limit : asked.watched().limits()) {
        double v = limit.value();
        if (!(log && v <= 0) && isNear(limit, low, high)) {
          low = Math.min(low, v);
          high = Math.max(high, v);
          over = limit.above() ? Math.max(over, v) : over;
        }
      }
    }
    int rows = Math.max(2, asked.height() / 45);
    boolean percent = which == 0 && chart.stack() == TimeChart.Stack.PERCENT;
    var unit = percent ? "%" : axes.get(which).unit();
    var set = axes.get(which).set();
    var axis = set.scale().axis(low, high, set.ends(), set.linear(), unit, rows);
    double span = axis.max() - axis.min();
    if (set.scale() == ValueScale.LINEAR && over == high && axis.max() - over < HEADROOM * span) {
      double room = over + HEADROOM * span;
      axis = set.scale().axis(low, room, set.ends(), set.linear(), unit, rows);
    }
    return set.decimals() == null
        ? axis
        : set.scale().rounded(axis, set.decimals().intValue(), set.linear(), unit);
  }

  /** Whether there is room for a limit of a rule: the series are what the chart is for. */
  private boolean isNear(WatchedLimit limit, double low, double high) {
    double span = Math.max(high, limit.value()) - Math.min(low, limit.value());
    return high - low >= SERIES_SHARE * span
        && all.stream().anyMatch(d -> d.trace.axis() == 0 && d.trace.line().equals(limit.line()));
  }

  private static boolean bars(Dressed d) {
    return d.base == null && (d.draw == Draw.BARS || d.draw == Draw.AREA);
  }

  private Style style(Dressed d) {
    var scale = scale(d.trace.axis());
    boolean moved = scale != ValueScale.LINEAR;
    boolean stacked = d.base != null;
    return new Style(
        word(d.draw),
        word(d.curve),
        d.width,
        word(d.dash),
        word(d.points),
        d.pointSize,
        d.fill == 0 && (d.draw == Draw.AREA || !d.fillTo.isEmpty() && d.base != null) ? 25 : d.fill,
        d.low != null,
        stacked ? placed(d, d.base) : null,
        stacked || moved ? placed(d, d.top) : null,
        moved && d.low != null ? placed(d, d.low) : null,
        moved && d.high != null ? placed(d, d.high) : null);
  }

  /** Where values lie on the axis of a series. */
  private double[] placed(Dressed on, double[] values) {
    var scale = scale(on.trace.axis());
    return scale == ValueScale.LINEAR ? values : scale.at(values, zone(on.trace.axis()));
  }

  private List<LimitLine> limitLines(Picture picture) {
    var strokes = new ArrayList<PictureInk.Stroke>();
    for (var d : all) {
      boolean points = d.points != TimeChart.Points.NONE;
      strokes.add(
          new PictureInk.Stroke(
              d.trace.at(placed(d, d.top)),
              picture.axisOf(d.trace.axis()),
              d.curve != TimeChart.Curve.STRAIGHT,
              points || d.draw == Draw.POINTS ? Math.max(d.width, d.pointSize) : d.width,
              d.draw != Draw.BARS ? null : d.base == null ? new double[] {0} : d.base));
    }
    return new LimitLines(chart, asked, picture, strokes).all();
  }

  /** The present reading for the panel's title line: of a lone series its last value. */
  private String reading() {
    var own = all.stream().filter(d -> !d.trace.earlier()).toList();
    if (own.size() != 1) {
      return "";
    }
    var readout = own.getFirst().trace.readout();
    return switch (chart.atTitle()) {
      case LAST -> Units.format(readout.last(), own.getFirst().unit);
      case MAX -> "max " + Units.format(readout.max(), own.getFirst().unit);
      case MEAN -> "mean " + Units.format(readout.mean(), own.getFirst().unit);
      case NOTHING -> "";
    };
  }

  private List<Drawing.ZoneTicks> zones(Picture picture) {
    var out = new ArrayList<Drawing.ZoneTicks>();
    int wanted = Math.max(2, asked.width() / 90);
    for (var name : chart.zones()) {
      var ticks = Axis.times(picture.from(), picture.to(), ZoneId.of(name), wanted);
      out.add(
          new Drawing.ZoneTicks(
              name.substring(name.lastIndexOf('/') + 1).replace('_', ' '), ticks));
    }
    return out;
  }

  private String words() {
    int n = (int) all.stream().filter(d -> !d.trace.earlier()).count();
    var some =
        all.stream()
            .filter(d -> !d.trace.earlier())
            .limit(3)
            .map(d -> d.trace.name() + " " + Units.format(d.trace.readout().last(), d.unit))
            .toList();
    return Counts.of(n, "series") + ": " + String.join(", ", some) + (n > 3 ? ", …" : "");
  }
}
