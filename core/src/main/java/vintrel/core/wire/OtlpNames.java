package vintrel.core.wire;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Units;

/**
 * How OTLP's attributes become labels. Those of the resource (but for what {@link ResourceRules}
 * keep aside), of the instrumentation scope and of the data point do, and so do the scope's name
 * and version ({@code scope}, {@code scope.version}), so that equal names from two libraries are
 * two series. Three common attributes have short names. Where two of them have one name, the data
 * point's keeps it; the scope's goes on behind {@code scope.}, the resource's behind {@code
 * resource.}.
 */
final class OtlpNames {
  private static final Map<String, String> SHORT =
      Map.of("service.name", "service", "host.name", "host", "service.instance.id", "instance");

  final TreeMap<String, String> resource = new TreeMap<>();
  final TreeMap<String, String> scope = new TreeMap<>();
  final TreeMap<String, String> point = new TreeMap<>();
  String scopeName = "";
  String scopeVersion = "";

  /** The attribute that a label is made of. */
  static String attribute(String label) {
    for (var e : SHORT.entrySet()) {
      if (e.getValue().equals(label)) {
        return e.getKey();
      }
    }
    return label;
  }

  static String label(String attribute) {
    return SHORT.getOrDefault(attribute, attribute);
  }

  Labels labels() {
    var out = new TreeMap<>(point);
    if (!scopeName.isEmpty()) {
      scope.put("scope", scopeName);
    }
    if (!scopeVersion.isEmpty()) {
      scope.put("scope.version", scopeVersion);
    }
    scope.forEach((k, v) -> add(out, k, v, "scope."));
    resource.forEach((k, v) -> add(out, k, v, "resource."));
    return Labels.of(out);
  }

  private static void add(TreeMap<String, String> out, String name, String value, String prefix) {
    var free = name;
    while (out.containsKey(free) && !out.get(free).equals(value)) {
      free = prefix + free;
    }
    out.put(free, value);
  }

  /** The series of a part of a distribution. */
  static int series(
      SampleSink intake,
      String name,
      String unit,
      Labels labels,
      String suffix,
      String label,
      String value,
      boolean total) {
    boolean counts = suffix.equals("count") || suffix.equals("bucket");
    return intake.series(
        new SeriesKey(
            suffix.isEmpty() ? name : name + "." + suffix,
            label == null ? labels : labels.with(label, value)),
        total ? MetricKind.HISTOGRAM : MetricKind.GAUGE,
        counts ? "" : unit);
  }

  private static final List<String> PLAIN = List.of("");
  private static final List<String> HISTOGRAM =
      List.of(".bucket", ".count", ".sum", ".min", ".max");
  private static final List<String> SUMMARY = List.of("", ".count", ".sum");

  /** Describes all metrics that a metric becomes: a histogram, a summary, or a plain one. */
  static void describe(
      SampleSink intake, String name, boolean histogram, boolean summary, String text) {
    for (var suffix : histogram ? HISTOGRAM : summary ? SUMMARY : PLAIN) {
      intake.describe(name + suffix, text);
    }
  }

  /** A bucket's upper bound as label le: 0.5, 1, +Inf. */
  static String bound(double bound) {
    if (bound == Double.POSITIVE_INFINITY) {
      return "+Inf";
    }
    return bound == Math.rint(bound) && Math.abs(bound) < 1e15
        ? Long.toString((long) bound)
        : Double.toString(bound);
  }

  static String unit(String sent) {
    // What is too long for a unit is refused as it was sent.
    return sent.length() > Admission.MAX_UNIT ? sent : Units.canonical(sent);
  }
}
