package vintrel.core.store;

import java.util.Collection;
import java.util.function.Function;
import vintrel.core.unit.Durations;

/** What samples will take on the disk, from what they took of late. */
public final class DiskForecast {
  private DiskForecast() {}

  /**
   * What some series bring in a day at one resolution.
   *
   * @param tier 0 for raw samples, else a tier's code
   * @param bytes with what a row costs besides its data
   */
  public record Usage(String store, int tier, double samples, double bytes) {}

  /**
   * Bytes once every resolution has reached the age at which it is dropped.
   *
   * @param interval how many times as long the time between samples gets; 1 leaves it, 2 halves the
   *     raw samples. Tiers stay as they are: they hold a bucket a minute, however many samples it
   *     sums up
   * @param retention of a store by its name
   * @throws IllegalArgumentException if the interval is not above zero
   */
  public static double bytes(
      Collection<Usage> usages, double interval, Function<String, Retention> retention) {
    if (!(interval > 0)) {
      throw new IllegalArgumentException("the interval must be greater than 0");
    }
    double bytes = 0;
    for (var u : usages) {
      double days = retention.apply(u.store()).of(u.tier()) / (double) Durations.DAY;
      bytes += u.bytes() * days / (u.tier() == 0 ? interval : 1);
    }
    return bytes;
  }
}
