package vintrel.core.unit;

import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.util.Locale;

/**
 * Times as people type them: {@code now}, {@code -6h}, ms since the epoch, ISO 8601 with or without
 * zone, {@code 14:00}, {@code today 9:30}, {@code yesterday}. What has no zone is in the given one.
 */
public final class TimeText {
  private TimeText() {}

  /** A range [from, to) in ms since the epoch. */
  /** The first ms of the year 1 and the last of 9999, in UTC. */
  private static final long FIRST = -62_135_596_800_000L;

  private static final long LAST = 253_402_300_799_999L;
  private static final int MAX_LENGTH = 100;
  private static final int QUOTED = 60;

  public record Range(long from, long to) {
    public Range {
      if (to == from) {
        throw new IllegalArgumentException(
            "the range is empty: its start and its end are the same time; choose a later end");
      }
      if (to < from) {
        throw new IllegalArgumentException("the range ends before it starts; swap the two times");
      }
    }

    public long millis() {
      return to - from;
    }

    /** As long, and so many ms before. */
    public Range before(long ms) {
      return new Range(from - ms, to - ms);
    }
  }

  /**
   * The ms since the epoch that a text means.
   *
   * @throws IllegalArgumentException in words for the person who typed it
   */
  public static long parse(String text, Instant now, ZoneId zone) {
    long millis = read(text, now, zone);
    if (millis < FIRST || millis > LAST) {
      throw new IllegalArgumentException(
          "'" + quoted(text) + "' is outside the years 1 to 9999; a year has four digits");
    }
    return millis;
  }

  private static String quoted(String text) {
    return text.length() <= QUOTED ? text : text.substring(0, QUOTED) + "…";
  }

  private static long read(String text, Instant now, ZoneId zone) {
    if (text.length() > MAX_LENGTH) {
      throw new IllegalArgumentException("'" + quoted(text) + "' is too long for a time");
    }
    String t = text.strip().toLowerCase(Locale.ROOT);
    if (t.isEmpty() || t.equals("now")) {
      return now.toEpochMilli();
    }
    if (t.startsWith("-") && Durations.parse(t.substring(1)).isPresent()) {
      return now.toEpochMilli() - Durations.parse(t.substring(1)).getAsLong();
    }
    if (t.matches("\\d{11,14}")) {
      return Long.parseLong(t);
    }
    if (t.matches("\\d{9,10}(\\.\\d+)?")) {
      throw new IllegalArgumentException(
          "'" + text + "' is not a time; write milliseconds, not seconds");
    }
    try {
      return words(text.strip(), t, now, zone);
    } catch (DateTimeException | ArithmeticException e) {
      throw new IllegalArgumentException(
          "'" + text + "' is not a time; try -6h, yesterday 14:00, or 2026-03-01T14:00");
    }
  }

  private static long words(String original, String t, Instant now, ZoneId zone) {
    var today = LocalDate.ofInstant(now, zone);
    for (var day : new String[] {"today", "yesterday"}) {
      if (t.startsWith(day)) {
        var date = day.equals("today") ? today : today.minusDays(1);
        var rest = t.substring(day.length()).strip();
        return at(date, rest.isEmpty() ? LocalTime.MIDNIGHT : clock(rest), zone);
      }
    }
    if (t.matches("\\d{1,2}:\\d{2}(:\\d{2})?")) {
      return at(today, clock(t), zone);
    }
    if (t.matches("\\d{4}-\\d{2}-\\d{2}")) {
      return at(LocalDate.parse(t), LocalTime.MIDNIGHT, zone);
    }
    String iso = original.replace(' ', 'T').toUpperCase(Locale.ROOT);
    return iso.matches(".*(Z|[+-]\\d{2}:?\\d{2})$") && iso.contains("T")
        ? OffsetDateTime.parse(iso).toInstant().toEpochMilli()
        : LocalDateTime.parse(iso).atZone(zone).toInstant().toEpochMilli();
  }

  private static LocalTime clock(String text) {
    return LocalTime.parse(text.length() == 4 || text.indexOf(':') == 1 ? "0" + text : text);
  }

  private static long at(LocalDate date, LocalTime time, ZoneId zone) {
    return date.atTime(time).atZone(zone).toInstant().toEpochMilli();
  }

  /** A range of two texts; both relative to the same now. */
  public static Range range(String from, String to, Instant now, ZoneId zone) {
    return new Range(parse(from, now, zone), parse(to, now, zone));
  }
}
