package vintrel.collector.input;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.collector.Reading;
import vintrel.core.frame.JsonPath;

/** Numbers of texts. */
final class Values {
  private Values() {}

  /**
   * Values of a JSON text by the paths of metrics, such as {@code $.battery.level} or {@code
   * battery.level}. What is absent or no number is left out; true and false are 1 and 0.
   */
  static List<Reading> json(
      String json, Map<String, String> paths, Map<String, String> labels, long time) {
    var out = new ArrayList<Reading>();
    new TreeMap<>(paths)
        .forEach(
            (metric, path) -> {
              var found = JsonPath.find(json, parts(path));
              if (found != null) {
                var value = number(found.text());
                if (!Double.isNaN(value)) {
                  out.add(
                      new Reading(
                          metric, vintrel.core.series.MetricKind.GAUGE, "", value, labels, time));
                }
              }
            });
    return out;
  }

  private static List<String> parts(String path) {
    var plain = path.startsWith("$.") ? path.substring(2) : path;
    return Arrays.asList(plain.split("\\."));
  }

  /** A number, or NaN. */
  static double number(String text) {
    var plain = text.strip();
    if (plain.equals("true") || plain.equals("false")) {
      return plain.equals("true") ? 1 : 0;
    }
    try {
      double v = Double.parseDouble(plain);
      return Double.isFinite(v) && plain.matches("[-+]?[0-9.].*") && !plain.matches(".*[dDfF]$")
          ? v
          : Double.NaN;
    } catch (NumberFormatException e) {
      return Double.NaN;
    }
  }
}
