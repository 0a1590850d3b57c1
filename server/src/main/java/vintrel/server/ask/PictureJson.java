package vintrel.server.ask;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.DoubleStream;
import vintrel.core.picture.Axis;
import vintrel.core.picture.Picture;
import vintrel.core.unit.Units;

/** A picture as the chart script takes it. */
public final class PictureJson {
  private static final int WORDY = 4;

  private PictureJson() {}

  public static Map<String, Object> of(Picture p) {
    var out = new LinkedHashMap<String, Object>();
    out.put("from", p.from());
    out.put("to", p.to());
    out.put("timeTicks", p.timeTicks());
    out.put("axis", axis(p, 0));
    if (p.second() != null) {
      out.put("second", axis(p, 1));
      out.put("secondScale", scale(p, 1, p.secondUnit()));
    }
    var texts =
        p.traces().stream()
            .map(t -> readout(t, t.axis() == 1 ? p.secondUnit() : p.unit()))
            .toList();
    var suffix = commonSuffix(texts);
    out.put("suffix", suffix);
    var traces = new ArrayList<Map<String, Object>>();
    for (int i = 0; i < texts.size(); i++) {
      // Units of two axes stand in a column; one unit of different sizes stays with its numbers.
      boolean column = suffix.isEmpty() && p.second() != null;
      var own = column ? commonSuffix(List.of(texts.get(i))) : suffix;
      traces.add(trace(p.traces().get(i), cut(texts.get(i), own), own.strip()));
    }
    out.put("traces", traces);
    out.put("scale", scale(p, 0, p.unit()));
    return out;
  }

  /** {@code note} is the unit where ticks leave it out; {@code lines} are said of two axes. */
  private static Map<String, Object> axis(Picture p, int which) {
    var from = which == 0 ? p.axis() : p.second();
    var unit = which == 0 ? p.unit() : p.secondUnit();
    var axis = new LinkedHashMap<String, Object>();
    axis.put("min", from.min());
    axis.put("max", from.max());
    boolean wordy = Units.words(unit).length() > WORDY;
    axis.put("ticks", wordy ? bare(from) : from.ticks());
    axis.put("note", wordy ? from.scale().suffix().strip() : "");
    axis.put("lines", p.second() == null ? "" : String.join(", ", p.lines(which)));
    return axis;
  }

  /** How the script writes single values of an axis. */
  private static Map<String, Object> scale(Picture p, int axis, String unit) {
    double size =
        p.traces().stream()
            .filter(t -> t.axis() == axis)
            .mapToDouble(t -> Math.max(Math.abs(t.readout().max()), Math.abs(t.readout().min())))
            .filter(v -> !Double.isNaN(v))
            .max()
            .orElse(1);
    var scale = Units.scale(size, 0, unit);
    return Map.of(
        "divisor",
        scale.divisor(),
        "decimals",
        Math.max(scale.decimals(), 2),
        "suffix",
        scale.suffix());
  }

  /** Ticks without a unit that would take more room than the numbers. */
  private static List<Axis.Tick> bare(Axis axis) {
    int suffix = axis.scale().suffix().length();
    return axis.ticks().stream()
        .map(t -> new Axis.Tick(t.at(), t.text().substring(0, t.text().length() - suffix)))
        .toList();
  }

  /** Last, min, max and mean as texts. */
  private static List<String> readout(Picture.Trace t, String unit) {
    var r = t.readout();
    return DoubleStream.of(r.last(), r.min(), r.max(), r.mean())
        .mapToObj(v -> Units.format(v, unit))
        .toList();
  }

  /** The unit that all texts end with, blank first, or nothing where they differ. */
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

  private static Map<String, Object> trace(Picture.Trace t, List<String> readout, String unit) {
    var out = new LinkedHashMap<String, Object>();
    out.put("name", t.name());
    out.put("colour", t.colour());
    if (t.axis() == 1) {
      out.put("axis", 1);
    }
    if (t.earlier()) {
      out.put("earlier", true);
    }
    if (t.joined().length > 0) {
      out.put("joined", t.joined());
    }
    if (t.partial().first() || t.partial().last()) {
      out.put("partial", t.partial());
    }
    out.put("times", t.times());
    out.put("values", FrameJson.numbers(t.values()));
    if (t.low() != null) {
      out.put("low", FrameJson.numbers(t.low()));
      out.put("high", FrameJson.numbers(t.high()));
    }
    out.put("readout", readout);
    out.put("unit", unit);
    return out;
  }
}
