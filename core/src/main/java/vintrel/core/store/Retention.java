package vintrel.core.store;

import vintrel.core.unit.Durations;

/**
 * How long a store keeps samples, by resolution; ms. A coarser tier is kept at least as long as a
 * finer one.
 */
public record Retention(long raw, long minute, long tenMinutes, long hour) {
  /** Raw samples must live until every tier has been made of them. */
  public static final long MIN_RAW = 2 * Durations.DAY;

  public static final long MAX = 20 * 366 * Durations.DAY;

  public Retention {
    if (raw < MIN_RAW) {
      throw new IllegalArgumentException(
          "the retention of raw samples must be at least " + Durations.words(MIN_RAW));
    }
    if (raw > minute || minute > tenMinutes || tenMinutes > hour) {
      throw new IllegalArgumentException(
          "the retention of a coarser resolution must be at least that of a finer one");
    }
    if (hour > MAX) {
      throw new IllegalArgumentException("retention can be at most 20 years");
    }
  }

  /** The usual one: tiers outlive raw samples three, twelve and thirty-six times. */
  public static Retention of(long raw) {
    return new Retention(
        raw, Math.min(3 * raw, MAX), Math.min(12 * raw, MAX), Math.min(36 * raw, MAX));
  }

  /** Of a tier's code; 0 is raw. */
  public long of(int code) {
    return switch (code) {
      case 0 -> raw;
      case 1 -> minute;
      case 2 -> tenMinutes;
      default -> hour;
    };
  }
}
