package vintrel.core.store;

import java.util.Collection;
import java.util.function.Function;
import vintrel.core.unit.Durations;

/** Estimates the disk space of samples from the recent usage. */
public final class DiskForecast {
  private DiskForecast() {}

  /**
   * Storage of some series per day at one resolution.
   *
   * @param tier 0 for raw samples, else a tier's code
   * @param bytes with what a row costs besides its data
   */
  public record Usage(String store, int tier, double samples, double bytes) {}

  /**
   * The time between two samples of a series: a multiple of what it is now, or a time.
   *
   * @param factor how many times as long as now; not used with a time
   * @param millis ms; 0 for a multiple
   */
  public record Interval(double factor, long millis) {
    public static final Interval AS_NOW = new Interval(1, 0);

    /**
     * @param text a duration such as {@code 1 s}, or a multiple of what it is now, such as 2, 0.5
     *     or {@code × 2}; empty for no change
     * @throws IllegalArgumentException if it is neither, or not above zero
     */
    public static Interval parse(String text) {
      var plain = text.strip();
      if (plain.isEmpty()) {
        return AS_NOW;
      }
      var time = Durations.parse(plain.replaceAll("\\s+", ""));
      if (time.isPresent() && time.getAsLong() > 0) {
        return new Interval(1, time.getAsLong());
      }
      double factor;
      try {
        factor = Double.parseDouble(plain.replaceAll("[×x*\\s]", ""));
      } catch (NumberFormatException e) {
        throw new IllegalArgumentException(
            "the interval must be a time such as `10 s`, or a factor such as `2`, not `"
                + plain
                + "`");
      }
      if (!(factor > 0) || Double.isInfinite(factor)) {
        throw new IllegalArgumentException("the interval must be greater than 0");
      }
      return new Interval(factor, 0);
    }

    private double of(Usage u) {
      return millis == 0 ? factor : millis * u.samples() / Durations.DAY;
    }
  }

  /**
   * Bytes once every resolution has reached the age at which it is dropped.
   *
   * @param interval of raw samples. Tiers stay as they are: they hold a bucket per minute, however
   *     many samples it sums up
   * @param retention of a store by its name
   */
  public static double bytes(
      Collection<Usage> usages, Interval interval, Function<String, Retention> retention) {
    double bytes = 0;
    for (var u : usages) {
      double days = retention.apply(u.store()).of(u.tier()) / (double) Durations.DAY;
      bytes += u.bytes() * days / (u.tier() == 0 && u.samples() > 0 ? interval.of(u) : 1);
    }
    return bytes;
  }
}
