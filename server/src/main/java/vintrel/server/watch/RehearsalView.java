package vintrel.server.watch;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;
import vintrel.core.series.Labels;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;
import vintrel.core.watch.CheckResult;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.SeriesState;
import vintrel.core.watch.StateStrip;
import vintrel.core.watch.WatchState;

/**
 * A rehearsal as a page shows it.
 *
 * @param sentence its parts: a text and a class for each
 * @param notes what the numbers leave unsaid
 * @param rows the series that did something, then some of the others
 * @param quiet how many more never left Normal
 * @param head over the names of series
 * @param drawn the series of the first rows, for a chart
 */
public record RehearsalView(
    List<Part> sentence,
    List<String> notes,
    String head,
    List<Row> rows,
    int quiet,
    List<Labels> drawn) {
  /** Rows of series that did nothing, where few did something. */
  private static final int QUIET_ROWS = 6;

  private static final int MOST_ROWS = 200;

  /** Lines of a chart; the others are a shade. */
  private static final int DRAWN = 8;

  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm", Locale.ENGLISH);

  /** A piece of the sentence; {@code look} is b or empty. */
  public record Part(String text, String look) {}

  /** A box of a strip; {@code look} is its state and priority as classes. */
  public record Box(int x, int width, String look) {}

  /**
   * @param series its labels
   * @param name what tells it from the others
   * @param what the boxes say, in words
   * @param look the class of the state that it is in
   */
  public record Row(
      String series,
      String name,
      List<Box> boxes,
      String what,
      String raised,
      String reading,
      String state,
      String look,
      String distance) {}

  static RehearsalView of(
      Rule rule, Rehearsals.Rehearsed rehearsed, TimeText.Range range, ZoneId zone, long now) {
    var result = rehearsed.result();
    var loud =
        result.series().stream()
            .filter(s -> !s.strip().isQuiet())
            .sorted(
                Comparator.comparingInt((Rehearsal.OfSeries s) -> -s.raised())
                    .thenComparing(s -> s.now().state() == WatchState.NORMAL)
                    .thenComparing(Rehearsal.OfSeries::labels))
            .limit(MOST_ROWS)
            .toList();
    var quiet = result.series().stream().filter(s -> s.strip().isQuiet()).toList();
    int some = Math.clamp(QUIET_ROWS - loud.size(), 0, quiet.size());
    var rows = new ArrayList<Row>();
    var names = SeriesNames.of(result.series().stream().map(s -> s.labels()).toList());
    var shown = new ArrayList<>(loud);
    shown.addAll(quiet.subList(0, some));
    shown.forEach(s -> rows.add(row(rule, names, s)));
    return new RehearsalView(
        sentence(rehearsed, range, zone, now),
        notes(rule, rehearsed, range, zone),
        names.head(),
        List.copyOf(rows),
        quiet.size() - some,
        shown.stream().limit(DRAWN).map(s -> s.labels()).toList());
  }

  private static List<Part> sentence(
      Rehearsals.Rehearsed r, TimeText.Range range, ZoneId zone, long now) {
    boolean last = Math.abs(now - range.to()) < Durations.MINUTE;
    var when =
        last
            ? "In the last " + days(range.millis())
            : "From %s to %s".formatted(text(range.from(), zone), text(range.to(), zone));
    var out = new ArrayList<Part>();
    var result = r.result();
    if (result.series().isEmpty()) {
      out.add(new Part(when + " there was nothing to watch.", ""));
      return out;
    }
    if (result.raised() == 0) {
      out.add(new Part(when + ": ", ""));
      out.add(new Part("never raised", "b"));
      out.add(new Part(" by " + Counts.of(result.series().size(), "series") + ".", ""));
      return out;
    }
    out.add(new Part(when + ": raised ", ""));
    out.add(new Part(times(result.raised()), "b"));
    out.add(new Part(", ", ""));
    out.add(new Part(Durations.words(rounded(result.longest())), "b"));
    out.add(new Part(" at most, " + Durations.words(rounded(result.millis())) + " in all", ""));
    if (result.flaps() > 0) {
      out.add(new Part(", flapped " + times(result.flaps()), ""));
    }
    if (r.messages() > 0) {
      var to = r.recipients().keySet().stream().limit(3).collect(Collectors.joining(", "));
      int more = r.recipients().size() - 3;
      out.add(new Part("; ", ""));
      out.add(new Part(Counts.of(r.messages(), "message"), "b"));
      out.add(new Part(" to " + to + (more > 0 ? " and " + more + " more" : ""), ""));
    }
    out.add(new Part(".", ""));
    return out;
  }

  private static String times(int n) {
    return n == 1 ? "once" : n == 2 ? "twice" : "%,d times".formatted(n);
  }

  private static String days(long ms) {
    return ms % Durations.DAY == 0 && ms > Durations.DAY
        ? ms / Durations.DAY + " days"
        : Durations.words(ms);
  }

  /** Of long times two units are enough. */
  private static long rounded(long ms) {
    return ms >= Durations.HOUR ? ms - ms % Durations.MINUTE : ms;
  }

  private static List<String> notes(
      Rule rule, Rehearsals.Rehearsed r, TimeText.Range range, ZoneId zone) {
    var out = new ArrayList<String>();
    out.add(
        "Rehearsed in %s with a check every %s"
            .formatted(Units.format(Math.max(1, r.millis()), "ms"), Durations.words(r.every())));
    if (r.every() > rule.every()) {
      out.set(0, out.getFirst() + "; live, it is checked every " + Durations.words(rule.every()));
    }
    out.set(0, out.getFirst() + ".");
    long begins =
        r.result().series().stream()
            .filter(s -> !s.spans().isEmpty())
            .mapToLong(s -> s.spans().getFirst().from())
            .min()
            .orElse(range.from());
    if (begins - range.from() > range.millis() / 20) {
      out.add("Data begins " + text(begins, zone) + ".");
    }
    if (rule.limits().stream().anyMatch(l -> l.test().isOfAbsence())) {
      out.add("Samples that came late count as if they had come in time.");
    }
    if (r.cut()) {
      out.add("There are more series than a rule may watch; the others are left out.");
    }
    return out;
  }

  private static String text(long at, ZoneId zone) {
    return DAY.format(Instant.ofEpochMilli(at).atZone(zone));
  }

  static List<Box> boxes(StateStrip strip) {
    return strip.boxes().stream()
        .map(b -> new Box(b.x(), b.width(), look(b.state(), b.priority())))
        .toList();
  }

  private static Row row(Rule rule, SeriesNames names, Rehearsal.OfSeries s) {
    var boxes = boxes(s.strip());
    var state = s.now();
    boolean value = !Double.isNaN(s.value()) && !state.isMissing();
    return new Row(
        s.labels().isEmpty() ? "all" : s.labels().toString(),
        names.of(s.labels()),
        boxes,
        s.raised() == 0
            ? "never raised"
            : "raised %s, %s in all".formatted(times(s.raised()), Durations.words(s.millis())),
        s.raised() == 0 ? "–" : s.raised() + "×",
        value ? reading(s.value(), rule.unit()) : "no data",
        state.state().text(),
        look(state.state(), state.priority()),
        value ? distance(rule, s.latest(), state) : "");
  }

  /** In a narrow column a unit that is only a word for what is counted goes without saying. */
  private static String reading(double value, String unit) {
    return Units.format(value, unit.startsWith("{") ? "" : unit);
  }

  static String look(WatchState state, vintrel.core.watch.Priority priority) {
    var out = state.name().toLowerCase(Locale.ROOT).replace('_', '-');
    return priority == null ? out : out + " " + priority.text();
  }

  /** How far a value is from the nearest limit that it has not passed. */
  private static String distance(Rule rule, CheckResult.Value value, SeriesState state) {
    if (state.isRaised()) {
      return "";
    }
    double least = Double.POSITIVE_INFINITY;
    for (var limit : rule.limits()) {
      double room = limit.test().room(value);
      least = room >= 0 ? Math.min(least, room) : least;
    }
    return Double.isInfinite(least) ? "" : reading(least, rule.unit());
  }
}
