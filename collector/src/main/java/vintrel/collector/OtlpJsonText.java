package vintrel.collector;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;

/** Readings as an OTLP/JSON request. */
final class OtlpJsonText {
  private OtlpJsonText() {}

  /**
   * @param resource labels of all readings; {@code host} is sent as host.name
   * @param time ms since the epoch
   */
  static String request(List<Input.Reading> readings, Map<String, String> resource, long time) {
    var metrics = readings.stream().map(r -> metric(r, time)).collect(Collectors.joining(","));
    return "{\"resourceMetrics\":[{\"resource\":{\"attributes\":"
        + attributes(resource)
        + "},\"scopeMetrics\":[{\"metrics\":["
        + metrics
        + "]}]}]}";
  }

  private static String metric(Input.Reading r, long time) {
    var point =
        "\"dataPoints\":[{\"timeUnixNano\":\"%d000000\",\"asDouble\":%s,\"attributes\":%s}]"
            .formatted(time, number(r.value()), attributes(r.labels()));
    var data =
        r.counter()
            ? "\"sum\":{\"isMonotonic\":true,\"aggregationTemporality\":2," + point + "}"
            : "\"gauge\":{" + point + "}";
    return "{\"name\":" + quote(r.metric()) + ",\"unit\":" + quote(r.unit()) + "," + data + "}";
  }

  private static String number(double v) {
    return Double.isFinite(v) ? String.format(Locale.ROOT, "%s", v) : "\"NaN\"";
  }

  private static String attributes(Map<String, String> labels) {
    return new TreeMap<>(labels)
        .entrySet().stream()
            .map(
                e ->
                    "{\"key\":"
                        + quote(e.getKey().equals("host") ? "host.name" : e.getKey())
                        + ",\"value\":{\"stringValue\":"
                        + quote(e.getValue())
                        + "}}")
            .collect(Collectors.joining(",", "[", "]"));
  }

  static String quote(String s) {
    var out = new StringBuilder("\"");
    for (char c : s.toCharArray()) {
      if (c == '"' || c == '\\') {
        out.append('\\').append(c);
      } else if (c < ' ') {
        out.append("\\u%04x".formatted((int) c));
      } else {
        out.append(c);
      }
    }
    return out.append('"').toString();
  }
}
