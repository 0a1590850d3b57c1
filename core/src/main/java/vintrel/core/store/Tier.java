package vintrel.core.store;

import java.util.List;
import vintrel.core.unit.Durations;

/**
 * A resolution that samples are rolled up to.
 *
 * @param code kept in the database; raw samples have 0
 * @param pitch ms of a bucket
 * @param window ms of the buckets that one row holds; windows start at multiples of it
 */
public record Tier(int code, long pitch, long window, String text) {
  public static final Tier MINUTE = new Tier(1, Durations.MINUTE, 4 * Durations.HOUR, "1 min");
  public static final Tier TEN_MINUTES =
      new Tier(2, 10 * Durations.MINUTE, 12 * Durations.HOUR, "10 min");
  public static final Tier HOUR = new Tier(3, Durations.HOUR, Durations.DAY, "1 h");

  /** From fine to coarse. */
  public static final List<Tier> ALL = List.of(MINUTE, TEN_MINUTES, HOUR);

  /** Buckets with fewer samples than this are not worth a tier: the raw samples are as quick. */
  private static final int MIN_SAMPLES = 4;

  /** Whether this tier is kept for a series with a usual distance of samples, ms. */
  public boolean pays(long interval) {
    return interval > 0 && interval * MIN_SAMPLES <= pitch;
  }

  /**
   * The coarsest tier whose buckets fill buckets of a grid exactly, or null.
   *
   * @param pitch ms of the grid's buckets
   * @param origin a bucket of the grid begins here
   */
  public static Tier fitting(long pitch, long origin) {
    for (int i = ALL.size() - 1; i >= 0; i--) {
      var t = ALL.get(i);
      if (pitch % t.pitch == 0 && origin % t.pitch == 0) {
        return t;
      }
    }
    return null;
  }

  /** The next finer tier, or null. */
  public Tier finer() {
    return code == 1 ? null : ALL.get(code - 2);
  }
}
