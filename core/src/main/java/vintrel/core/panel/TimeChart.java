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
    @Setting(
            value = "How strongly the area below lines is filled, percent.",
            group = "Lines",
            min = 0,
            max = 100)
        double fill,
    @Setting(value = "Whether series are added up.", group = "Lines", words = "stacked percent")
        Stack stack,
    @Setting(
            value = "Whether a line goes on over missing values.",
            group = "Lines",
            words = "nulls zeros bridge")
        Gaps gaps,
    @Setting(
            value = "Up to which length gaps are joined, or after which silence a line is cut.",
            group = "Lines",
            duration = true,
            min = 1_000)
        long joinTo,
    @Setting(
            value =
                "Whether the band from the least to the greatest value behind each mean is drawn.",
            group = "Lines",
            words = "band spread min max")
        boolean envelope,
    @Setting(
            value = "How long before an earlier time lies that is drawn dashed; 0: none.",
            group = "Lines",
            duration = true,
            min = 0,
            words = "ghost compare week before")
        long earlier,
    @Setting(value = "How values lie on the left axis.", group = "Axes", words = "logarithmic")
        ValueScale scale,
    @Setting(
            value = "Up to this size a signed log scale is about linear.",
            group = "Axes",
            min = 1e-12,
            label = "linear to")
        double linear,
    @Setting(
            value = "Where the left axis begins, whatever the data.",
            group = "Axes",
            words = "minimum")
        Double from,
    @Setting(
            value = "Where the left axis ends, whatever the data.",
            group = "Axes",
            words = "maximum")
        Double to,
    @Setting(
            value = "Where the left axis begins unless values lie lower.",
            group = "Axes",
            label = "from, soft")
        Double softFrom,
    @Setting(
            value = "Where the left axis ends unless values lie higher.",
            group = "Axes",
            label = "to, soft")
        Double softTo,
    @Setting(
            value = "Whether zero is in the middle of the left axis.",
            group = "Axes",
            label = "zero in the middle",
            words = "centred symmetric")
        boolean middle,
    @Setting(value = "How values lie on the right axis.", group = "Axes", label = "scale, right")
        ValueScale rightScale,
    @Setting(value = "Where the right axis begins.", group = "Axes", label = "from, right")
        Double rightFrom,
    @Setting(value = "Where the right axis ends.", group = "Axes", label = "to, right")
        Double rightTo,
    @Setting(
            value = "Words beside the left axis; none: the lines on it, where there are two axes.",
            group = "Axes",
            label = "words")
        String axisWords,
    @Setting(value = "Whether the left axis is drawn.", group = "Axes", label = "left axis")
        boolean leftAxis,
    @Setting(value = "Whether lines run across at the values of the left axis.", group = "Axes")
        boolean grid,
    @Setting(
            value = "Room for the left axis, px; 0: as needed.",
            group = "Axes",
            min = 0,
            max = 300,
            label = "room")
        double axisRoom,
    @Setting(
            value = "Words beside the right axis; none: the lines on it.",
            group = "Axes",
            label = "words, right")
        String rightWords,
    @Setting(value = "Whether the right axis is drawn.", group = "Axes", label = "right axis")
        boolean rightAxis,
    @Setting(
            value = "Whether lines run across at the values of the right axis.",
            group = "Axes",
            label = "grid, right")
        boolean rightGrid,
    @Setting(
            value = "Room for the right axis, px; 0: as needed.",
            group = "Axes",
            min = 0,
            max = 300,
            label = "room, right")
        double rightRoom,
    @Setting(
            value = "Whether an axis with one series has the colour of the series.",
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
            value = "How limits are drawn.",
            group = "Limits",
            label = "drawn as",
            words = "threshold")
        LimitForm limitsAs,
    @Setting(value = "What the legend lists.", group = "Legend") LegendForm legend,
    @Setting(value = "Where the legend stands.", group = "Legend") LegendPlace place,
    @Setting(value = "The numbers beside each name in a table.", group = "Legend", most = 6)
        List<Statistic> shows,
    @Setting(value = "How the legend is sorted.", group = "Legend") LegendSort sort,
    @Setting(value = "What the pointer tells.", group = "Readout", words = "tooltip") Hover hover,
    @Setting(
            value = "Other settings for some series, tried in order; a later one wins.",
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
          0,
          Stack.OFF,
          Gaps.OPEN,
          5 * 60_000,
          true,
          0,
          ValueScale.LINEAR,
          1,
          null,
          null,
          null,
          null,
          false,
          ValueScale.LINEAR,
          null,
          null,
          "",
          true,
          true,
          0,
          "",
          true,
          false,
          0,
          false,
          List.of(),
          LimitForm.LINE,
          LegendForm.TABLE,
          LegendPlace.BELOW,
          List.of(Statistic.LAST, Statistic.MIN, Statistic.MAX, Statistic.MEAN),
          LegendSort.AS_DRAWN,
          Hover.ALL,
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

  /** Whether series are added up. */
  public enum Stack {
    OFF,
    VALUES,
    PERCENT
  }

  /** Where the axis of some series stands. */
  public enum Side {
    LEFT,
    RIGHT,
    HIDDEN
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
    RIGHT
  }

  /** How it is sorted. */
  public enum LegendSort {
    AS_DRAWN,
    NAME,
    LAST,
    MAX
  }

  /** What the pointer tells. */
  public enum Hover {
    ALL,
    NEAREST,
    NONE
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
      @Setting(value = "The number of their colour, from 0 to 9.", group = "Then", min = 0, max = 9)
          Double colour,
      @Setting(
              value = "Their axis: left or right, or one of their own that is not drawn.",
              group = "Then")
          Side axis,
      @Setting(value = "Whether they are left out.", group = "Then") Boolean hidden) {
    public static final StyleRule DEFAULT =
        new StyleRule("", "", "", null, null, null, null, null, null, null, null, null);
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
    if (rightFrom != null && rightTo != null && rightFrom >= rightTo) {
      out.put("right-to", "must be greater than right-from");
    }
    for (int i = 0; i < styles.size(); i++) {
      var fault = StyleMatch.fault(styles.get(i));
      if (fault != null) {
        out.put("styles[" + i + "].where", fault);
      }
    }
    return out;
  }

  @Override
  public Drawing draw(Asked asked) {
    return new TimeChartDrawer(this, asked).drawing();
  }
}
