package vintrel.server.collect;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.server.store.LogStore;

/** How checks are that collectors run: from the metrics and events that they send. Any thread. */
@Component
class RemoteChecks {
  /** One that was heard last before that is not shown. */
  private static final long GONE_MS = 7 * Durations.DAY;

  /** Events that may be read to find what a check found. */
  private static final long MOST_EVENTS = 200_000;

  private static final String FAILS = " fails: ";

  private final SampleStore store;
  private final LogStore events;
  private final Checks checks;

  RemoteChecks(SampleStore store, LogStore events, Checks checks) {
    this.store = store;
    this.events = events;
    this.checks = checks;
  }

  /**
   * The last result of a check at a place.
   *
   * @param from the site or host of the collector
   * @param at ms
   * @param seconds how long it took; NaN if unknown
   */
  record Heard(String check, String kind, String from, boolean passed, long at, double seconds) {}

  /** By check, in the order of places. */
  Map<String, List<Heard>> all(long now) {
    var newest = new TreeMap<String, Heard>();
    var took = new TreeMap<String, double[]>();
    for (var s : store.select(SeriesKey.MAIN, "check.duration", Condition.ALL)) {
      var last = store.before(s, now + 1);
      if (!last.isEmpty()) {
        var seen = new double[] {last.lastTime(), last.values()[last.count() - 1]};
        took.merge(key(s.labels().get("check"), s.labels().get("from")), seen, RemoteChecks::later);
      }
    }
    for (var s : store.select(SeriesKey.MAIN, "check.up", Condition.ALL)) {
      var name = s.labels().get("check");
      var from = s.labels().get("from");
      var last = store.before(s, now + 1);
      boolean here = checks.site().equals(from);
      if (name == null || from == null || here || last.isEmpty()) {
        continue;
      }
      long at = last.lastTime();
      if (now - at <= GONE_MS) {
        var kind = s.labels().get("kind");
        double seconds = took.getOrDefault(key(name, from), new double[] {0, Double.NaN})[1];
        var heard =
            new Heard(
                name,
                kind == null ? "" : kind,
                from,
                last.values()[last.count() - 1] > 0,
                at,
                seconds);
        newest.merge(key(name, from), heard, (a, b) -> a.at() > b.at() ? a : b);
      }
    }
    var out = new TreeMap<String, List<Heard>>();
    newest.values().stream()
        .sorted(Comparator.comparing(Heard::from))
        .forEach(h -> out.computeIfAbsent(h.check(), k -> new ArrayList<>()).add(h));
    return out;
  }

  /** The names of the configurations that collectors at a place have, by site or host. */
  Map<String, Set<String>> configurations() {
    var out = new TreeMap<String, Set<String>>();
    for (var s : store.select(SeriesKey.MAIN, "collector.info", Condition.ALL)) {
      var site = s.labels().get("site");
      var place = site == null ? s.labels().get("host") : site;
      var name = s.labels().get("collector");
      if (place != null && name != null) {
        out.computeIfAbsent(place, k -> new TreeSet<>()).add(name);
      }
    }
    return out;
  }

  private static double[] later(double[] a, double[] b) {
    return a[0] > b[0] ? a : b;
  }

  private static String key(String check, String from) {
    return check + " " + from;
  }

  /** What a check found, in words; that it passes or fails if no more is known. */
  String found(Heard heard, long now) {
    if (heard.passed()) {
      return "passes";
    }
    var where =
        new Condition.And(
            List.of(
                Condition.Test.of("check", Condition.Operator.EQUAL, heard.check()),
                Condition.Test.of("from", Condition.Operator.EQUAL, heard.from())));
    var wanted =
        new LogStore.Wanted(
            SeriesKey.MAIN, where, now - GONE_MS, now + 1, MOST_EVENTS, () -> false);
    try {
      return events.newest(wanted, 1).stream()
          .map(e -> e.text())
          .filter(text -> text.contains(FAILS))
          .map(text -> text.substring(text.indexOf(FAILS) + FAILS.length()))
          .findFirst()
          .orElse("fails");
    } catch (QueryException e) {
      // Too much would have to be read.
      return "fails";
    }
  }
}
