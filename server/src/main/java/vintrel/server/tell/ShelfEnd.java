package vintrel.server.tell;

import java.time.Instant;
import java.time.ZoneId;
import java.time.temporal.ChronoUnit;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;

/** When a shelf ends, as people write it. */
public final class ShelfEnd {
  private static final int MORNING = 8;

  private ShelfEnd() {}

  /**
   * The end in ms.
   *
   * @param text a duration such as 2h, {@code tomorrow} for 08:00 of the next day, or a time
   * @throws IllegalArgumentException if it is none of these
   */
  public static long of(String text, long now, ZoneId zone) {
    var clean = text.strip();
    if (clean.equals("tomorrow")) {
      var day = Instant.ofEpochMilli(now).atZone(zone).plusDays(1).truncatedTo(ChronoUnit.DAYS);
      return day.plusHours(MORNING).toInstant().toEpochMilli();
    }
    if (clean.matches("\\d+(ms|[smhdw])(\\d+(ms|[smhdw]))*")) {
      return now + Durations.parse(clean).orElse(0);
    }
    return TimeText.range("now", clean, Instant.ofEpochMilli(now), zone).to();
  }
}
