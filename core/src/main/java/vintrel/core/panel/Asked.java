package vintrel.core.panel;

import java.time.ZoneId;
import java.util.List;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Palette;
import vintrel.core.query.compute.Answer;
import vintrel.core.unit.Units;

/**
 * An answer with what a kind needs to know to draw it.
 *
 * @param lines the shown lines of the answer
 * @param frames the same as tables
 * @param earlier the frames of an earlier time, at their own times; empty if none was asked for
 * @param from start of the range, ms since the epoch
 * @param to its end, exclusive
 * @param unit that overrides the data's own; empty: none
 * @param width of the panel's body, px
 * @param height of the panel's body, px
 * @param plotWidth of the plot between its axes, px, as far as it is known
 * @param plotHeight of the same
 * @param palette shared by the panels of one page
 * @param watched by rules
 */
public record Asked(
    List<Answer.LineAnswer> lines,
    List<Frame> frames,
    List<Frame> earlier,
    long from,
    long to,
    ZoneId zone,
    String unit,
    List<Limit> limits,
    int width,
    int height,
    int plotWidth,
    int plotHeight,
    Palette palette,
    Watched watched) {

  /** What no rule watches. */
  public Asked(
      List<Answer.LineAnswer> lines,
      List<Frame> frames,
      List<Frame> earlier,
      long from,
      long to,
      ZoneId zone,
      String unit,
      List<Limit> limits,
      int width,
      int height,
      int plotWidth,
      int plotHeight,
      Palette palette) {
    this(
        lines,
        frames,
        earlier,
        from,
        to,
        zone,
        unit,
        limits,
        width,
        height,
        plotWidth,
        plotHeight,
        palette,
        Watched.NONE);
  }

  /** The same, watched by rules. */
  public Asked watchedBy(Watched rules) {
    return new Asked(
        lines,
        frames,
        earlier,
        from,
        to,
        zone,
        unit,
        limits,
        width,
        height,
        plotWidth,
        plotHeight,
        palette,
        rules);
  }

  /** The unit of a column as this panel writes it. */
  String unitOf(String own) {
    return Units.known(unit) ? unit : own;
  }
}
