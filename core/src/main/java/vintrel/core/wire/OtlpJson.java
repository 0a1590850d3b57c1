package vintrel.core.wire;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/**
 * OTLP metrics as JSON, already parsed to maps and lists. Same meaning as {@link OtlpProtobuf};
 * 64-bit integers may be texts or numbers, enumerations are numbers (OTLP/JSON encoding).
 */
public final class OtlpJson {
  private final Intake intake;

  private OtlpJson(Intake intake) {
    this.intake = intake;
  }

  /**
   * Reads an ExportMetricsServiceRequest.
   *
   * @throws WireException where the document is not one
   */
  public static void read(Map<?, ?> request, Intake intake) {
    var reader = new OtlpJson(intake);
    for (var rm : objects(request, "resourceMetrics")) {
      var resource = new TreeMap<String, String>();
      if (rm.get("resource") instanceof Map<?, ?> r) {
        attributes(r, resource);
      }
      for (var sm : objects(rm, "scopeMetrics")) {
        for (var metric : objects(sm, "metrics")) {
          reader.metric(metric, resource);
        }
      }
    }
  }

  private void metric(Map<?, ?> metric, TreeMap<String, String> resource) {
    String name = text(metric.get("name"));
    String unit = text(metric.get("unit"));
    if (!name.isEmpty() && metric.get("description") != null) {
      intake.describe(name, text(metric.get("description")));
    }
    for (var form : List.of("gauge", "sum", "histogram", "exponentialHistogram", "summary")) {
      if (metric.get(form) instanceof Map<?, ?> data) {
        var points = objects(data, "dataPoints");
        if (name.isEmpty()) {
          intake.refuse(points.size(), "a metric without a name");
        } else if (form.startsWith("exp") || form.equals("summary")) {
          intake.refuse(points.size(), form + " is not taken; send histograms");
        } else {
          points.forEach(p -> point(name, unit, form, data, p, resource));
        }
      }
    }
  }

  private void point(
      String name,
      String unit,
      String form,
      Map<?, ?> data,
      Map<?, ?> point,
      TreeMap<String, String> resource) {
    if (((long) number(point.get("flags"), 0) & 1) != 0) {
      return;
    }
    boolean delta = number(data.get("aggregationTemporality"), 2) == 1;
    long time = nanos(point.get("timeUnixNano")) / 1_000_000;
    long start = delta ? 0 : nanos(point.get("startTimeUnixNano")) / 1_000_000;
    var map = new TreeMap<>(resource);
    attributes(point, map);
    var labels = Labels.of(map);
    if (time <= 0) {
      intake.refuse(1, "a data point without a time");
    } else if (form.equals("histogram")) {
      histogram(name, unit, labels, point, new When(start, time), delta);
    } else {
      double value = number(point.get("asDouble"), number(point.get("asInt"), Double.NaN));
      if (point.get("asDouble") == null && point.get("asInt") == null) {
        intake.refuse(1, "a data point without a value");
        return;
      }
      boolean counter = form.equals("sum") && Boolean.TRUE.equals(data.get("isMonotonic"));
      var kind = counter ? MetricKind.COUNTER : MetricKind.GAUGE;
      put(name, labels, kind, unit, new When(counter ? start : 0, time), value, delta && counter);
    }
  }

  /** Since when a point counts (0: not said), and when it was read; ms. */
  private record When(long start, long time) {}

  private void histogram(
      String name, String unit, Labels labels, Map<?, ?> point, When time, boolean delta) {
    var counts = point.get("bucketCounts") instanceof List<?> l ? l : List.of();
    var bounds = point.get("explicitBounds") instanceof List<?> l ? l : List.of();
    if (!counts.isEmpty() && counts.size() != bounds.size() + 1) {
      intake.refuse(1, "a histogram with unlike bounds and counts");
      return;
    }
    var kind = MetricKind.HISTOGRAM;
    put(name + ".count", labels, kind, "", time, number(point.get("count"), 0), delta);
    if (point.get("sum") != null) {
      put(name + ".sum", labels, kind, unit, time, number(point.get("sum"), 0), delta);
    }
    double running = 0;
    for (int i = 0; i < counts.size(); i++) {
      running += number(counts.get(i), 0);
      double bound =
          i < bounds.size() ? number(bounds.get(i), Double.NaN) : Double.POSITIVE_INFINITY;
      var le = labels.with("le", OtlpNames.bound(bound));
      put(name + ".bucket", le, kind, "", time, running, delta);
    }
  }

  private void put(
      String name,
      Labels labels,
      MetricKind kind,
      String unit,
      When when,
      double value,
      boolean delta) {
    int id = intake.series(new SeriesKey(name, labels), kind, unit);
    if (when.start() > 0) {
      intake.began(id, when.start(), when.time());
    }
    intake.sample(id, when.time(), delta ? intake.total(id, value) : value);
  }

  static void attributes(Map<?, ?> holder, TreeMap<String, String> into) {
    for (var pair : objects(holder, "attributes")) {
      if (pair.get("value") instanceof Map<?, ?> v) {
        for (var form : List.of("stringValue", "boolValue", "intValue", "doubleValue")) {
          if (v.get(form) != null) {
            into.put(OtlpNames.label(text(pair.get("key"))), v.get(form).toString());
          }
        }
      }
    }
  }

  @SuppressWarnings("unchecked")
  static List<Map<?, ?>> objects(Map<?, ?> holder, String name) {
    var value = holder.get(name);
    if (value == null) {
      return List.of();
    }
    if (value instanceof List<?> list && list.stream().allMatch(Map.class::isInstance)) {
      return (List<Map<?, ?>>) (List<?>) list;
    }
    throw new WireException("'" + name + "' must be a list of objects");
  }

  static String text(Object o) {
    return o == null ? "" : o.toString();
  }

  /** Exact for nanoseconds, which a double can't hold. */
  static long nanos(Object o) {
    if (o instanceof Long n) {
      return n;
    }
    try {
      return o == null ? 0 : new java.math.BigDecimal(o.toString()).longValueExact();
    } catch (NumberFormatException | ArithmeticException e) {
      throw new WireException("'" + o + "' is not a time in nanoseconds");
    }
  }

  static double number(Object o, double otherwise) {
    if (o == null) {
      return otherwise;
    }
    if (o instanceof Number n) {
      return n.doubleValue();
    }
    return switch (o.toString()) {
      case "NaN" -> Double.NaN;
      case "Infinity" -> Double.POSITIVE_INFINITY;
      case "-Infinity" -> Double.NEGATIVE_INFINITY;
      default -> {
        try {
          yield Double.parseDouble(o.toString());
        } catch (NumberFormatException e) {
          throw new WireException("'" + o + "' is not a number");
        }
      }
    };
  }
}
