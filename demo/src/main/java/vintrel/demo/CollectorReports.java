package vintrel.demo;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/** What the collectors of the fleet say about themselves, as real ones do. */
final class CollectorReports {
  static final String CONFIG = "fleet";
  static final String EDGE = "mid-isles-edge";
  private static final String EDGE_HOST = "mi-edge-1";

  private CollectorReports() {}

  /**
   * One collector per host. One has not taken the present configuration yet, one has an older
   * version and a file of its own.
   *
   * @param before the configuration before the present one, as the server keeps it
   * @param now the present one
   */
  static List<Signal> of(Fleet fleet, String before, String now) {
    var out = new ArrayList<Signal>();
    for (var host : fleet.hosts()) {
      boolean old = host.equals("sr-gate-1");
      boolean behind = host.equals("nq-db-1");
      var name = Map.of("host", host, "site", Fleet.site(host), "collector", CONFIG);
      var info = new TreeMap<>(name);
      info.put("version", old ? "0.1" : "0.2");
      info.put("config", hash(old ? "its own" : behind ? before : now));
      info.put("source", old ? "file" : "server");
      gauge(out, "collector.info", info, "", (t, s) -> 1);
      gauge(out, "collector.inputs", name, "", (t, s) -> behind ? 1 : 2);
      gauge(out, "collector.exposed_secrets", name, "", (t, s) -> 0);
      gauge(out, "collector.lag", name, "s", (t, s) -> 0);
      out.add(new Signal("collector.dropped", name, Signal.Kind.COUNTER, "", (t, s) -> 0));
      for (var input : behind ? List.of("host") : List.of("host", "gate-log")) {
        var labels = new TreeMap<>(name);
        labels.put("input", input);
        long seed = (host + input).hashCode();
        gauge(out, "collector.input.up", labels, "", (t, s) -> 1);
        gauge(
            out,
            "collector.input.duration",
            labels,
            "s",
            (t, s) -> 0.004 + 0.003 * Noise.slow(seed, t, Fleet.HOUR));
        gauge(
            out,
            "collector.input.values",
            labels,
            "",
            (t, s) -> input.equals("host") ? 46 : Math.floor(9 * Noise.slow(seed, t, Fleet.HOUR)));
      }
    }
    return out;
  }

  /**
   * The collector at the edge of mid-isles, with the check that is placed at it: while the link is
   * down it does not reach the booking page.
   *
   * @param config as it takes it
   */
  static List<Signal> edge(Fleet fleet, String config) {
    var out = new ArrayList<Signal>();
    var name = Map.of("host", EDGE_HOST, "site", "mid-isles", "collector", EDGE);
    var info = new TreeMap<>(name);
    info.put("version", "0.2");
    info.put("config", hash(config));
    info.put("source", "server");
    gauge(out, "collector.info", info, "", (t, s) -> 1);
    gauge(out, "collector.inputs", name, "", (t, s) -> 2);
    gauge(out, "collector.exposed_secrets", name, "", (t, s) -> 0);
    gauge(out, "collector.lag", name, "s", (t, s) -> 0);
    out.add(new Signal("collector.dropped", name, Signal.Kind.COUNTER, "", (t, s) -> 0));
    var check = new TreeMap<>(Map.of("check", "booking-page", "kind", "http", "from", "mid-isles"));
    check.putAll(Map.of("host", EDGE_HOST, "site", "mid-isles"));
    gauge(out, "check.up", check, "", (t, s) -> fleet.linkDown(t) ? 0 : 1);
    gauge(
        out,
        "check.duration",
        check,
        "s",
        (t, s) ->
            fleet.linkDown(t) ? 10 : 0.058 + 0.03 * Noise.slow(EDGE.hashCode(), t, 3 * Fleet.HOUR));
    return out;
  }

  private static void gauge(
      List<Signal> out, String metric, Map<String, String> labels, String unit, Signal.Reading r) {
    out.add(new Signal(metric, labels, Signal.Kind.GAUGE, unit, r));
  }

  private static String hash(String text) {
    try {
      var digest =
          MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest).substring(0, 12);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
