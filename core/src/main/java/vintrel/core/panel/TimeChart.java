package vintrel.core.panel;

import java.time.ZoneId;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Series over time. */
public record TimeChart(
    @Setting(value = "How series are drawn.", group = "Lines") Draw draw,
    @Setting(value = "How a line runs from value to value.", group = "Lines", words = "step smooth")
        Curve curve,
    @Setting(value = "Width of lines, px.", group = "Lines", min = 0.5, max = 8) double width,
    @Setting(value = "How lines are dashed.", group = "Lines") Dash dash,
    @Setting(value = "Where values are marked by a point.", group = "Lines", words = "dots markers")
        Points points,
    @Setting(value = "Width of points, px.", group = "Lines", min = 1, max = 20, words = "dots")
        double pointSize,
    @Setting(
            value = "Opacity of the area below lines, in percent.",
            group = "Lines",
            min = 0,
            max = 100)
        double fill,
    @Setting(
            value = "Series or line at which the filled area ends. Default: zero.",
            group = "Lines",
            label = "fill to",
            words = "band between corridor")
        String fillTo,
    @Setting(
            value = "Stacks series, as values or as percentages.",
            group = "Lines",
            words = "stacked percent")
        Stack stack,
    @Setting(value = "How gaps are drawn.", group = "Lines", words = "nulls zeros bridge")
        Gaps gaps,
    @Setting(
            value = "Longest gap to connect, or shortest gap that breaks the line.",
            group = "Lines",
            duration = true,
            min = 1_000)
        long joinTo,
    @Setting(
            value = "Shows the range from minimum to maximum of each bucket.",
            group = "Lines",
            words = "band spread min max")
        boolean envelope,
    @Setting(
            value = "In which order series are drawn, and added up if they are stacked.",
            group = "Lines")
        Order order,
    @Setting(
            value = "How partial buckets at the ends of the range are drawn.",
            group = "Lines",
            label = "partial buckets",
            words = "last partial")
        CutBucket cutBuckets,
    @Setting(
            value = "Compares with an earlier time, drawn dashed: how far back. 0: off.",
            group = "Lines",
            duration = true,
            min = 0,
            words = "ghost compare week before")
        long earlier,
    @Setting(value = "Where the first axis stands; hidden: it is not drawn.", group = "Axes")
        ValueAxis.Side side,
    @Setting(value = "Scale of the first axis.", group = "Axes", words = "logarithmic")
        ValueScale scale,
    @Setting(
            value = "Values up to this size are on a linear part of the symlog scale.",
            group = "Axes",
            min = 1e-12,
            label = "linear to")
        double linear,
    @Setting(value = "Fixed minimum of the axis.", group = "Axes", words = "minimum") Double from,
    @Setting(
            value = "Where the first axis ends, whatever the data.",
            group = "Axes",
            words = "maximum")
        Double to,
    @Setting(
            value = "Minimum of the axis; lower values extend it.",
            group = "Axes",
            label = "from, soft")
        Double softFrom,
    @Setting(
            value = "Where the first axis ends unless values lie higher.",
            group = "Axes",
            label = "to, soft")
        Double softTo,
    @Setting(
            value = "Whether zero is in the middle of the first axis.",
            group = "Axes",
            label = "zero in the middle",
            words = "centred symmetric")
        boolean middle,
    @Setting(
            value =
                "Title of the first axis. Default: the names of its lines if there are several"
                    + " axes.",
            group = "Axes",
            label = "words")
        String axisWords,
    @Setting(value = "Whether lines run across at the values of the first axis.", group = "Axes")
        boolean grid,
    @Setting(
            value = "Width reserved for the axis, in px. 0: auto.",
            group = "Axes",
            min = 0,
            max = 300,
            zero = "as needed",
            label = "room")
        double axisRoom,
    @Setting(
            value = "Decimals of the first axis; none: as many as needed.",
            group = "Axes",
            min = 0,
            max = 6)
        Double decimals,
    @Setting(
            value = "Further axes: each takes the series of its unit.",
            group = "Axes",
            most = 8,
            words = "right second")
        List<ValueAxis> axes,
    @Setting(
            value = "Colours an axis like its series if it has only one.",
            group = "Axes",
            label = "colour by series")
        boolean axisColour,
    @Setting(
            value = "Time zones of more rows of labels under the chart, such as Europe/Oslo.",
            group = "Axes",
            most = 2,
            label = "more time zones")
        List<String> zones,
    @Setting(
            value = "Whether the hours from 18:00 to 06:00 are shaded.",
            group = "Axes",
            label = "night shade",
            words = "dark hours")
        boolean night,
    @Setting(
            value = "How limits are drawn.",
            group = "Limits",
            label = "show limits as",
            words = "threshold")
        LimitForm limitsAs,
    @Setting(
            value = "Whether the part of a line beyond a limit has the colour of the limit.",
            group = "Limits",
            label = "colour beyond limit",
            words = "threshold")
        boolean beyond,
    @Setting(value = "What the legend lists.", group = "Legend") LegendForm legend,
    @Setting(value = "Where the legend stands.", group = "Legend") LegendPlace place,
    @Setting(
            value = "Width of a legend at the right or inside, px; 0: as needed.",
            group = "Legend",
            min = 0,
            max = 800,
            zero = "as needed",
            label = "width")
        double legendWidth,
    @Setting(value = "Statistics in the legend table.", group = "Legend", most = 6)
        List<Statistic> shows,
    @Setting(value = "How the legend is sorted.", group = "Legend") LegendSort sort,
    @Setting(
            value = "Visible rows of the legend. 0: auto.",
            group = "Legend",
            min = 0,
            max = 50,
            zero = "as fit",
            label = "rows",
            words = "height")
        int legendRows,
    @Setting(
            value = "Series in the tooltip: all, nearest or none.",
            group = "Readout",
            words = "tooltip")
        Hover hover,
    @Setting(
            value = "In which order the pointer tells values.",
            group = "Readout",
            label = "order",
            words = "sort tooltip")
        ReadoutOrder readoutOrder,
    @Setting(
            value = "Whether the pointer tells values that are zero.",
            group = "Readout",
            words = "tooltip")
        boolean zeros,
    @Setting(
            value = "Shows the crosshair in all panels or in this one.",
            group = "Readout",
            words = "crosshair")
        Cursor cursor,
    @Setting(
            value = "Value in the panel title, if there is only one series.",
            group = "Readout",
            label = "at the title")
        AtTitle atTitle,
    @Setting(
            value = "Settings for matching series. Later rules override earlier ones.",
            group = "Style rules",
            most = 30)
        List<StyleRule> styles)
    implements PanelKind {

  public static final TimeChart DEFAULT =
      new TimeChart(
          Draw.LINE,
          Curve.STRAIGHT,
          1.7,
          Dash.SOLID,
          Points.WHERE_ALONE,
          4,
          0,
          "",
          Stack.OFF,
          Gaps.OPEN,
          5 * 60_000,
          true,
          Order.AS_GIVEN,
          CutBucket.DOTTED,
          0,
          ValueAxis.Side.LEFT,
          ValueScale.LINEAR,
          1,
          null,
          null,
          null,
          null,
          false,
          "",
          true,
          0,
          null,
          List.of(),
          false,
          List.of(),
          false,
          LimitForm.LINE,
          false,
          LegendForm.TABLE,
          LegendPlace.BELOW,
          0,
          List.of(Statistic.LAST, Statistic.MIN, Statistic.MAX, Statistic.MEAN),
          LegendSort.AS_DRAWN,
          0,
          Hover.ALL,
          ReadoutOrder.LARGEST_FIRST,
          true,
          Cursor.EVERY_PANEL,
          AtTitle.LAST,
          List.of());

  /** How series are drawn. */
  public enum Draw {
    LINE,
    AREA,
    BARS,
    POINTS
  }

  /** How a line runs from value to value. */
  public enum Curve {
    STRAIGHT,
    SMOOTH,
    STEP_BEFORE,
    STEP_AFTER
  }

  /** How a line is dashed. */
  public enum Dash {
    SOLID,
    DASHED,
    DOTTED
  }

  /** Where values are marked. */
  public enum Points {
    WHERE_ALONE,
    ALL,
    NONE
  }

  /** Stacks series, as values or as percentages. */
  public enum Stack {
    OFF,
    VALUES,
    PERCENT
  }

  /** In which order series are drawn. */
  public enum Order {
    AS_GIVEN,
    NAME,
    LAST,
    MAX
  }

  /** What becomes of buckets that the range cuts. */
  public enum CutBucket {
    DOTTED,
    HIDDEN,
    AS_OTHERS
  }

  /** What becomes of missing values. */
  public enum Gaps {
    OPEN,
    JOINED,
    JOINED_TO,
    CUT_AFTER
  }

  /** How limits are drawn. */
  public enum LimitForm {
    LINE,
    BAND,
    BOTH,
    NONE
  }

  /** What the legend is. */
  public enum LegendForm {
    TABLE,
    NAMES,
    NONE
  }

  /** Where it stands. */
  public enum LegendPlace {
    BELOW,
    RIGHT,
    INSIDE
  }

  /** How it is sorted. */
  public enum LegendSort {
    AS_DRAWN,
    NAME,
    LAST,
    MIN,
    MAX,
    MEAN,
    SUM,
    COUNT,
    P95
  }

  /** Series in the tooltip: all, nearest or none. */
  public enum Hover {
    ALL,
    NEAREST,
    NONE
  }

  /** In which order it tells values. */
  public enum ReadoutOrder {
    LARGEST_FIRST,
    AS_DRAWN
  }

  /** Where the line at its time is seen. */
  public enum Cursor {
    EVERY_PANEL,
    HERE_ONLY
  }

  /** Which number of a lone series stands in the title line. */
  public enum AtTitle {
    LAST,
    MAX,
    MEAN,
    NOTHING
  }

  /**
   * Settings for some series; null: as the others.
   *
   * @param line the line that they come from, or empty for any
   * @param series a pattern of their names, with * for any characters; empty for any
   * @param where a condition on their labels; empty for any
   * @param above only those whose last value is above it, or null
   */
  public record StyleRule(
      @Setting(value = "Only series of this line.", group = "For") String line,
      @Setting(
              value = "Only series whose name is like this; * stands for any characters.",
              group = "For")
          String series,
      @Setting(
              value = "Only series whose labels fulfil this condition.",
              group = "For",
              most = 2_000)
          String where,
      @Setting(value = "Only series whose last value is above this.", group = "For") Double above,
      @Setting(value = "How they are drawn.", group = "Then") Draw draw,
      @Setting(value = "How their line runs.", group = "Then") Curve curve,
      @Setting(value = "Width of their line, px.", group = "Then", min = 0.5, max = 8) Double width,
      @Setting(value = "How their line is dashed.", group = "Then") Dash dash,
      @Setting(
              value = "How strongly the area below is filled, percent.",
              group = "Then",
              min = 0,
              max = 100)
          Double fill,
      @Setting(
              value = "The series, or the line of a series, that the area ends at.",
              group = "Then",
              label = "fill to",
              words = "band between corridor")
          String fillTo,
      @Setting(value = "Where values are marked by a point.", group = "Then", words = "dots")
          Points points,
      @Setting(value = "Width of points, px.", group = "Then", min = 1, max = 20, words = "dots")
          Double pointSize,
      @Setting(value = "Whether their lines go on over missing values.", group = "Then") Gaps gaps,
      @Setting(
              value = "Whether the band from the least to the greatest value is drawn.",
              group = "Then")
          Boolean envelope,
      @Setting(value = "The number of their colour, from 0 to 9.", group = "Then", min = 0, max = 9)
          Double colour,
      @Setting(
              value =
                  "The side of their axis, which has their unit; hidden: one of their own that is"
                      + " not drawn.",
              group = "Then")
          ValueAxis.Side axis,
      @Setting(value = "Whether they are left out.", group = "Then") Boolean hidden) {
    public static final StyleRule DEFAULT =
        new StyleRule(
            "", "", "", null, null, null, null, null, null, "", null, null, null, null, null, null,
            null);
  }

  @Override
  public String word() {
    return "time-chart";
  }

  @Override
  public String title() {
    return "Time chart";
  }

  @Override
  public Question question() {
    return Question.COURSE;
  }

  @Override
  public Need need() {
    return Need.SERIES;
  }

  @Override
  public Map<String, String> faults() {
    var out = new LinkedHashMap<String, String>();
    for (var zone : zones) {
      if (!ZoneId.getAvailableZoneIds().contains(zone)) {
        out.put("zones", "'" + zone + "' is not a time zone; write for example Europe/Oslo");
      }
    }
    if (from != null && to != null && from >= to) {
      out.put("to", "must be greater than from");
    }
    for (int i = 0; i < axes.size(); i++) {
      var axis = axes.get(i);
      if (axis.from() != null && axis.to() != null && axis.from() >= axis.to()) {
        out.put("axes[" + i + "].to", "must be greater than from");
      }
    }
    for (int i = 0; i < styles.size(); i++) {
      var fault = StyleMatch.fault(styles.get(i));
      if (fault != null) {
        out.put("styles[" + i + "].where", fault);
      }
    }
    return out;
  }

  /** What is set for the first axis. */
  ValueAxis firstAxis() {
    return new ValueAxis(
        "", side, scale, linear, from, to, softFrom, softTo, middle, axisWords, grid, axisRoom,
        decimals);
  }

  @Override
  public Drawing draw(Asked asked) {
    return new TimeChartDrawer(this, asked).drawing();
  }
}
