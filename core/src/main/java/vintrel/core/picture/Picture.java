package vintrel.core.picture;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.unit.Units;

/**
 * A time chart, ready to be drawn: axes with ticks, traces with colours and readouts.
 *
 * @param from left edge, ms since the epoch
 * @param to right edge
 */
public record Picture(
    long from, long to, List<Axis.Tick> timeTicks, Axis axis, String unit, List<Trace> traces) {

  /**
   * @param colour a number of the palette, from 0
   * @param times bucket starts, ms
   * @param low envelope, or null
   */
  public record Trace(
      String name,
      int colour,
      long[] times,
      double[] values,
      double[] low,
      double[] high,
      Readout readout) {}

  /**
   * @param unit overrides the data's own unit where it is not empty
   * @param limits values that must be visible too
   * @param palette shared by the pictures of one page
   * @param width pixels, for the number of ticks
   */
  public static Picture of(
      List<Frame> frames,
      long from,
      long to,
      ZoneId zone,
      String unit,
      double[] limits,
      int width,
      int height,
      Palette palette) {
    var traces = new ArrayList<Trace>();
    double low = Double.POSITIVE_INFINITY;
    double high = Double.NEGATIVE_INFINITY;
    String found = unit;
    var colours = palette.picture();
    for (var frame : frames) {
      var times = ((Column.Time) frame.columns().getFirst()).values();
      for (var n : frame.numbers()) {
        found = Units.known(found) ? found : n.unit();
        var readout = Readout.of(n.values(), n.low(), n.high());
        if (!Double.isNaN(readout.last())) {
          low = Math.min(low, readout.min());
          high = Math.max(high, readout.max());
        }
        int colour = colours.colour(key(frame, n));
        traces.add(new Trace(n.name(), colour, times, n.values(), n.low(), n.high(), readout));
      }
    }
    for (double limit : limits) {
      if (low <= high) {
        low = Math.min(low, limit);
        high = Math.max(high, limit);
      }
    }
    return new Picture(
        from,
        to,
        Axis.times(from, to, zone, Math.max(2, width / 90)),
        Axis.values(low, high, found, Math.max(2, height / 45)),
        found,
        traces);
  }

  /** Series with labels are known by them alone, so that they keep their colour across panels. */
  private static String key(Frame frame, Column.Number n) {
    return n.labels().isEmpty() ? frame.name() + "|" + n.name() : n.labels().toString();
  }
}
