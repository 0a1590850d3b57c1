package vintrel.server.watch;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.core.watch.Priority;

/** The list of alerts while there are none: the last day, what cleared, what is near a limit. */
@Component
class QuietView {
  private static final int CLEARED = 6;
  private static final int NEAREST = 5;

  /** Series of one rule among the nearest. */
  private static final int OF_RULE = 2;

  private static final int READ = 2_000;
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE HH:mm", Locale.ENGLISH);

  private final Watcher watcher;
  private final AlertLog log;
  private final PastStates past;
  private final Clock clock;

  QuietView(Watcher watcher, AlertLog log, PastStates past, Clock clock) {
    this.watcher = watcher;
    this.log = log;
    this.past = past;
    this.clock = clock;
  }

  /** The alerts of a priority over time. */
  public record Lane(String priority, List<RehearsalView.Box> boxes) {}

  public record Cleared(
      String at,
      String shape,
      String rule,
      String ruleName,
      String series,
      String lasted,
      String why,
      String acted) {}

  /**
   * A series that is near its limit.
   *
   * @param percent of the way from far to the limit
   */
  public record Near(
      String rule,
      long id,
      String series,
      String shape,
      String reading,
      String limit,
      int percent,
      String room) {}

  /**
   * @param last when the last alert cleared, in words; empty if none did
   */
  public record Quiet(
      String last,
      List<Lane> lanes,
      List<StripAxis.Tick> ticks,
      List<Cleared> cleared,
      List<Near> near) {}

  Quiet view(TimeText.Range range, ZoneId zone) {
    long now = clock.millis();
    var cleared = cleared(now, zone);
    var lanes = new ArrayList<Lane>();
    var strips = past.ofPriorities(range, now);
    for (var p : Priority.values()) {
      var strip = strips.get(p);
      lanes.add(new Lane(p.text(), strip == null ? List.of() : RehearsalView.boxes(strip)));
    }
    return new Quiet(cleared.last(), lanes, StripAxis.of(range, zone), cleared.rows(), nearest());
  }

  private record Found(String last, List<Cleared> rows) {}

  private Found cleared(long now, ZoneId zone) {
    var steps = log.turns(now - Durations.DAY, now, READ);
    var raised = new HashMap<String, AlertLog.Past>();
    var acted = new HashMap<String, String>();
    var out = new ArrayList<Cleared>();
    var last = "";
    for (var p : steps) {
      var key = p.rule() + "\n" + p.labels();
      switch (p.change()) {
        case RAISED -> {
          raised.put(key, p);
          acted.remove(key);
        }
        case ACKNOWLEDGED -> acted.put(key, p.why());
        case CLEARED -> {
          var began = raised.remove(key);
          last =
              "The last alert cleared %s ago, at %s."
                  .formatted(Durations.words(brief(now - p.at())), text(p.at(), zone));
          out.addFirst(row(p, began, acted.getOrDefault(key, "not acknowledged"), zone));
        }
        default -> {}
      }
    }
    return new Found(last, out.stream().limit(CLEARED).toList());
  }

  private Cleared row(AlertLog.Past p, AlertLog.Past began, String acted, ZoneId zone) {
    var title =
        watcher.rules().stream()
            .filter(w -> w.name.equals(p.rule()))
            .map(w -> w.rule().title())
            .findFirst()
            .orElse(p.rule());
    return new Cleared(
        text(p.at(), zone),
        p.priority().toLowerCase(Locale.ROOT),
        title,
        p.rule(),
        p.labels().isEmpty() ? "" : p.labels().toString(),
        began == null ? "over a day" : Durations.words(brief(p.at() - began.at())),
        p.why(),
        acted);
  }

  private static long brief(long ms) {
    return ms >= Durations.MINUTE ? ms - ms % Durations.MINUTE : ms;
  }

  private static String text(long at, ZoneId zone) {
    return DAY.format(Instant.ofEpochMilli(at).atZone(zone));
  }

  private record Candidate(Near near, double share) {}

  private List<Near> nearest() {
    var out = new ArrayList<Candidate>();
    for (var w : watcher.rules()) {
      var rule = w.rule();
      for (var s : w.series.values()) {
        double value = s.now().value();
        if (Double.isNaN(value) || s.state().isMissing() || s.state().isRaised()) {
          continue;
        }
        for (var limit : rule.limits()) {
          double room = limit.test().room(w.bands.with(s.labels, s.now().valueAt(), value));
          // Against the size of what is measured; a limit at 0 has none.
          double share = room / Math.max(Math.abs(value + room), Math.abs(value));
          if (room > 0 && share < 0.5) {
            out.add(
                new Candidate(
                    new Near(
                        rule.title(),
                        s.id,
                        s.labels.isEmpty() ? "" : s.labels.toString(),
                        limit.priority().text(),
                        Units.format(value, rule.unit()),
                        limit.test().words(rule.unit()),
                        (int) Math.round(100 * (1 - share)),
                        Units.format(room, rule.unit()) + " left"),
                    share));
          }
        }
      }
    }
    out.sort(Comparator.comparingDouble(Candidate::share));
    var byRule = new HashMap<String, Integer>();
    return out.stream()
        .map(Candidate::near)
        .filter(n -> byRule.merge(n.rule(), 1, Integer::sum) <= OF_RULE)
        .limit(NEAREST)
        .toList();
  }

  /** Who watches, and when it was last checked. */
  String watching() {
    var rules = watcher.rules();
    int series = rules.stream().mapToInt(r -> r.series.size()).sum();
    return "%s %s %s."
        .formatted(
            Counts.of(rules.size(), "rule"),
            rules.size() == 1 ? "watches" : "watch",
            Counts.of(series, "series"));
  }
}
