package vintrel.server.ask;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;

/**
 * A frame as the API writes it: columns with their values side by side; a missing number is null.
 *
 * @param values an array per column
 * @param partial which end buckets are only partly inside the range; null for a table
 */
@JsonInclude(JsonInclude.Include.NON_NULL)
record FrameJson(
    String name, List<ColumnJson> columns, List<Object> values, Frame.Partial partial) {

  /**
   * @param type time, number or text
   * @param unit of numbers; else null
   * @param labels of numbers; else null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record ColumnJson(String name, String type, String unit, Map<String, String> labels) {}

  /** A frame of the range [from, to). */
  static FrameJson of(Frame frame, long from, long to) {
    var columns = new ArrayList<ColumnJson>();
    var values = new ArrayList<Object>();
    for (var column : frame.columns()) {
      switch (column) {
        case Column.Time t -> {
          columns.add(new ColumnJson(t.name(), "time", null, null));
          values.add(times(t.values()));
        }
        case Column.Number n -> {
          columns.add(new ColumnJson(n.name(), "number", n.unit(), n.labels().asMap()));
          values.add(numbers(n.values()));
        }
        case Column.Text t -> {
          columns.add(new ColumnJson(t.name(), "text", null, null));
          values.add(t.values());
        }
      }
    }
    var partial = frame.drawable() ? frame.partial(from, to) : null;
    return new FrameJson(frame.name(), columns, values, partial);
  }

  static NumbersJson numbers(double[] values) {
    return new NumbersJson(values);
  }

  /** Missing times are null. */
  private static Object times(long[] values) {
    boolean missing = Arrays.stream(values).anyMatch(t -> t == Long.MIN_VALUE);
    return missing
        ? Arrays.stream(values).mapToObj(t -> t == Long.MIN_VALUE ? null : t).toList()
        : values;
  }
}
