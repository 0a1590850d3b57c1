package vintrel.core.panel;

import java.time.Instant;
import java.time.LocalTime;
import java.time.ZoneId;
import java.util.stream.LongStream;

/** The hours from 18:00 to 06:00 on the clock of a zone. */
final class Nights {
  private static final LocalTime DUSK = LocalTime.of(18, 0);
  private static final LocalTime DAWN = LocalTime.of(6, 0);

  /** Beyond these, nights are too narrow to tell days apart. */
  private static final int MOST = 100;

  private Nights() {}

  /**
   * Starts and ends within [from, to), ms since the epoch, alternating; none if there are more than
   * 100 nights.
   */
  static long[] of(long from, long to, ZoneId zone) {
    var out = LongStream.builder();
    int n = 0;
    var day = Instant.ofEpochMilli(from).atZone(zone).toLocalDate().minusDays(1);
    while (true) {
      long dusk = day.atTime(DUSK).atZone(zone).toInstant().toEpochMilli();
      day = day.plusDays(1);
      long dawn = day.atTime(DAWN).atZone(zone).toInstant().toEpochMilli();
      if (dusk >= to) {
        return out.build().toArray();
      }
      if (dawn > from) {
        if (++n > MOST) {
          return new long[0];
        }
        out.add(Math.max(from, dusk)).add(Math.min(to, dawn));
      }
    }
  }
}
