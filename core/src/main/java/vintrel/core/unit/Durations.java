package vintrel.core.unit;

import java.util.OptionalLong;

/**
 * Durations: a whole number and one of ms, s, m, h, d, w; several may follow each other (1h30m).
 */
public final class Durations {
  public static final long SECOND = 1000;
  public static final long MINUTE = 60 * SECOND;
  public static final long HOUR = 60 * MINUTE;
  public static final long DAY = 24 * HOUR;
  public static final long WEEK = 7 * DAY;

  private static final String[] NAMES = {"w", "d", "h", "m", "s", "ms"};
  private static final long[] SIZES = {WEEK, DAY, HOUR, MINUTE, SECOND, 1};

  private Durations() {}

  /** The milliseconds of a text, or empty if it is not a duration. */
  public static OptionalLong parse(String text) {
    long total = 0;
    int i = 0;
    while (i < text.length()) {
      int digits = i;
      while (i < text.length() && Character.isDigit(text.charAt(i))) {
        i++;
      }
      int unit = i;
      while (i < text.length() && Character.isLetter(text.charAt(i))) {
        i++;
      }
      long size = size(text.substring(unit, i));
      if (unit == digits || unit - digits > 9 || size == 0) {
        return OptionalLong.empty();
      }
      total += Long.parseLong(text.substring(digits, unit)) * size;
    }
    return text.isEmpty() ? OptionalLong.empty() : OptionalLong.of(total);
  }

  private static long size(String unit) {
    for (int i = 0; i < NAMES.length; i++) {
      if (NAMES[i].equals(unit)) {
        return SIZES[i];
      }
    }
    return 0;
  }

  /**
   * The canonical text: the largest unit that divides it, such as 90s for a minute and a half. What
   * would be too many digits to be read again is written in several units.
   */
  public static String text(long millis) {
    for (int i = 0; i < NAMES.length; i++) {
      if (millis != 0 && millis % SIZES[i] == 0 && millis / SIZES[i] <= MOST) {
        return millis / SIZES[i] + NAMES[i];
      }
    }
    var out = new StringBuilder();
    long rest = millis;
    for (int i = 0; i < NAMES.length; i++) {
      long n = Math.min(MOST, rest / SIZES[i]);
      if (n > 0) {
        out.append(n).append(NAMES[i]);
        rest -= n * SIZES[i];
      }
    }
    return out.isEmpty() ? "0s" : out.toString();
  }

  /** A number of more digits is not read. */
  private static final long MOST = 999_999_999;

  /** For reading, to two units: 2 h 5 min; from ten minutes on without seconds. */
  public static String words(long millis) {
    if (millis < SECOND) {
      return millis + " ms";
    }
    long[] sizes = {DAY, HOUR, MINUTE, SECOND};
    String[] names = {" d", " h", " min", " s"};
    for (int i = 0; i < sizes.length; i++) {
      if (millis >= sizes[i]) {
        boolean enough = i == 2 && millis >= 10 * MINUTE;
        long rest = i + 1 < sizes.length && !enough ? millis % sizes[i] / sizes[i + 1] : 0;
        return millis / sizes[i] + names[i] + (rest > 0 ? " " + rest + names[i + 1] : "");
      }
    }
    return "0 s";
  }
}
