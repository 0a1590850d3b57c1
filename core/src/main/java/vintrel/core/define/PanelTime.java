package vintrel.core.define;

import java.time.DayOfWeek;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.time.temporal.TemporalAdjusters;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;

/** The time that a panel shows in place of its page's. Pure; any thread. */
public final class PanelTime {
  static final String PATTERN = "(-[0-9]{1,9}(s|m|h|d|w)|today|yesterday|this week)?";

  private PanelTime() {}

  /**
   * The range of a panel, which goes with the end of its page's: of a past page, {@code today} is
   * that day.
   *
   * @param time {@code today}, {@code yesterday}, {@code this week} (from Monday on), how far back
   *     it begins such as {@code -24h}, or empty
   * @param page that it has if the time is empty
   * @param zone whose days they are
   */
  public static TimeText.Range of(String time, TimeText.Range page, ZoneId zone) {
    if (time.isEmpty()) {
      return page;
    }
    // The end is exclusive: what ends at midnight belongs to the day before.
    var day = LocalDate.ofInstant(Instant.ofEpochMilli(page.to() - 1), zone);
    return switch (time) {
      case "today" -> new TimeText.Range(start(day, zone), page.to());
      case "yesterday" -> new TimeText.Range(start(day.minusDays(1), zone), start(day, zone));
      case "this week" -> {
        var monday = day.with(TemporalAdjusters.previousOrSame(DayOfWeek.MONDAY));
        yield new TimeText.Range(start(monday, zone), page.to());
      }
      default -> {
        long back = Durations.parse(time.substring(1)).orElseThrow();
        yield new TimeText.Range(page.to() - Math.max(1_000, back), page.to());
      }
    };
  }

  /** As it stands beside a title; empty if it is the page's. */
  static String words(String time) {
    return time.startsWith("-") ? "last " + time.substring(1) : time;
  }

  private static long start(LocalDate day, ZoneId zone) {
    return day.atStartOfDay(zone).toInstant().toEpochMilli();
  }
}
