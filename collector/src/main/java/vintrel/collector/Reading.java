package vintrel.collector;

import java.util.Map;
import vintrel.core.series.MetricKind;

/**
 * One value.
 *
 * @param unit a UCUM code
 * @param time ms since the epoch; 0: when the input was read
 */
public record Reading(
    String metric,
    MetricKind kind,
    String unit,
    double value,
    Map<String, String> labels,
    long time) {
  public static Reading gauge(
      String metric, String unit, double value, Map<String, String> labels) {
    return new Reading(metric, MetricKind.GAUGE, unit, value, labels, 0);
  }

  public static Reading counter(
      String metric, String unit, double value, Map<String, String> labels) {
    return new Reading(metric, MetricKind.COUNTER, unit, value, labels, 0);
  }

  public boolean counter() {
    return kind == MetricKind.COUNTER || kind == MetricKind.HISTOGRAM;
  }
}
