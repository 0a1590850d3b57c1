package vintrel.server.watch;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import vintrel.core.unit.Durations;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.WatchState;

/** The alerts of a rehearsal as times, the longest ones: a chart marks them, a page opens them. */
final class RaisedTimes {
  private static final int MOST = 40;

  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("EEE d MMM HH:mm", Locale.ENGLISH);

  private RaisedTimes() {}

  /**
   * An alert.
   *
   * @param from first ms
   * @param to after the last one
   * @param priority the highest that it had
   * @param lasted in words
   */
  public record Raised(
      String series, long from, long to, String priority, String began, String lasted) {}

  static List<Raised> of(Rehearsal.Result result, ZoneId zone) {
    var out = new ArrayList<Raised>();
    for (var s : result.series()) {
      long from = -1;
      long to = -1;
      Priority highest = null;
      for (var span : s.spans()) {
        boolean on = span.state().isActive() || span.state() == WatchState.CLEARING;
        if (on && from < 0) {
          from = span.from();
          highest = span.priority();
        }
        if (on) {
          to = span.to();
          boolean higher =
              highest == null || span.priority() != null && span.priority().compareTo(highest) < 0;
          highest = higher ? span.priority() : highest;
        } else if (from >= 0) {
          out.add(raised(s, from, to, highest, zone));
          from = -1;
        }
      }
      if (from >= 0) {
        out.add(raised(s, from, to, highest, zone));
      }
    }
    return out.stream()
        .sorted(Comparator.comparingLong(r -> r.from() - r.to()))
        .limit(MOST)
        .toList();
  }

  private static Raised raised(
      Rehearsal.OfSeries s, long from, long to, Priority priority, ZoneId zone) {
    return new Raised(
        s.labels().isEmpty() ? "all" : s.labels().toString(),
        from,
        to,
        priority == null ? "" : priority.text(),
        DAY.format(Instant.ofEpochMilli(from).atZone(zone)),
        Durations.words(to - from));
  }
}
