package vintrel.core.wire;

import java.util.Map;

/** How OTLP's attributes become labels: three common ones get short names, the rest keep theirs. */
final class OtlpNames {
  private static final Map<String, String> SHORT =
      Map.of("service.name", "service", "host.name", "host", "service.instance.id", "instance");

  private OtlpNames() {}

  static String label(String attribute) {
    return SHORT.getOrDefault(attribute, attribute);
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
}
