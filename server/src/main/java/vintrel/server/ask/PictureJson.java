package vintrel.server.ask;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.DoubleStream;
import java.util.stream.IntStream;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;
import vintrel.core.picture.PointTexts;
import vintrel.core.picture.Readout;
import vintrel.core.unit.Units;

/**
 * A picture as JSON for the chart script; fields without a value are left out.
 *
 * @param suffix the unit that all readouts share, with its space; else empty
 * @param second the axis at the right, or null
 * @param more further axes, from the number 2 on, or null
 */
@JsonInclude(JsonInclude.Include.NON_NULL)
public record PictureJson(
    long from,
    long to,
    List<Axis.Tick> timeTicks,
    AxisJson axis,
    AxisJson second,
    List<FurtherJson> more,
    String suffix,
    List<TraceJson> traces) {
  private static final int WORDY = 4;

  /**
   * @param note the unit, if the ticks leave it out
   * @param lines the lines on this axis, if there are several axes; else empty
   */
  public record AxisJson(
      double min, double max, List<Axis.Tick> ticks, String note, String lines) {}

  /** A further axis, as the first two. */
  public record FurtherJson(
      double min, double max, List<Axis.Tick> ticks, String note, String lines) {}

  /**
   * What the pointer tells of each bucket: texts with {@link PointTexts#BETWEEN} between them.
   *
   * @param ranges "least to greatest", or null
   * @param shares percentages of a stack, or null
   * @param suffix the unit with its space, behind values and ranges
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record ToldJson(String values, String ranges, String shares, String suffix) {}

  /**
   * A line.
   *
   * @param axis 1 for the second axis, 2 and more for further ones; else null
   * @param earlier true if it shows an earlier range; else null
   * @param joined indexes of missing buckets over which the line goes on, or null
   * @param partial which end buckets are only partly inside the range, or null
   * @param times bucket starts, or the index of an earlier trace that has the same
   * @param values as exact as they can be drawn, as are the others
   * @param low minimum raw values, or null
   * @param readout last, min, max, mean, sum and p95 as texts
   * @param count of the values that there are
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record TraceJson(
      String name,
      int colour,
      Integer axis,
      Boolean earlier,
      int[] joined,
      Frame.Partial partial,
      Object times,
      NumbersJson values,
      NumbersJson low,
      NumbersJson high,
      List<String> readout,
      String unit,
      long count,
      SizesJson sizes,
      ToldJson told) {}

  /** The readout as numbers, to be sorted by; null where there is none. */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  public record SizesJson(
      Double last, Double min, Double max, Double mean, Double sum, long count, Double p95) {
    static SizesJson of(Readout r) {
      return new SizesJson(
          finite(r.last()),
          finite(r.min()),
          finite(r.max()),
          finite(r.mean()),
          finite(r.sum()),
          r.count(),
          finite(r.p95()));
    }

    private static Double finite(double v) {
      return Double.isFinite(v) ? v : null;
    }
  }

  public static PictureJson of(Picture p) {
    boolean two = p.second() != null;
    var more = new ArrayList<FurtherJson>();
    for (int n = 2; n < 2 + p.more().size(); n++) {
      var a = axis(p, n);
      more.add(new FurtherJson(a.min, a.max, a.ticks, a.note, a.lines));
    }
    var texts = p.traces().stream().map(t -> readout(t, p)).toList();
    var suffix = commonSuffix(texts);
    var traces = new ArrayList<TraceJson>();
    var told = IntStream.range(0, 2 + p.more().size()).mapToObj(n -> PointTexts.of(p, n)).toList();
    for (int i = 0; i < texts.size(); i++) {
      // Units of two axes have a column; one unit of different sizes stays with its numbers.
      boolean column = suffix.isEmpty() && (two || !more.isEmpty());
      var own = column ? commonSuffix(List.of(texts.get(i))) : suffix;
      var t = p.traces().get(i);
      var readout = new ArrayList<>(cut(texts.get(i), own));
      // A sum may be of another size than the rest: it keeps its unit then.
      var unit = p.unitOf(t.axis());
      for (double v : new double[] {t.readout().sum(), t.readout().p95()}) {
        readout.addAll(cut(List.of(Units.format(v, p.stepOf(t.axis()), unit)), own));
      }
      traces.add(trace(p, i, readout, own.strip(), told.get(t.axis())));
    }
    return new PictureJson(
        p.from(),
        p.to(),
        p.timeTicks(),
        axis(p, 0),
        two ? axis(p, 1) : null,
        more.isEmpty() ? null : more,
        suffix,
        traces);
  }

  private static AxisJson axis(Picture p, int which) {
    var from = p.axisOf(which);
    // A stack in percent has another unit than its series.
    boolean stacked = p.traces().stream().anyMatch(t -> t.axis() == which && t.shares() != null);
    var unit = stacked ? "%" : p.unitOf(which);
    boolean wordy = Units.words(unit).length() > WORDY;
    return new AxisJson(
        from.min(),
        from.max(),
        wordy ? bare(from) : from.ticks(),
        wordy ? from.scale().suffix().strip() : "",
        p.second() == null && p.more().isEmpty() ? "" : String.join(", ", p.lines(which)));
  }

  /** Ticks without a unit that would take more room than the numbers. */
  private static List<Axis.Tick> bare(Axis axis) {
    int suffix = axis.scale().suffix().length();
    return axis.ticks().stream()
        .map(t -> new Axis.Tick(t.at(), t.text().substring(0, t.text().length() - suffix)))
        .toList();
  }

  /** Last, min, max and mean as texts. */
  private static List<String> readout(Picture.Trace t, Picture p) {
    var r = t.readout();
    double step = p.stepOf(t.axis());
    return DoubleStream.of(r.last(), r.min(), r.max(), r.mean())
        .mapToObj(v -> Units.format(v, step, p.unitOf(t.axis())))
        .toList();
  }

  /** The unit that all texts end with, blank first, or nothing if they differ. */
  private static String commonSuffix(List<List<String>> texts) {
    String common = null;
    for (var text : texts.stream().flatMap(List::stream).toList()) {
      int space = text.indexOf(' ');
      var suffix = space < 0 ? "" : text.substring(space);
      if (text.equals("–") || text.equals("0" + suffix) && common == null) {
        continue;
      }
      if (common != null && !common.equals(suffix)) {
        return "";
      }
      common = suffix;
    }
    return common == null ? "" : common;
  }

  private static List<String> cut(List<String> texts, String suffix) {
    return texts.stream()
        .map(t -> t.endsWith(suffix) ? t.substring(0, t.length() - suffix.length()) : t)
        .toList();
  }

  private static TraceJson trace(
      Picture p, int index, List<String> readout, String unit, PointTexts told) {
    var t = p.traces().get(index);
    boolean cut = t.partial().first() || t.partial().last();
    return new TraceJson(
        t.name(),
        t.colour(),
        t.axis() > 0 ? t.axis() : null,
        t.earlier() ? true : null,
        t.joined().length > 0 ? t.joined() : null,
        cut ? t.partial() : null,
        times(p.traces(), index),
        FrameJson.numbers(p.shown(t, t.values())),
        t.low() == null ? null : FrameJson.numbers(p.shown(t, t.low())),
        t.low() == null ? null : FrameJson.numbers(p.shown(t, t.high())),
        readout,
        unit,
        t.readout().count(),
        SizesJson.of(t.readout()),
        new ToldJson(
            told.values(t.values()),
            t.low() == null ? null : told.ranges(t.low(), t.high()),
            t.shares() == null ? null : PointTexts.shares(t.shares()),
            told.scale().suffix()));
  }

  private static Object times(List<Picture.Trace> traces, int index) {
    var own = traces.get(index).times();
    for (int i = 0; i < index; i++) {
      if (Arrays.equals(traces.get(i).times(), own)) {
        return i;
      }
    }
    return own;
  }
}
