package vintrel.core.query.plan;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import vintrel.core.chunk.Samples;
import vintrel.core.unit.Durations;

/**
 * Earlier times as clocks on the wall show them. A shift of whole days goes to the same clock time
 * that many days before; any other shift is a plain difference. An hour that a clock shows twice is
 * taken the first time; to an hour that it leaves out nothing corresponds. Pure; any thread.
 */
public final class ClockShift {
  private ClockShift() {}

  /**
   * A time span [from, to) that corresponds to [from - by, to - by).
   *
   * @param by ms
   */
  public record Piece(long from, long to, long by) {}

  public static boolean byCalendar(long millis, ZoneId zone) {
    return millis % Durations.DAY == 0 && !zone.getRules().isFixedOffset();
  }

  /** The time that corresponds to a time: so much before it. */
  public static long back(long time, long millis, ZoneId zone) {
    return byCalendar(millis, zone)
        ? instant(clock(time, zone).minusDays(millis / Durations.DAY), zone)
        : time - millis;
  }

  /** Midnight of the day a number of days after the one that begins at a time. */
  public static long midnight(long midnight, long millis, ZoneId zone) {
    var day = clock(midnight, zone).toLocalDate().plusDays(millis / Durations.DAY);
    return day.atStartOfDay(zone).toInstant().toEpochMilli();
  }

  private static LocalDateTime clock(long time, ZoneId zone) {
    return LocalDateTime.ofInstant(Instant.ofEpochMilli(time), zone);
  }

  /** The first instant at which a clock shows a time, or when it jumps over it. */
  private static long instant(LocalDateTime clock, ZoneId zone) {
    var jump = zone.getRules().getTransition(clock);
    return jump != null && jump.isGap()
        ? jump.toEpochSecond() * 1000
        : clock.atZone(zone).toInstant().toEpochMilli();
  }

  private static boolean leftOut(LocalDateTime clock, ZoneId zone) {
    return zone.getRules().getValidOffsets(clock).isEmpty();
  }

  /** Whether nothing corresponds to a time, since clocks did not show it so long before. */
  public static boolean isLeftOut(long time, long millis, ZoneId zone) {
    return byCalendar(millis, zone)
        && leftOut(clock(time, zone).minusDays(millis / Durations.DAY), zone);
  }

  /** The pieces of [from, to) that have something corresponding to them, in order. */
  public static List<Piece> pieces(long from, long to, long millis, ZoneId zone) {
    if (!byCalendar(millis, zone)) {
      return List.of(new Piece(from, to, millis));
    }
    var edges = edges(from, to, millis, zone);
    var out = new ArrayList<Piece>();
    long start = from;
    for (long end : edges) {
      var clock = clock(start, zone).minusDays(millis / Durations.DAY);
      if (!leftOut(clock, zone)) {
        long by = start - instant(clock, zone);
        var last = out.isEmpty() ? null : out.getLast();
        if (last != null && last.to() == start && last.by() == by) {
          out.set(out.size() - 1, new Piece(last.from(), end, by));
        } else {
          out.add(new Piece(start, end, by));
        }
      }
      start = end;
    }
    return out;
  }

  /** Where the difference may change, and the end. */
  private static TreeSet<Long> edges(long from, long to, long millis, ZoneId zone) {
    var rules = zone.getRules();
    var out = new TreeSet<Long>();
    var at = rules.nextTransition(Instant.ofEpochMilli(from));
    while (at != null && at.toEpochSecond() * 1000 < to) {
      out.add(at.toEpochSecond() * 1000);
      at = rules.nextTransition(at.getInstant());
    }
    var before = rules.nextTransition(Instant.ofEpochMilli(from - millis - Durations.DAY));
    while (before != null && before.toEpochSecond() * 1000 < to - millis + Durations.DAY) {
      for (var clock : List.of(before.getDateTimeBefore(), before.getDateTimeAfter())) {
        var there = clock.plusDays(millis / Durations.DAY);
        rules.getValidOffsets(there).forEach(o -> out.add(there.toInstant(o).toEpochMilli()));
        out.add(instant(there, zone));
      }
      before = rules.nextTransition(before.getInstant());
    }
    out.removeIf(e -> e <= from || e >= to);
    out.add(to);
    return out;
  }

  /** Samples moved to the times that correspond to theirs. */
  public static Samples moved(Samples s, long millis, ZoneId zone) {
    if (s.isEmpty()) {
      return s;
    }
    var times = new long[s.count()];
    if (!byCalendar(millis, zone)) {
      for (int i = 0; i < times.length; i++) {
        times[i] = s.times()[i] + millis;
      }
      return new Samples(times, s.values(), times.length);
    }
    var out = new ArrayList<Samples>();
    long first = s.firstTime() + millis - Durations.DAY;
    long end = s.lastTime() + millis + Durations.DAY;
    for (var p : pieces(first, end, millis, zone)) {
      out.add(moved(s.slice(p.from() - p.by(), p.to() - p.by()), p.by(), java.time.ZoneOffset.UTC));
    }
    return joined(out);
  }

  private static Samples joined(List<Samples> parts) {
    int n = parts.stream().mapToInt(Samples::count).sum();
    var times = new long[n];
    var values = new double[n];
    int at = 0;
    for (var p : parts) {
      System.arraycopy(p.times(), 0, times, at, p.count());
      System.arraycopy(p.values(), 0, values, at, p.count());
      at += p.count();
    }
    return new Samples(times, values, n);
  }
}
