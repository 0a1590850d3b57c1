package vintrel.server;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;

/** A clock that a test moves: it runs ahead of the machine's, or stands still. Any thread. */
public final class SettableClock extends Clock {
  private volatile Duration ahead = Duration.ZERO;
  private volatile Instant still;

  /** One that stands still until it is moved. */
  public static SettableClock at(Instant instant) {
    var clock = new SettableClock();
    clock.still = instant;
    return clock;
  }

  public void forward(Duration by) {
    if (still != null) {
      still = still.plus(by);
    } else {
      ahead = ahead.plus(by);
    }
  }

  /** Back to the machine's time. */
  public void reset() {
    ahead = Duration.ZERO;
  }

  @Override
  public Instant instant() {
    return still != null ? still : Instant.now().plus(ahead);
  }

  @Override
  public ZoneId getZone() {
    return ZoneOffset.UTC;
  }

  @Override
  public Clock withZone(ZoneId zone) {
    return this;
  }
}
