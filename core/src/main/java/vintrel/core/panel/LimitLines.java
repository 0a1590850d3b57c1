package vintrel.core.panel;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import vintrel.core.panel.Drawing.LimitLine;
import vintrel.core.picture.LimitLabels;
import vintrel.core.picture.Picture;
import vintrel.core.picture.PictureInk;
import vintrel.core.unit.Units;

/**
 * The limits across a time chart, with their labels.
 *
 * @param strokes what is drawn of the series
 */
record LimitLines(TimeChart chart, Asked asked, Picture picture, List<PictureInk.Stroke> strokes) {
  /** Of its width, what a legend in the upper left corner of the plot takes at most. */
  private static final double LEGEND = 0.5;

  /** Of the plot's width, what a label with the title of a rule takes at most. */
  private static final double TITLED = 0.6;

  /** What a limit is in the range: its value, or one for each moment. */
  static double[] valuesOf(Limit limit, Asked asked) {
    var c = limit.course();
    return c == null
        ? new double[] {limit.value()}
        : Arrays.copyOfRange(c.values(), c.indexOf(asked.from()), c.indexOf(asked.to()));
  }

  /** A limit with its label. */
  private record Labelled(double at, String text, Limit own, WatchedLimit watched, boolean beyond) {
    String priority() {
      return own == null ? watched.priority() : own.priority();
    }

    boolean above() {
      return own == null ? watched.above() : own.above();
    }
  }

  /** Those of the panel that lie on the axis, and those of rules wherever they lie. */
  List<LimitLine> all() {
    if (chart.limitsAs() == TimeChart.LimitForm.NONE) {
      return List.of();
    }
    var axis = picture.axis();
    var some = new ArrayList<Labelled>();
    for (var l : asked.limits()) {
      double at = chart.scale().at(l.value(), chart.linear());
      if (at >= axis.min() && at <= axis.max()) {
        var of = l.from() == null ? " " : " " + l.from().line() + ", ";
        var text = l.direction() + of + Units.format(l.value(), unit());
        var same =
            asked.watched().limits().stream().filter(w -> w.isOf(l)).findFirst().orElse(null);
        some.add(new Labelled(at, same == null ? text : named(same, text), l, same, false));
      }
    }
    watched().forEach(w -> some.add(labelled(w)));
    int width = asked.plotWidth();
    var drawn = drawn();
    var labels =
        LimitLabels.place(
            some.stream().map(l -> new LimitLabels.Limit(l.at, l.text)).toList(),
            axis.min(),
            axis.max(),
            width,
            asked.plotHeight(),
            h -> ink(drawn, width, h));
    var out = new ArrayList<LimitLine>();
    for (int i = 0; i < labels.size(); i++) {
      out.add(line(some.get(i), labels.get(i)));
    }
    return out;
  }

  private LimitLine line(Labelled limit, LimitLabels.Label label) {
    var rule = limit.watched;
    return new LimitLine(
        limit.own == null ? -1 : asked.limits().indexOf(limit.own),
        limit.at,
        label.text(),
        limit.priority(),
        label.above(),
        label.shift(),
        label.row(),
        limit.own == null ? "rule" : TimeChartDrawer.word(chart.limitsAs()),
        limit.above(),
        limit.own == null ? null : course(limit.own),
        limit.beyond,
        rule == null ? null : rule.rule(),
        rule == null ? null : rule.title());
  }

  private String unit() {
    return chart.stack() == TimeChart.Stack.PERCENT ? "%" : picture.unit();
  }

  /** Those that are drawn: what no limit of the panel says, of series on the first axis alone. */
  private List<WatchedLimit> watched() {
    if (chart.stack() != TimeChart.Stack.OFF) {
      return List.of();
    }
    return asked.watched().limits().stream()
        .filter(w -> asked.limits().stream().noneMatch(w::isOf))
        .filter(
            w ->
                picture.traces().stream().anyMatch(t -> t.axis() == 0 && t.line().equals(w.line())))
        .filter(w -> !Double.isNaN(chart.scale().at(w.value(), chart.linear())))
        .toList();
  }

  private Labelled labelled(WatchedLimit w) {
    var axis = picture.axis();
    double at = chart.scale().at(w.value(), chart.linear());
    boolean over = at > axis.max();
    boolean under = at < axis.min();
    var text = named(w, (w.above() ? "above " : "below ") + Units.format(w.value(), unit()));
    return new Labelled(
        Math.clamp(at, axis.min(), axis.max()),
        over ? "↑ " + text : under ? "↓ " + text : text,
        null,
        w,
        over || under);
  }

  /** With the rule's title where the plot has room for it. */
  private String named(WatchedLimit rule, String text) {
    var whole = rule.title() + ": " + text;
    return whole.length() * LimitLabels.CHARACTER < TITLED * asked.plotWidth() ? whole : text;
  }

  private LimitLabels.Ink ink(List<PictureInk.Stroke> drawn, int width, int height) {
    var ink = new PictureInk(drawn, picture.from(), picture.to(), width, height);
    boolean legend =
        chart.legend() != TimeChart.LegendForm.NONE
            && chart.place() == TimeChart.LegendPlace.INSIDE;
    return (left, right, top, bottom) ->
        legend && left < width * LEGEND || ink.in(left, right, top, bottom);
  }

  private Drawing.Course course(Limit limit) {
    var c = limit.course();
    if (c == null) {
      return null;
    }
    int from = c.indexOf(asked.from());
    int to = c.indexOf(asked.to());
    return new Drawing.Course(
        Arrays.copyOfRange(c.times(), from, to),
        chart.scale().at(valuesOf(limit, asked), chart.linear()));
  }

  /** The series, and the limits that have a course. */
  private List<PictureInk.Stroke> drawn() {
    var out = new ArrayList<>(strokes);
    for (var l : asked.limits()) {
      var c = course(l);
      if (c != null) {
        var trace =
            new Picture.Trace(
                "",
                "",
                0,
                0,
                false,
                null,
                c.times(),
                c.values(),
                new int[0],
                null,
                null,
                null,
                null);
        // It is drawn in steps.
        out.add(new PictureInk.Stroke(trace, picture.axis(), true, 1, null));
      }
    }
    return out;
  }
}
