package vintrel.core.picture;

import java.time.Instant;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** Ticks that fall on round numbers, with their texts. */
public record Axis(double min, double max, List<Tick> ticks, Units.Scale scale) {
  public record Tick(double at, String text) {}

  /** Values this near to each other, as a share of their size, are one. */
  private static final double SAME = 1e-9;

  /** What is smaller is nothing. */
  private static final double LEAST = 1e-300;

  /** So many values between the ends of an axis can be told apart. */
  private static final double FINE = 40_000;

  /** Up to it all whole numbers are doubles. */
  private static final double EXACT = 1L << 53;

  /** Ticks of an axis as it usually is. */
  private static final int USUAL = 5;

  /** Beyond it steps could not be counted. */
  private static final double MOST = 1e300;

  /**
   * A value axis around [low, high]: steps of 1, 2, 2.5 or 5 times a power of ten (of two for
   * nothing), zero included if the data comes near it.
   *
   * @param wanted about how many ticks
   */
  public static Axis values(double low, double high, String unit, int wanted) {
    if (!(low <= high)) {
      return new Axis(0, 1, List.of(), Units.scale(1, 0, unit));
    }
    double size = Math.max(Math.abs(low), Math.abs(high));
    if (size > MOST || size < LEAST) {
      return size < LEAST
          ? values(0, 1, unit, wanted)
          : new Axis(Math.min(low, 0), Math.max(high, 0), List.of(), Units.scale(size, 0, unit));
    }
    double min = low >= 0 && low < 0.6 * high ? 0 : low;
    double max = high <= 0 && high > 0.6 * low ? 0 : high;
    // Of values that differ only by how they were computed, steps would be too small to count.
    if (max - min < SAME * size) {
      min -= size * 0.1;
      max += size * 0.1;
    }
    double rough = (max - min) / Math.max(1, wanted);
    double top = Math.max(Math.abs(min), Math.abs(max));
    double step = step(rough, unit, top);
    double first = Math.floor(min / step + 1e-9);
    double last = Math.ceil(max / step - 1e-9);
    double end = Math.max(Math.abs(first), Math.abs(last)) * step;
    // Rounded up it may be of the next unit, whose steps are others: 110 s, 2 min.
    boolean same = Units.scale(end, 0, unit).suffix().equals(Units.scale(top, 0, unit).suffix());
    var scale = Units.scale(same ? end : top, step, unit);
    var ticks = new ArrayList<Tick>();
    for (double k = first; k <= last; k++) {
      double at = round(k * step, step);
      ticks.add(new Tick(at, scale.format(at)));
    }
    return new Axis(first * step, last * step, ticks, scale);
  }

  /** The distance of neighbouring ticks of a value axis around [low, high]; 0 if it has none. */
  static double step(double low, double high, String unit) {
    var ticks = values(low, high, unit, USUAL).ticks();
    return ticks.size() < 2 ? 0 : ticks.get(1).at() - ticks.get(0).at();
  }

  /**
   * The distance of the values that {@link #drawn} tells apart: a power of ten, far below a pixel
   * on the largest screen.
   */
  public double fineness() {
    return fineness(max - min);
  }

  /** The same for a span of values; 0: all are told apart. */
  static double fineness(double span) {
    double least = span / FINE;
    return least > LEAST && least < MOST ? Math.pow(10, Math.floor(Math.log10(least))) : 0;
  }

  /**
   * Values as exact as a screen can show them, which are shorter to write. What is not zero does
   * not become it; what is missing stays so.
   */
  public double[] drawn(double[] values) {
    return rounded(values, fineness());
  }

  static double[] rounded(double[] values, double fine) {
    if (fine == 0) {
      return values;
    }
    // Powers of ten of whole exponents are exact, their reciprocals are not.
    double whole = fine < 1 ? Math.rint(1 / fine) : Math.rint(fine);
    var out = new double[values.length];
    for (int i = 0; i < out.length; i++) {
      double v = values[i];
      double steps = Math.rint(fine < 1 ? v * whole : v / whole);
      if (steps == 0 && v != 0) {
        steps = Math.signum(v);
      }
      out[i] = Math.abs(steps) < EXACT ? (fine < 1 ? steps / whole : steps * whole) : v;
    }
    return out;
  }

  private static double round(double v, double step) {
    double unit = Math.pow(10, Math.floor(Math.log10(step)) - 3);
    return unit >= 1 ? v : Math.rint(v / unit) * unit;
  }

  /** A round step; of durations in the unit that is written for their size. */
  private static double step(double rough, String unit, double size) {
    if (!"s".equals(unit) && !"ms".equals(unit)) {
      return decimal(rough);
    }
    var written = Units.scale(size, 0, unit);
    double steps = rough / written.divisor();
    double[] round =
        switch (written.suffix()) {
          case " min" -> SIXTIETHS;
          case " h" -> HOURS;
          default -> new double[0];
        };
    for (double s : round) {
      if (s >= steps * (1 - 1e-9) && steps > 0.5) {
        return s * written.divisor();
      }
    }
    return decimal(steps) * written.divisor();
  }

  private static final double[] SIXTIETHS = {1, 2, 5, 10, 15, 20, 30, 60};
  private static final double[] HOURS = {1, 2, 3, 4, 6, 12, 24, 48};

  private static double decimal(double rough) {
    double power = Math.pow(10, Math.floor(Math.log10(rough)));
    for (double f : new double[] {1, 2, 2.5, 5, 10}) {
      if (f * power >= rough * (1 - 1e-9)) {
        return f * power;
      }
    }
    return 10 * power;
  }

  private static final long[] STEPS = {
    Durations.SECOND,
    5 * Durations.SECOND,
    10 * Durations.SECOND,
    30 * Durations.SECOND,
    Durations.MINUTE,
    2 * Durations.MINUTE,
    5 * Durations.MINUTE,
    10 * Durations.MINUTE,
    15 * Durations.MINUTE,
    30 * Durations.MINUTE,
    Durations.HOUR,
    2 * Durations.HOUR,
    3 * Durations.HOUR,
    6 * Durations.HOUR,
    12 * Durations.HOUR,
    Durations.DAY,
    2 * Durations.DAY,
    Durations.WEEK,
    2 * Durations.WEEK
  };

  /**
   * Ticks of a time axis at round local times; the first tick of a day carries the date. Ticks of
   * half a day and less stay on the local clock over a change of its offset.
   *
   * @param wanted at most about how many
   */
  public static List<Tick> times(long from, long to, ZoneId zone, int wanted) {
    long weeks = Math.ceilDiv(to - from, (long) Math.max(1, wanted) * Durations.WEEK);
    long step = Math.max(STEPS[STEPS.length - 1], weeks * Durations.WEEK);
    for (long s : STEPS) {
      if ((to - from) / s <= wanted) {
        step = s;
        break;
      }
    }
    var clock =
        DateTimeFormatter.ofPattern(step < Durations.MINUTE ? "HH:mm:ss" : "HH:mm", Locale.ROOT);
    var date = DateTimeFormatter.ofPattern("EEE d MMM", Locale.ENGLISH);
    var at = floor(Instant.ofEpochMilli(from).atZone(zone), step);
    var out = new ArrayList<Tick>();
    while (at.toInstant().toEpochMilli() < to) {
      long millis = at.toInstant().toEpochMilli();
      if (millis >= from) {
        boolean midnight = at.toLocalTime().toSecondOfDay() == 0;
        out.add(new Tick(millis, at.format(step >= Durations.DAY || midnight ? date : clock)));
      }
      at = next(at, step);
    }
    return out;
  }

  private static ZonedDateTime floor(ZonedDateTime t, long step) {
    var day = t.truncatedTo(ChronoUnit.DAYS);
    if (step >= Durations.DAY) {
      long n = Math.floorMod(day.toLocalDate().toEpochDay() - 4, step / Durations.DAY);
      return day.minusDays(n);
    }
    long within = t.toLocalTime().toNanoOfDay() / 1_000_000;
    return day.with(java.time.LocalTime.ofNanoOfDay((within - within % step) * 1_000_000));
  }

  private static ZonedDateTime next(ZonedDateTime t, long step) {
    if (step >= Durations.DAY) {
      return t.plusDays(step / Durations.DAY);
    }
    var next = t.plus(step, ChronoUnit.MILLIS);
    return step < Durations.HOUR ? next : settle(t, next, step);
  }

  /** After a change of the clock, hours that no longer fall on the step are pulled back onto it. */
  private static ZonedDateTime settle(ZonedDateTime before, ZonedDateTime next, long step) {
    long within = next.toLocalTime().toNanoOfDay() / 1_000_000;
    if (within % step == 0) {
      return next;
    }
    var floored = floor(next, step);
    return floored.isAfter(before) ? floored : floored.plus(step, ChronoUnit.MILLIS);
  }
}
