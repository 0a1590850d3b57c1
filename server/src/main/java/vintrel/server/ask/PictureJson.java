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
    var axis = new LinkedHashMap<String, Object>();
    axis.put("min", p.axis().min());
    axis.put("max", p.axis().max());
    boolean wordy = Units.words(p.unit()).length() > WORDY;
    axis.put("ticks", wordy ? bare(p.axis()) : p.axis().ticks());
    axis.put("note", wordy ? p.axis().scale().suffix().strip() : "");
    out.put("axis", axis);
    var texts = p.traces().stream().map(t -> readout(t, p.unit())).toList();
    var suffix = commonSuffix(texts);
    out.put("suffix", suffix);
    var traces = new ArrayList<Map<String, Object>>();
    for (int i = 0; i < texts.size(); i++) {
      traces.add(trace(p.traces().get(i), cut(texts.get(i), suffix)));
    }
    out.put("traces", traces);
    double size =
        p.traces().stream()
            .mapToDouble(t -> Math.max(Math.abs(t.readout().max()), Math.abs(t.readout().min())))
            .filter(v -> !Double.isNaN(v))
            .max()
            .orElse(1);
    var scale = Units.scale(size, 0, p.unit());
    out.put(
        "scale",
        Map.of(
            "divisor",
            scale.divisor(),
            "decimals",
            Math.max(scale.decimals(), 2),
            "suffix",
            scale.suffix()));
    return out;
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

  private static Map<String, Object> trace(Picture.Trace t, List<String> readout) {
    var out = new LinkedHashMap<String, Object>();
    out.put("name", t.name());
    out.put("colour", t.colour());
    out.put("times", t.times());
    out.put("values", FrameJson.numbers(t.values()));
    if (t.low() != null) {
      out.put("low", FrameJson.numbers(t.low()));
      out.put("high", FrameJson.numbers(t.high()));
    }
    out.put("readout", readout);
    return out;
  }
}
