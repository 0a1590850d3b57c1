package vintrel.demo;

import java.util.List;
import java.util.Locale;
import java.util.Map;

/** What the checks of the demo would have found before it started, as OpenMetrics text. */
final class CheckHistory {
  private static final long EVERY = 300_000;
  private static final String HERE = "north-quay";

  private CheckHistory() {}

  /**
   * A check: how long it usually takes, s, and how much that varies.
   *
   * @param answer of HTTP, 0 for other kinds
   */
  private record Past(String name, String kind, String from, double usual, double spread) {}

  private static final List<Past> CHECKS =
      List.of(
          new Past("booking-page", "http", HERE, 0.012, 0.006),
          new Past("booking-page", "http", "mid-isles", 0.058, 0.03),
          new Past("payment-gateway", "http", HERE, 0.034, 0.02),
          new Past("gate-service", "http", HERE, 0.008, 0.004),
          new Past("link-mid-isles", "tcp", HERE, 0.0008, 0.0004),
          new Past("bookings-database", "tcp", HERE, 0.0006, 0.0002),
          new Past("seats-booked", "sql", HERE, 0.009, 0.004));

  static String page(Fleet fleet, long from, long to) {
    var up = new StringBuilder("# TYPE \"check.up\" stateset\n");
    var duration =
        new StringBuilder("# TYPE \"check.duration\" gauge\n# UNIT \"check.duration\" seconds\n");
    for (var check : CHECKS) {
      for (long t = Math.ceilDiv(from, EVERY) * EVERY; t < to; t += EVERY) {
        boolean slow = check.name().equals("payment-gateway") && isSlow(t);
        boolean far = check.name().equals("link-mid-isles") || !check.from().equals(HERE);
        boolean down = far && fleet.linkDown(t);
        double s =
            slow
                ? 1.31
                : check.usual()
                    + check.spread() * Noise.slow(check.name().hashCode(), t, 3 * Fleet.HOUR);
        line(up, "check.up", check, t, slow || down ? 0 : 1);
        line(duration, "check.duration", check, t, Math.max(0.0002, s));
      }
    }
    return up.append(duration).append("# EOF\n").toString();
  }

  /** Whether the bank answers slowly at a time: six minutes, once every nine hours. */
  static boolean isSlow(long t) {
    return Math.floorMod(t, 9 * Fleet.HOUR) < 360_000;
  }

  private static void line(StringBuilder out, String metric, Past check, long t, double value) {
    out.append("{\"").append(metric).append("\"");
    Map.of("check", check.name(), "kind", check.kind(), "from", check.from())
        .forEach((k, v) -> out.append(',').append(k).append("=\"").append(v).append('"'));
    out.append(String.format(Locale.ROOT, "} %.5f %.3f%n", value, t / 1000.0));
  }
}
