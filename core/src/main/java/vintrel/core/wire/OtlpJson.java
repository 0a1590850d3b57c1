package vintrel.core.wire;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/**
 * OTLP metrics as JSON, already parsed to maps and lists. Same meaning as {@link OtlpProtobuf};
 * 64-bit integers may be texts or numbers, enumerations are numbers (OTLP/JSON encoding).
 */
public final class OtlpJson {
  /** Digits of a time, with signs and exponents. */
  private static final int MAX_DIGITS = 40;

  private static final int QUOTED = 60;

  private final SampleSink intake;

  private OtlpJson(SampleSink intake) {
    this.intake = intake;
  }

  /**
   * Reads an ExportMetricsServiceRequest.
   *
   * @throws WireException if the document is not one
   */
  public static void read(Map<?, ?> request, SampleSink intake) {
    var reader = new OtlpJson(intake);
    for (var rm : objects(request, "resourceMetrics")) {
      var resource = Shared.of(object(rm, "resource"), intake);
      for (var sm : objects(rm, "scopeMetrics")) {
        var scope = Shared.of(object(sm, "scope"), null);
        for (var metric : objects(sm, "metrics")) {
          reader.metric(metric, resource, scope);
        }
      }
    }
  }

  private static final List<String> FORMS =
      List.of("gauge", "sum", "histogram", "exponentialHistogram", "summary");

  /** Forms whose points are one number. */
  private static final List<String> SINGLE = List.of("gauge", "sum");

  /** What the points of a metric share. */
  private record Metric(
      String name, String unit, String form, Map<?, ?> data, Shared resource, Shared scope) {
    boolean delta() {
      return !form.equals("gauge")
          && !form.equals("summary")
          && number(data.get("aggregationTemporality"), 2) == 1;
    }

    Labels labels(Map<?, ?> point) {
      var out = new OtlpNames();
      out.resource.putAll(resource.attributes());
      out.scopeName = text(scope.of().get("name"));
      out.scopeVersion = text(scope.of().get("version"));
      out.scope.putAll(scope.attributes());
      attributes(point, out.point);
      return out.labels();
    }
  }

  /** A resource or a scope; its attributes are read once for all points that it holds. */
  private record Shared(Map<?, ?> of, TreeMap<String, String> attributes) {
    /**
     * @param sink for resources; null for a scope, whose attributes all become labels
     */
    static Shared of(Map<?, ?> holder, SampleSink sink) {
      var attributes = new TreeMap<String, String>();
      OtlpJson.attributes(holder, attributes);
      return new Shared(
          holder,
          sink == null ? attributes : new TreeMap<>(sink.resources().labels(attributes, sink)));
    }

    boolean tooLarge() {
      return Admission.fault("a", Labels.of(attributes), "") != null;
    }
  }

  private static Map<?, ?> object(Map<?, ?> holder, String name) {
    return holder.get(name) instanceof Map<?, ?> m ? m : Map.of();
  }

  private void metric(Map<?, ?> metric, Shared resource, Shared scope) {
    String name = text(metric.get("name"));
    String unit = OtlpNames.unit(text(metric.get("unit")));
    for (var form : FORMS) {
      if (metric.get(form) instanceof Map<?, ?> data) {
        var points = objects(data, "dataPoints");
        if (name.isEmpty()) {
          intake.refuse(points.size(), "a metric without a name");
          continue;
        }
        if (resource.tooLarge() || scope.tooLarge()) {
          intake.refuse(name, points.size(), "a resource or scope with too many labels");
          continue;
        }
        if (metric.get("description") != null) {
          var text = text(metric.get("description"));
          boolean histogram = form.endsWith("istogram");
          OtlpNames.describe(intake, name, histogram, form.equals("summary"), text);
        }
        var m = new Metric(name, unit, form, data, resource, scope);
        points.forEach(p -> point(m, p));
      }
    }
  }

  private void point(Metric m, Map<?, ?> point) {
    for (var e : objects(point, "exemplars")) {
      intake.take(
          Exemplar.of(
              m.name(),
              m.labels(point),
              nanos(e.get("timeUnixNano")) / 1_000_000,
              number(e.get("asDouble"), number(e.get("asInt"), Double.NaN)),
              text(e.get("traceId")),
              text(e.get("spanId"))));
    }
    boolean ends = ((long) number(point.get("flags"), 0) & 1) != 0;
    if (ends && !SINGLE.contains(m.form())) {
      return;
    }
    long time = nanos(point.get("timeUnixNano")) / 1_000_000;
    long start = nanos(point.get("startTimeUnixNano")) / 1_000_000;
    if (time <= 0) {
      intake.refuse(m.name(), 1, "a data point without a time");
      return;
    }
    var when = new When(start, time);
    switch (m.form()) {
      case "histogram" -> histogram(m, point, when);
      case "exponentialHistogram" -> exponential(m, point, when);
      case "summary" -> summary(m, point, when);
      default -> {
        if (!ends && point.get("asDouble") == null && point.get("asInt") == null) {
          intake.refuse(m.name(), 1, "a data point without a value");
          return;
        }
        double value = number(point.get("asDouble"), number(point.get("asInt"), Double.NaN));
        boolean grows = m.form().equals("sum") && Boolean.TRUE.equals(m.data().get("isMonotonic"));
        var kind = grows ? MetricKind.COUNTER : MetricKind.GAUGE;
        int id = intake.series(new SeriesKey(m.name(), m.labels(point)), kind, m.unit());
        if (ends) {
          intake.sample(id, when.time(), Double.NaN);
        } else {
          put(m, id, grows, when, value);
        }
      }
    }
  }

  /** When a point's count started (0: unknown), and when it was read; ms. */
  private record When(long start, long time) {}

  private static Distribution distribution(Map<?, ?> point) {
    var d = new Distribution();
    d.count = number(point.get("count"), Double.NaN);
    d.sum = number(point.get("sum"), Double.NaN);
    d.min = number(point.get("min"), Double.NaN);
    d.max = number(point.get("max"), Double.NaN);
    return d;
  }

  private Distribution.Part parts(Metric m, Map<?, ?> point, When when) {
    var labels = m.labels(point);
    return new Distribution.Part() {
      private int id(String suffix, String label, String value, boolean total) {
        return OtlpNames.series(intake, m.name(), m.unit(), labels, suffix, label, value, total);
      }

      @Override
      public void put(String suffix, String label, String value, boolean total, double number) {
        OtlpJson.this.put(m, id(suffix, label, value, total), total, when, number);
      }

      @Override
      public void join(String bound, String beside, boolean lower) {
        int other = id("bucket", "le", beside, true);
        intake.joins(id("bucket", "le", bound, true), other, lower, when.time());
      }
    };
  }

  private void histogram(Metric m, Map<?, ?> point, When when) {
    var d = distribution(point);
    d.count = Double.isNaN(d.count) ? 0 : d.count;
    d.counts = numbers(point.get("bucketCounts"));
    d.bounds = numbers(point.get("explicitBounds"));
    if (d.unfit() == null) {
      d.histogram(parts(m, point, when));
    } else {
      intake.refuse(m.name(), 1, d.unfit());
    }
  }

  private void exponential(Metric m, Map<?, ?> point, When when) {
    var d = distribution(point);
    d.scale = (int) number(point.get("scale"), 0);
    d.zeroCount = number(point.get("zeroCount"), 0);
    d.zeroThreshold = number(point.get("zeroThreshold"), 0);
    var positive = object(point, "positive");
    d.positiveOffset = (int) number(positive.get("offset"), 0);
    d.positive = numbers(positive.get("bucketCounts"));
    var negative = object(point, "negative");
    d.negativeOffset = (int) number(negative.get("offset"), 0);
    d.negative = numbers(negative.get("bucketCounts"));
    if (d.fault() != null) {
      intake.refuse(m.name(), 1, d.fault());
      return;
    }
    var buckets = new SeriesKey(m.name() + ".bucket", m.labels(point));
    d.exponential(parts(m, point, when), () -> intake.bounds(buckets), m.delta());
  }

  private void summary(Metric m, Map<?, ?> point, When when) {
    var d = distribution(point);
    var quantiles = objects(point, "quantileValues");
    if (quantiles.size() > Distribution.MAX_QUANTILES) {
      intake.refuse(m.name(), 1, Distribution.QUANTILES);
      return;
    }
    d.quantiles = quantiles.stream().mapToDouble(q -> number(q.get("quantile"), 0)).toArray();
    d.values = quantiles.stream().mapToDouble(q -> number(q.get("value"), 0)).toArray();
    d.summary(parts(m, point, when));
  }

  private static double[] numbers(Object list) {
    return list instanceof List<?> l
        ? l.stream().mapToDouble(v -> number(v, 0)).toArray()
        : new double[0];
  }

  private void put(Metric m, int id, boolean grows, When when, double value) {
    if (m.delta()) {
      intake.difference(id, when.start(), when.time(), value, grows);
      return;
    }
    if (grows && when.start() > 0) {
      intake.began(id, when.start(), when.time());
    }
    intake.sample(id, when.time(), value);
  }

  static void attributes(Map<?, ?> holder, TreeMap<String, String> into) {
    for (var pair : objects(holder, "attributes")) {
      var name = text(pair.get("key"));
      if (!name.isEmpty()) {
        into.put(OtlpNames.label(name), OtlpLogs.attribute(pair.get("value")));
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
    var text = text(o);
    try {
      if (text.length() <= MAX_DIGITS) {
        return o == null ? 0 : new java.math.BigDecimal(text).longValueExact();
      }
    } catch (NumberFormatException | ArithmeticException e) {
      // Said below.
    }
    throw new WireException("'" + quoted(text) + "' is not a time in nanoseconds");
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
          throw new WireException("'" + quoted(o.toString()) + "' is not a number");
        }
      }
    };
  }

  /** What a message quotes of what was sent. */
  private static String quoted(String text) {
    return text.length() <= QUOTED ? text : text.substring(0, QUOTED) + "…";
  }
}
