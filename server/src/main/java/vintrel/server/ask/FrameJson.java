package vintrel.server.ask;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.Map;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;

/**
 * Frames as the API writes them: columns with their values side by side; a missing number is null.
 */
final class FrameJson {
  private FrameJson() {}

  static Map<String, Object> of(Frame frame) {
    var columns = new ArrayList<Map<String, Object>>();
    var values = new ArrayList<Object>();
    for (var column : frame.columns()) {
      var c = new LinkedHashMap<String, Object>();
      c.put("name", column.name());
      switch (column) {
        case Column.Time t -> {
          c.put("type", "time");
          values.add(times(t.values()));
        }
        case Column.Number n -> {
          c.put("type", "number");
          c.put("unit", n.unit());
          c.put("labels", n.labels().asMap());
          values.add(numbers(n.values()));
        }
        case Column.Text t -> {
          c.put("type", "text");
          values.add(t.values());
        }
      }
      columns.add(c);
    }
    var out = new LinkedHashMap<String, Object>();
    out.put("name", frame.name());
    out.put("columns", columns);
    out.put("values", values);
    return out;
  }

  /** The same with which buckets are only partly inside [from, to). */
  static Map<String, Object> of(Frame frame, long from, long to) {
    var out = of(frame);
    if (frame.drawable()) {
      out.put("partial", frame.partial(from, to));
    }
    return out;
  }

  static NumbersJson numbers(double[] values) {
    return new NumbersJson(values);
  }

  /** Missing times are null. */
  private static Object times(long[] values) {
    for (long v : values) {
      if (v == Long.MIN_VALUE) {
        return java.util.Arrays.stream(values)
            .mapToObj(t -> t == Long.MIN_VALUE ? null : t)
            .toList();
      }
    }
    return values;
  }
}
