package vintrel.server.watch;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;

/**
 * A flood of alerts (IEC 62682): more than a number raised within ten minutes; it ends when fewer
 * than half of that were.
 *
 * @param sentence its parts: how many, and what they share
 * @param bars alerts raised in each of the last minutes
 * @param order the first ones, in the order they came
 * @param shares label values by how many alerts have them
 * @param rules the same alerts by rule
 */
public record FloodView(
    String count,
    String shared,
    List<Bar> bars,
    int most,
    List<Came> order,
    int later,
    List<Share> shares,
    List<OfRule> rules) {
  static final long SPAN = 10 * Durations.MINUTE;
  private static final int MINUTES = 40;
  private static final int FIRST = 8;
  private static final int SHARES = 5;
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss", Locale.ENGLISH);
  private static final DateTimeFormatter MINUTE =
      DateTimeFormatter.ofPattern("HH:mm", Locale.ENGLISH);

  /**
   * @param label under it; empty under most
   * @param of whether it belongs to the flood
   */
  public record Bar(int count, String label, boolean of) {}

  /** An alert and when it came. */
  public record Came(
      String time, String since, String shape, String rule, String series, long id, String why) {}

  /**
   * @param ids of alerts that are active still, as a list
   */
  public record Share(String words, int count, int percent, String ids, int active) {}

  public record OfRule(
      String name, String title, String shape, int count, String times, String ids, int active) {}

  /**
   * The flood that is on, or null.
   *
   * @param raised alerts of the last hour, oldest first
   * @param over how many alerts in ten minutes are no flood yet
   * @param active the alerts that are active, for what is done with them
   */
  static FloodView of(
      List<AlertLog.Past> raised, List<AlertLog.Alert> active, int over, ZoneId zone, long now) {
    int first = begin(raised, over, now);
    if (first < 0) {
      return null;
    }
    var flood = raised.subList(first, raised.size());
    var ids = new HashMap<String, AlertLog.Alert>();
    active.forEach(a -> ids.put(a.rule().name() + "\n" + a.labels(), a));
    var shares = shares(flood, ids);
    var top = shares.isEmpty() ? null : shares.getFirst();
    long span = now - flood.getFirst().at();
    return new FloodView(
        "%s in %s".formatted(Counts.of(flood.size(), "alert"), Durations.words(minutes(span))),
        top == null || top.count() < 2
            ? ""
            : "%d of them share %s".formatted(top.count(), top.words()),
        bars(raised, flood.getFirst().at(), zone, now),
        Math.max(1, bars(raised, 0, zone, now).stream().mapToInt(Bar::count).max().orElse(1)),
        order(flood, ids, zone),
        Math.max(0, flood.size() - FIRST),
        shares,
        rules(flood, ids, zone));
  }

  private static long minutes(long ms) {
    return Math.max(Durations.MINUTE, Math.ceilDiv(ms, Durations.MINUTE) * Durations.MINUTE);
  }

  /** The place of the first alert of the flood that is on, or -1. */
  static int begin(List<AlertLog.Past> raised, int over, long now) {
    int begun = -1;
    int from = 0;
    for (int i = 0; i < raised.size(); i++) {
      while (raised.get(i).at() - raised.get(from).at() >= SPAN) {
        from++;
      }
      int within = i - from + 1;
      if (begun < 0 && within > over) {
        begun = from;
      } else if (begun >= 0 && within * 2 < over) {
        begun = -1;
      }
    }
    long late = raised.stream().filter(r -> r.at() > now - SPAN).count();
    return late * 2 < over ? -1 : begun;
  }

  private static List<Bar> bars(List<AlertLog.Past> raised, long begun, ZoneId zone, long now) {
    long end = now / Durations.MINUTE;
    var out = new ArrayList<Bar>();
    for (long m = end - MINUTES + 1; m <= end; m++) {
      long minute = m;
      int n = (int) raised.stream().filter(r -> r.at() / Durations.MINUTE == minute).count();
      var time = Instant.ofEpochMilli(m * Durations.MINUTE).atZone(zone);
      boolean labelled = time.getMinute() % 10 == 0;
      out.add(
          new Bar(
              n, labelled ? MINUTE.format(time) : "", (m + 1) * Durations.MINUTE > begun && n > 0));
    }
    return out;
  }

  private static String key(AlertLog.Past p) {
    return p.rule() + "\n" + p.labels();
  }

  private static List<Came> order(
      List<AlertLog.Past> flood, Map<String, AlertLog.Alert> ids, ZoneId zone) {
    long first = flood.getFirst().at();
    return flood.stream()
        .limit(FIRST)
        .map(
            p -> {
              var alert = ids.get(key(p));
              return new Came(
                  CLOCK.format(Instant.ofEpochMilli(p.at()).atZone(zone)),
                  "+" + Durations.words((p.at() - first) / 1000 * 1000).replace("0 ms", "0 s"),
                  p.priority().toLowerCase(Locale.ROOT),
                  alert == null ? p.rule() : alert.rule().title(),
                  p.labels().isEmpty() ? "" : p.labels().toString(),
                  alert == null ? 0 : alert.id(),
                  p.why());
            })
        .toList();
  }

  private static List<Share> shares(List<AlertLog.Past> flood, Map<String, AlertLog.Alert> ids) {
    var by = new TreeMap<String, List<AlertLog.Past>>();
    for (var p : flood) {
      p.labels()
          .asMap()
          .forEach((k, v) -> by.computeIfAbsent(k + " = " + v, x -> new ArrayList<>()).add(p));
    }
    return by.entrySet().stream()
        .filter(e -> e.getValue().size() > 1)
        .sorted(Comparator.comparingInt(e -> -e.getValue().size()))
        .limit(SHARES)
        .map(
            e -> {
              var active = active(e.getValue(), ids);
              return new Share(
                  e.getKey(),
                  e.getValue().size(),
                  100 * e.getValue().size() / flood.size(),
                  String.join(",", active),
                  active.size());
            })
        .toList();
  }

  /** The ids of those that can be acknowledged. */
  private static List<String> active(List<AlertLog.Past> some, Map<String, AlertLog.Alert> ids) {
    return some.stream()
        .map(p -> ids.get(key(p)))
        .filter(a -> a != null && a.state().isActive() && !a.acknowledged())
        .map(a -> String.valueOf(a.id()))
        .distinct()
        .toList();
  }

  private static List<OfRule> rules(
      List<AlertLog.Past> flood, Map<String, AlertLog.Alert> ids, ZoneId zone) {
    var by = new LinkedHashMap<String, List<AlertLog.Past>>();
    flood.forEach(p -> by.computeIfAbsent(p.rule(), r -> new ArrayList<>()).add(p));
    var out = new ArrayList<OfRule>();
    by.forEach(
        (rule, some) -> {
          var active = active(some, ids);
          var known = ids.get(key(some.getFirst()));
          var from = MINUTE.format(Instant.ofEpochMilli(some.getFirst().at()).atZone(zone));
          var to = MINUTE.format(Instant.ofEpochMilli(some.getLast().at()).atZone(zone));
          var worst =
              some.stream()
                  .filter(p -> !p.priority().isEmpty())
                  .map(p -> Priority.valueOf(p.priority()))
                  .min(Comparator.naturalOrder());
          out.add(
              new OfRule(
                  rule,
                  known == null ? rule : known.rule().title(),
                  worst.map(Priority::text).orElse(""),
                  some.size(),
                  from.equals(to) ? from : from + " to " + to,
                  String.join(",", active),
                  active.size()));
        });
    return out;
  }
}
