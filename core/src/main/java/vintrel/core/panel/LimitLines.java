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

  /** What a limit is in the range: its value, or one for each moment. */
  static double[] valuesOf(Limit limit, Asked asked) {
    var c = limit.course();
    return c == null
        ? new double[] {limit.value()}
        : Arrays.copyOfRange(c.values(), c.indexOf(asked.from()), c.indexOf(asked.to()));
  }

  /** Those that lie on the axis. */
  List<LimitLine> all() {
    if (chart.limitsAs() == TimeChart.LimitForm.NONE) {
      return List.of();
    }
    var axis = picture.axis();
    var unit = chart.stack() == TimeChart.Stack.PERCENT ? "%" : picture.unit();
    var limits = new ArrayList<LimitLabels.Limit>();
    var shown = new ArrayList<Limit>();
    for (var l : asked.limits()) {
      double at = chart.scale().at(l.value(), chart.linear());
      if (at >= axis.min() && at <= axis.max()) {
        shown.add(l);
        var of = l.from() == null ? " " : " " + l.from().line() + ", ";
        var text = l.direction() + of + Units.format(l.value(), unit);
        limits.add(new LimitLabels.Limit(at, text));
      }
    }
    int width = asked.plotWidth();
    var drawn = drawn();
    var labels =
        LimitLabels.place(
            limits, axis.min(), axis.max(), width, asked.plotHeight(), h -> ink(drawn, width, h));
    var out = new ArrayList<LimitLine>();
    for (int i = 0; i < labels.size(); i++) {
      var label = labels.get(i);
      out.add(
          new LimitLine(
              asked.limits().indexOf(shown.get(i)),
              limits.get(i).value(),
              label.text(),
              shown.get(i).priority(),
              label.above(),
              label.shift(),
              label.row(),
              TimeChartDrawer.word(chart.limitsAs()),
              shown.get(i).above(),
              course(shown.get(i))));
    }
    return out;
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
