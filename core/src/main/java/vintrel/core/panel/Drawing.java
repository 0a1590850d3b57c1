package vintrel.core.panel;

import com.fasterxml.jackson.annotation.JsonInclude;
import com.fasterxml.jackson.annotation.JsonProperty;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;

/**
 * What a script puts on the screen, without computing anything. Lengths are px from the left and
 * top of the panel's body.
 */
@JsonInclude(JsonInclude.Include.NON_NULL)
public sealed interface Drawing {
  /** The kind of panel that it is of. */
  @JsonProperty
  String kind();

  /** What it shows, in words, for those who don't see it. */
  String words();

  /** The same, as exact as a screen can show it: shorter to write. */
  default Drawing shown() {
    return this;
  }

  /**
   * A time chart.
   *
   * @param style of each trace, in their order
   * @param reading the last value for the panel's title line, or empty
   * @param axes how each axis of the picture is drawn, by its number
   * @param caught for each style rule the names of the series that it is for just now
   * @param cut how buckets are drawn that the range cuts: dotted, hidden or as others
   * @param nights starts and ends of the nights in the range, ms, alternating; null: not shaded
   * @param beyond whether lines have the colour of a limit where they are beyond it
   * @param raised when rules were raised for what is shown
   */
  record Chart(
      String kind,
      String words,
      Picture picture,
      List<Style> styles,
      List<LimitLine> limits,
      LegendStyle legend,
      Pointer pointer,
      String reading,
      List<ZoneTicks> zones,
      List<List<String>> caught,
      List<AxisLook> axes,
      String cut,
      long[] nights,
      boolean beyond,
      List<Watched.Raised> raised)
      implements Drawing {
    @Override
    public Chart shown() {
      var shorter = new ArrayList<Style>();
      for (int i = 0; i < styles.size(); i++) {
        shorter.add(styles.get(i).on(picture.axisOf(picture.traces().get(i).axis())));
      }
      return new Chart(
          kind, words, picture, shorter, limits, legend, pointer, reading, zones, caught, axes, cut,
          nights, beyond, raised);
    }
  }

  /**
   * How an axis is drawn.
   *
   * @param words beside it; empty: the lines on it, where there are several
   * @param side left, right or hidden
   * @param grid whether lines run across
   * @param room px; 0: as needed
   * @param colour of its only series, or null
   * @param setting its index among the settings of further axes; -1: none is for it
   * @param scale linear, log 2, log or signed log; a limit that is dragged is read from it
   * @param linear up to which size the signed scale is about linear
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record AxisLook(
      String words,
      String side,
      boolean grid,
      double room,
      Integer colour,
      int setting,
      String scale,
      double linear) {
    static final AxisLook NONE = new AxisLook("", "hidden", false, 0, null, -1, "linear", 1);
  }

  /**
   * What the pointer tells.
   *
   * @param tells all, nearest or none
   * @param order largest first or as drawn
   * @param cursor every panel or here only
   */
  record Pointer(String tells, String order, boolean zeros, String cursor) {}

  /** Another row of labels under a time chart. */
  record ZoneTicks(String name, List<vintrel.core.picture.Axis.Tick> ticks) {}

  /**
   * How the legend is.
   *
   * @param rows seen at once; 0: as many as fit
   * @param width px; 0: as needed
   */
  record LegendStyle(
      String form, String place, List<String> shows, String sort, int rows, double width) {}

  /**
   * How a trace is drawn.
   *
   * @param draw line, area, bars or points
   * @param curve straight, smooth, step before or step after
   * @param width px
   * @param size of points, px
   * @param fill 0 to 100
   * @param base where an area or a bar begins, by bucket; null: at the axis
   * @param drawn where the values lie on a scale that is not linear or in a stack; null: at the
   *     values
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Style(
      String draw,
      String curve,
      double width,
      String dash,
      String points,
      double size,
      double fill,
      boolean envelope,
      double[] base,
      double[] drawn,
      double[] low,
      double[] high) {
    Style on(Axis axis) {
      return new Style(
          draw,
          curve,
          width,
          dash,
          points,
          size,
          fill,
          envelope,
          base == null ? null : axis.drawn(base),
          drawn == null ? null : axis.drawn(drawn),
          low == null ? null : axis.drawn(low),
          high == null ? null : axis.drawn(high));
    }
  }

  /**
   * A limit across a chart.
   *
   * @param index of the limit in the panel; -1: it is of a rule
   * @param at where it lies on the axis
   * @param text the label; empty if another label has its words
   * @param shift px of the label from the right end of the plot
   * @param row 0: the label is beside its line; from 1 on, counted from above: in that row over the
   *     plot
   * @param form line, band, both, or rule: a line of another look
   * @param course where it lies at each moment; null: at the same place
   * @param beyond whether it lies beyond the axis, so that only its label is drawn
   * @param rule the name of the rule that has this limit, or null
   * @param title of the rule, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record LimitLine(
      int index,
      double at,
      String text,
      String priority,
      boolean above,
      int shift,
      int row,
      String form,
      boolean beyondAbove,
      Course course,
      boolean beyond,
      String rule,
      String title) {}

  /** Places on the axis at times, ms. */
  record Course(long[] times, double[] values) {}

  /** Numbers side by side. */
  record Tiles(String kind, String words, List<Tile> tiles) implements Drawing {}

  /**
   * A number.
   *
   * @param name of its series, if there are several
   * @param passed the priority of the limit that it is beyond, or empty
   * @param when which minute it is of, or of what it is made; or empty
   * @param change in words, or empty
   * @param course the series behind it, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Tile(
      String name,
      String value,
      String unit,
      String passed,
      String when,
      String change,
      Picture course) {}

  /** Lines, areas and texts; what they are is told by their classes. */
  record Shapes(String kind, String words, int width, int height, List<Mark> marks)
      implements Drawing {}

  /**
   * A path or a text.
   *
   * @param look classes
   * @param path SVG path data, or null for a text
   * @param text or null
   * @param x of the text's anchor
   * @param y of its base line
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Mark(String look, String path, String text, Double x, Double y, String hint) {
    static Mark path(String look, String path) {
      return new Mark(look, path, null, null, null, null);
    }

    static Mark text(String look, double x, double y, String text) {
      return new Mark(look, null, text, Math.rint(x * 10) / 10, Math.rint(y * 10) / 10, null);
    }

    Mark hint(String words) {
      return new Mark(look, path, text, x, y, words);
    }
  }

  /**
   * A table.
   *
   * @param left how many rows more there are
   */
  record Grid(String kind, String words, List<Head> heads, List<List<Cell>> rows, int left)
      implements Drawing {}

  /**
   * @param number aligned to the right
   * @param width px, or null: as needed
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Head(String name, boolean number, Integer width) {}

  /**
   * @param sort what the column is sorted by: a number, else null for the text
   * @param bar length in percent of the column's greatest, or null
   * @param passed the priority of the limit that it is beyond, or null
   * @param href where it leads, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Cell(String text, Double sort, Double bar, String passed, String href) {}

  /**
   * A text.
   *
   * @param html safe
   */
  record Text(String kind, String words, String html) implements Drawing {}
}
