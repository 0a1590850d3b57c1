package vintrel.core.collect;

/**
 * A limit on an amount per second, as a token bucket: it fills at the rate, holds ten seconds'
 * worth and is emptied by what is sent. An amount is accepted as a whole while the bucket is not
 * empty, so that a request larger than the bucket is not refused for ever; it leaves a debt that
 * later ones wait for. Thread-safe.
 */
public final class RateLimit {
  private static final double BURST_SECONDS = 10;

  private final double perSecond;
  private double left;
  private long filledAt;

  /**
   * @param perSecond above zero
   * @param now ms, by a clock that may go back
   */
  public RateLimit(double perSecond, long now) {
    this.perSecond = perSecond;
    this.left = perSecond * BURST_SECONDS;
    this.filledAt = now;
  }

  /** Takes an amount: 0 if it is accepted, else the seconds after which to try again. */
  public synchronized int take(long amount, long now) {
    double passed = Math.max(0, now - filledAt) / 1000.0;
    filledAt = now;
    left = Math.min(perSecond * BURST_SECONDS, left + passed * perSecond);
    if (left <= 0) {
      return (int) Math.clamp(Math.ceil(-left / perSecond) + 1, 1, 3600);
    }
    left -= amount;
    return 0;
  }

  public double perSecond() {
    return perSecond;
  }
}
