package vintrel.core.tell;

import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import net.fortuna.ical4j.model.Recur;
import net.fortuna.ical4j.transform.recurrence.Frequency;
import vintrel.core.unit.Durations;

/**
 * Times that come once or again and again, by a recurrence rule of RFC 5545 in local time: a window
 * at 02:00 stays at 02:00 when clocks change. A time that a clock skips is moved on by the length
 * of the gap; of a time that comes twice the first counts. Immutable; any thread.
 *
 * @param starts the first, in local time
 * @param lasts ms; at most {@link #MAX_LENGTH}
 * @param repeats the rule without its name, such as {@code FREQ=WEEKLY;BYDAY=SU}; empty: once
 * @param except days on which none begins, in local time
 */
public record Schedule(
    LocalDateTime starts, long lasts, String repeats, ZoneId zone, Set<LocalDate> except) {
  public static final long MAX_LENGTH = 31 * Durations.DAY;

  private static final Pattern UNTIL = Pattern.compile("(?i)UNTIL=(\\d{8})(?:T(\\d{6})(Z?))?");

  private static final DateTimeFormatter BASIC = DateTimeFormatter.ofPattern("yyyyMMdd'T'HHmmss");

  /** Occurrences that are listed at once. */
  public static final int MAX_LISTED = 1_000;

  public Schedule {
    except = Set.copyOf(except);
  }

  /**
   * One occurrence.
   *
   * @param from ms, inclusive
   * @param to ms, exclusive
   */
  public record Span(long from, long to) {}

  /** Why a recurrence rule can't be used, in words, or null if it can. */
  public static String fault(String repeats) {
    if (repeats.isEmpty()) {
      return null;
    }
    try {
      var rule = new Recur<ZonedDateTime>(repeats);
      var frequency = rule.getFrequency();
      if (frequency == null) {
        return "a recurrence rule needs FREQ, such as FREQ=WEEKLY;BYDAY=SU";
      }
      if (Set.of(Frequency.SECONDLY, Frequency.MINUTELY, Frequency.HOURLY).contains(frequency)) {
        return "FREQ must be DAILY, WEEKLY, MONTHLY or YEARLY, not " + frequency;
      }
      if (!rule.getHourList().isEmpty()
          || !rule.getMinuteList().isEmpty()
          || !rule.getSecondList().isEmpty()) {
        return "BYHOUR, BYMINUTE and BYSECOND are not supported; `starts` sets the time of day";
      }
      return null;
    } catch (RuntimeException e) {
      return "`" + repeats + "` is not a recurrence rule of RFC 5545: " + e.getMessage();
    }
  }

  /**
   * The occurrence that contains a time, ms; null if there is none. Of several, the last to end.
   */
  public Span at(long time) {
    Span found = null;
    for (var span : between(time, time + 1)) {
      found = found == null || span.to() > found.to() ? span : found;
    }
    return found;
  }

  /** Those that overlap a range, in order; at most {@link #MAX_LISTED}. */
  public List<Span> between(long from, long to) {
    return starts(from - lasts, to).stream()
        .filter(s -> !except.contains(s.toLocalDate()))
        .map(this::span)
        .filter(s -> s.to() > from && s.from() < to)
        .toList();
  }

  /** Those of a range that are left out, in order, as if they were not. */
  public List<Span> leftOut(long from, long to) {
    return starts(from - lasts, to).stream()
        .filter(s -> except.contains(s.toLocalDate()))
        .map(this::span)
        .filter(s -> s.to() > from && s.from() < to)
        .toList();
  }

  private Span span(LocalDateTime start) {
    long at = start.atZone(zone).toInstant().toEpochMilli();
    return new Span(at, at + lasts);
  }

  /** The rule with its UNTIL in local time, to the end of the day if it is a day. */
  private String inLocalTime() {
    var until = UNTIL.matcher(repeats);
    if (!until.find()) {
      return repeats;
    }
    var local = until.group(1) + "T" + (until.group(2) == null ? "235959" : until.group(2));
    if (until.group(3) != null && !until.group(3).isEmpty()) {
      local =
          LocalDateTime.parse(local, BASIC)
              .atOffset(ZoneOffset.UTC)
              .atZoneSameInstant(zone)
              .format(BASIC);
    }
    return until.replaceFirst("UNTIL=" + local + "Z");
  }

  /** In local time, whatever the zone: all that could begin in the range, and a day around it. */
  private List<LocalDateTime> starts(long from, long to) {
    if (repeats.isEmpty()) {
      return List.of(starts);
    }
    var utc = ZoneOffset.UTC;
    var first = Instant.ofEpochMilli(from).atZone(zone).toLocalDateTime().minusDays(1);
    var last = Instant.ofEpochMilli(to).atZone(zone).toLocalDateTime().plusDays(1);
    var found =
        new Recur<ZonedDateTime>(inLocalTime())
            .getDates(starts.atZone(utc), first.atZone(utc), last.atZone(utc), MAX_LISTED);
    var out = new TreeSet<LocalDateTime>();
    found.forEach(t -> out.add(t.toLocalDateTime()));
    return new ArrayList<>(out);
  }
}
