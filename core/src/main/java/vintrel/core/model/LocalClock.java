package vintrel.core.model;

import java.time.Instant;
import java.time.ZoneId;

/** Ms since 1970 as a clock on the wall counts them. */
final class LocalClock {
  private final ZoneId zone;
  private final boolean fixed;
  private volatile Stretch known = new Stretch(0, 0, 0);

  /** A time in which the zone's offset stays. */
  private record Stretch(long from, long to, long offset) {}

  LocalClock(ZoneId zone) {
    this.zone = zone;
    this.fixed = zone.getRules().isFixedOffset();
  }

  long local(long at) {
    var here = known;
    if (at < here.from || at >= here.to) {
      here = stretch(at);
      known = here;
    }
    return at + here.offset;
  }

  private Stretch stretch(long at) {
    var rules = zone.getRules();
    var instant = Instant.ofEpochMilli(at);
    long offset = 1_000L * rules.getOffset(instant).getTotalSeconds();
    if (fixed) {
      return new Stretch(Long.MIN_VALUE, Long.MAX_VALUE, offset);
    }
    var before = rules.previousTransition(instant.plusMillis(1));
    var after = rules.nextTransition(instant);
    return new Stretch(
        before == null ? Long.MIN_VALUE : before.getInstant().toEpochMilli(),
        after == null ? Long.MAX_VALUE : after.getInstant().toEpochMilli(),
        offset);
  }
}
