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
import java.util.Map;
import java.util.TreeMap;
import org.springframework.stereotype.Component;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Priority;
import vintrel.core.watch.StateStrip;
import vintrel.core.watch.WatchState;
import vintrel.server.database.Database;
import vintrel.server.tell.Outbox;

/** What the list of rules says of each. Any thread. */
@Component
class RuleList {
  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm", Locale.ENGLISH);
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss", Locale.ENGLISH);

  private static final long REMEMBERED = 90 * Durations.DAY;

  private final Watcher watcher;
  private final PastStates past;
  private final Database database;
  private final Outbox outbox;
  private final Clock clock;

  RuleList(Watcher watcher, PastStates past, Database database, Outbox outbox, Clock clock) {
    this.watcher = watcher;
    this.past = past;
    this.database = database;
    this.outbox = outbox;
    this.clock = clock;
  }

  /**
   * A rule.
   *
   * @param shape of the most urgent alert that is active; empty if none is
   * @param state in words
   * @param next what comes next, and when
   * @param words by which it is searched, in lower case
   * @param strip its states over the range
   */
  public record Row(
      String name,
      String title,
      List<String> limits,
      String owner,
      String shape,
      String state,
      String look,
      String next,
      boolean paused,
      String pause,
      String raised,
      long alerts,
      long messages,
      List<RehearsalView.Box> strip,
      String words) {}

  /** Rules of a folder. */
  public record Folder(String title, List<Row> rows) {}

  private record Figures(long alerts, long lastRaised) {}

  List<Folder> folders(TimeText.Range range, ZoneId zone) {
    long now = clock.millis();
    long week = now - Durations.WEEK;
    var figures = figures(week);
    var messages = outbox.countsByRule(week);
    var strips = past.ofRules(range, now);
    var out = new TreeMap<String, List<Row>>();
    watcher.rules().stream()
        .sorted(Comparator.comparing(w -> w.wanted.title().toLowerCase(Locale.ROOT)))
        .forEach(
            w ->
                out.computeIfAbsent(w.wanted.folder(), f -> new ArrayList<>())
                    .add(
                        row(
                            w,
                            figures.getOrDefault(w.name, new Figures(0, 0)),
                            messages.getOrDefault(w.name, 0L),
                            strips.get(w.name),
                            range,
                            zone,
                            now)));
    return out.entrySet().stream().map(e -> new Folder(e.getKey(), e.getValue())).toList();
  }

  private Map<String, Figures> figures(long since) {
    var out = new HashMap<String, Figures>();
    database
        .with(
            s ->
                s.createSelectionQuery(
                        "select rule, sum(case when at >= :since then 1 else 0 end), max(at) from"
                            + " Transition where change = 'RAISED' and at >= :old group by rule",
                        Object[].class)
                    .setParameter("since", since)
                    .setParameter("old", clock.millis() - REMEMBERED)
                    .getResultList())
        .forEach(
            r ->
                out.put(
                    (String) r[0],
                    new Figures(((Number) r[1]).longValue(), ((Number) r[2]).longValue())));
    return out;
  }

  private Row row(
      WatchedRule w,
      Figures figures,
      long messages,
      StateStrip strip,
      TimeText.Range range,
      ZoneId zone,
      long now) {
    var r = w.wanted;
    Priority worst = null;
    int active = 0;
    int faulty = 0;
    int missing = 0;
    for (var s : w.series.values()) {
      var state = s.state();
      if (state.state().isActive()) {
        active++;
        var p = state.priority();
        worst = worst == null || p != null && p.compareTo(worst) < 0 ? p : worst;
      }
      faulty += state.state() == WatchState.FAULT ? 1 : 0;
      missing += state.state() == WatchState.NO_DATA ? 1 : 0;
    }
    var boxes = RehearsalView.boxes(withCalm(strip, w, range, now));
    return new Row(
        r.name(),
        r.title(),
        r.limits().stream().map(l -> l.words(r.unit())).toList(),
        r.owner(),
        worst == null ? "" : worst.text(),
        state(w, active, faulty, missing),
        r.paused() || !w.pause.isEmpty() ? "paused" : !w.fault.isEmpty() ? "fault" : "",
        next(w, zone, now),
        r.paused(),
        w.pause,
        figures.lastRaised() == 0 ? "not in 90 d" : DAY.format(at(figures.lastRaised(), zone)),
        figures.alerts(),
        messages,
        boxes,
        String.join(" ", r.title(), r.name(), r.folder(), r.owner(), r.query())
            .toLowerCase(Locale.ROOT));
  }

  /** A series that did not change in the range is as it has been. */
  private static StateStrip withCalm(
      StateStrip strip, WatchedRule w, TimeText.Range range, long now) {
    var out = strip == null ? new StateStrip(range.from(), range.to()) : strip;
    for (var s : w.series.values()) {
      var state = s.state();
      long from = Math.max(range.from(), state.since());
      long to = Math.min(range.to(), now);
      if (to > from) {
        var priority = state.state().isActive() ? state.priority() : null;
        out.add(new vintrel.core.watch.Rehearsal.Span(from, to, state.state(), priority));
      }
    }
    return out;
  }

  private static java.time.ZonedDateTime at(long ms, ZoneId zone) {
    return Instant.ofEpochMilli(ms).atZone(zone);
  }

  private static String state(WatchedRule w, int active, int faulty, int missing) {
    if (w.wanted.paused()) {
      return "Paused";
    }
    if (!w.pause.isEmpty()) {
      return "Paused: too expensive";
    }
    if (!w.fault.isEmpty()) {
      return "Fault";
    }
    if (w.checkedUntil == 0) {
      return "Waiting";
    }
    var out = new ArrayList<String>();
    if (active > 0) {
      out.add(active + " active");
    }
    if (missing > 0) {
      out.add(missing + " without data");
    }
    if (faulty > 0) {
      out.add(faulty + " in fault");
    }
    return out.isEmpty() ? w.series.isEmpty() ? "No series" : "Normal" : String.join(", ", out);
  }

  /** What comes next and when, or why nothing does. */
  private static String next(WatchedRule w, ZoneId zone, long now) {
    var series = Counts.of(w.series.size(), "series") + (w.cut ? ", more are left out" : "");
    if (w.wanted.paused() || !w.pause.isEmpty()) {
      return series + "; states are kept until it resumes";
    }
    if (w.checkedUntil == 0) {
      long next = Math.max(now, w.nextAt);
      return "first check at " + CLOCK.format(at(next, zone));
    }
    if (!w.fault.isEmpty()) {
      return w.fault;
    }
    return "%s, every %s".formatted(series, Durations.words(w.wanted.every()));
  }
}
