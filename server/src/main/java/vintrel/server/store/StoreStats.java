package vintrel.server.store;

import java.util.Arrays;
import java.util.concurrent.atomic.LongAdder;

/** How the store does: counts since the start, and durations of late. Any thread. */
public final class StoreStats {
  private static final int KEPT = 512;

  private final LongAdder accepted = new LongAdder();
  private final LongAdder refused = new LongAdder();
  private final LongAdder deferred = new LongAdder();
  private final double[] commits = new double[KEPT];
  private int commit;
  private volatile double flushSeconds;
  private volatile double rollupSeconds;

  void committed(long samples, long refusedSamples, double seconds) {
    accepted.add(samples);
    refused.add(refusedSamples);
    synchronized (commits) {
      commits[commit++ % KEPT] = seconds;
    }
  }

  void deferred(long samples) {
    deferred.add(samples);
  }

  void flushed(double seconds) {
    flushSeconds = seconds;
  }

  void rolledUp(double seconds) {
    rollupSeconds = seconds;
  }

  public long accepted() {
    return accepted.sum();
  }

  /** Samples that were too old or too new. */
  public long refused() {
    return refused.sum();
  }

  /** Samples whose senders were told to retry. */
  public long deferred() {
    return deferred.sum();
  }

  /** A quantile of the latest durable commits, in seconds; NaN before the first. */
  public double commitSeconds(double q) {
    synchronized (commits) {
      var some = Arrays.copyOf(commits, Math.min(commit, KEPT));
      Arrays.sort(some);
      return some.length == 0 ? Double.NaN : some[(int) (q * (some.length - 1))];
    }
  }

  /** How long the latest flush took. */
  public double flushSeconds() {
    return flushSeconds;
  }

  public double rollupSeconds() {
    return rollupSeconds;
  }
}
