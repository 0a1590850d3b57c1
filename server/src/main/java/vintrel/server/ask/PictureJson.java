package vintrel.server.ask;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.picture.Picture;
import vintrel.core.unit.Units;

/** A picture as the chart script takes it. */
public final class PictureJson {
  private PictureJson() {}

  public static Map<String, Object> of(Picture p) {
    var out = new LinkedHashMap<String, Object>();
    out.put("from", p.from());
    out.put("to", p.to());
    out.put("timeTicks", p.timeTicks());
    var axis = new LinkedHashMap<String, Object>();
    axis.put("min", p.axis().min());
    axis.put("max", p.axis().max());
    axis.put("ticks", p.axis().ticks());
    out.put("axis", axis);
    var traces = new ArrayList<Map<String, Object>>();
    for (var t : p.traces()) {
      traces.add(trace(t, p.unit()));
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

  private static Map<String, Object> trace(Picture.Trace t, String unit) {
    var out = new LinkedHashMap<String, Object>();
    out.put("name", t.name());
    out.put("colour", t.colour());
    out.put("times", t.times());
    out.put("values", FrameJson.numbers(t.values()));
    if (t.low() != null) {
      out.put("low", FrameJson.numbers(t.low()));
      out.put("high", FrameJson.numbers(t.high()));
    }
    var r = t.readout();
    out.put(
        "readout",
        List.of(
            Units.format(r.last(), unit),
            Units.format(r.min(), unit),
            Units.format(r.max(), unit),
            Units.format(r.mean(), unit)));
    return out;
  }
}
