package vintrel.demo;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;

/**
 * What the applications of Marrowsound Ferries write into their logs: gate scans that go wrong,
 * bookings, payments that are slow. Deterministic from the seed and the minute.
 */
final class Records {
  private final long seed;

  Records(long seed) {
    this.seed = seed;
  }

  private record Record(
      long time, int severity, String text, Map<String, String> who, Map<String, Object> fields) {}

  /** How many are written in the minute that begins at a time. */
  int count(long minute) {
    return minute(minute).size();
  }

  /** An OTLP logs request as JSON for [from, to), or null if nothing was written. */
  String request(long from, long to) {
    var byWho = new TreeMap<String, List<Record>>();
    for (long minute = from / Fleet.MINUTE * Fleet.MINUTE; minute < to; minute += Fleet.MINUTE) {
      for (var r : minute(minute)) {
        if (r.time() >= from && r.time() < to) {
          byWho.computeIfAbsent(r.who().toString(), k -> new ArrayList<>()).add(r);
        }
      }
    }
    if (byWho.isEmpty()) {
      return null;
    }
    var out = new StringBuilder("{\"resourceLogs\":[");
    var parted = "";
    for (var records : byWho.values()) {
      out.append(parted).append("{\"resource\":{\"attributes\":");
      attributes(out, new TreeMap<>(records.getFirst().who()));
      out.append("},\"scopeLogs\":[{\"logRecords\":[");
      var comma = "";
      for (var r : records) {
        out.append(comma)
            .append("{\"timeUnixNano\":\"")
            .append(r.time())
            .append("000000\",\"severityNumber\":")
            .append(r.severity())
            .append(",\"body\":{\"stringValue\":")
            .append(text(r.text()))
            .append("},\"attributes\":");
        attributes(out, r.fields());
        out.append('}');
        comma = ",";
      }
      out.append("]}]}");
      parted = ",";
    }
    return out.append("]}").toString();
  }

  private static void attributes(StringBuilder out, Map<String, ?> of) {
    out.append('[');
    var comma = "";
    for (var e : of.entrySet()) {
      out.append(comma).append("{\"key\":").append(text(e.getKey())).append(",\"value\":{");
      if (e.getValue() instanceof Integer n) {
        out.append("\"intValue\":\"").append(n).append('"');
      } else if (e.getValue() instanceof Double d) {
        out.append("\"doubleValue\":").append(String.format(Locale.ROOT, "%.3f", d));
      } else {
        out.append("\"stringValue\":").append(text("" + e.getValue()));
      }
      out.append("}}");
      comma = ",";
    }
    out.append(']');
  }

  private static String text(String s) {
    return '"' + s.replace("\\", "\\\\").replace("\"", "\\\"") + '"';
  }

  private List<Record> minute(long minute) {
    var random = new Random(seed ^ minute);
    var out = new ArrayList<Record>();
    double busy = Noise.sailings(minute);
    for (var site : new TreeMap<>(Fleet.SITES).entrySet()) {
      if (random.nextDouble() < 0.25 + 0.5 * busy) {
        out.add(scan(random, minute, site.getKey(), site.getValue()));
      }
      if (random.nextDouble() < 0.3 * Noise.web(minute) + 0.05) {
        out.add(booking(random, minute, site.getKey(), site.getValue()));
      }
      if (random.nextDouble() < 0.04) {
        out.add(payment(random, minute, site.getKey(), site.getValue()));
      }
    }
    return out;
  }

  private static long within(Random random, long minute) {
    return minute + random.nextInt(60_000);
  }

  private static Map<String, String> who(String site, String short_, String service, String host) {
    return Map.of("site", site, "service.name", service, "host.name", short_ + "-" + host);
  }

  private static Record scan(Random random, long minute, String site, String short_) {
    var gate = site.substring(0, site.indexOf('-')) + "-" + (1 + random.nextInt(4));
    var ticket = "MF-%06d".formatted(random.nextInt(1_000_000));
    boolean refused = random.nextInt(9) == 0;
    boolean unreadable = !refused && random.nextInt(12) == 0;
    var fields =
        Map.<String, Object>of("gate", gate, "ticket", ticket, "millis", 40 + random.nextInt(300));
    var words =
        refused
            ? "ticket " + ticket + " refused at " + gate + ": wrong sailing"
            : unreadable
                ? "scan at " + gate + " unreadable, scanning again"
                : "ticket " + ticket + " accepted at " + gate;
    int severity = refused ? 13 : unreadable ? 13 : 9;
    return new Record(
        within(random, minute),
        severity,
        words,
        who(site, short_, "boarding-gates", "gate-1"),
        fields);
  }

  private static String seats(int n) {
    return n == 1 ? "1 seat" : n + " seats";
  }

  private static Record booking(Random random, long minute, String site, String short_) {
    int seats = 1 + random.nextInt(6);
    boolean failed = random.nextInt(40) == 0;
    var fields =
        Map.<String, Object>of(
            "route",
            site + " to " + (site.equals("mid-isles") ? "north-quay" : "mid-isles"),
            "seats",
            seats,
            "http.status",
            failed ? 500 : 201);
    return new Record(
        within(random, minute),
        failed ? 17 : 9,
        failed
            ? "booking of " + seats(seats) + " failed: no berth plan for the sailing"
            : "booked " + seats(seats),
        who(site, short_, "booking", "app-" + (1 + random.nextInt(4))),
        fields);
  }

  private static Record payment(Random random, long minute, String site, String short_) {
    double seconds = 0.4 + random.nextDouble() * 5;
    boolean slow = seconds > 4;
    return new Record(
        within(random, minute),
        slow ? 17 : seconds > 2.5 ? 13 : 5,
        slow ? "payment timed out waiting for the bank" : "payment took %.1f s".formatted(seconds),
        who(site, short_, "payments", "app-" + (1 + random.nextInt(4))),
        Map.of("seconds", seconds, "bank", "Sound & Isles"));
  }
}
