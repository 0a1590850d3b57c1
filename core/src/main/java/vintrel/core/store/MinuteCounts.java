package vintrel.core.store;

import java.util.HashMap;
import java.util.Map;
import vintrel.core.unit.Durations;

/**
 * How many samples lie in each minute, kept as they come and go, so that nobody has to look at each
 * of many series. Callers hold its lock.
 */
final class MinuteCounts {
  private static final int MINUTES = 60;

  /** Takes the count of a minute. */
  @FunctionalInterface
  interface Each {
    void minute(long start, int count);
  }

  private final Map<Long, int[]> hours = new HashMap<>();
  private long lastHour = Long.MIN_VALUE;
  private int[] last;

  void add(long time, int count) {
    long hour = Math.floorDiv(time, Durations.HOUR);
    if (hour != lastHour) {
      last = hours.computeIfAbsent(hour, h -> new int[MINUTES]);
      lastHour = hour;
    }
    last[(int) (Math.floorMod(time, Durations.HOUR) / Durations.MINUTE)] += count;
  }

  /** Adds or, with −1, takes away each sample of a run. */
  void add(Run run, int each) {
    for (int i = 0; i < run.count(); i++) {
      add(run.time(i), each);
    }
  }

  /** Forgets the hours in which there is nothing any more. */
  void tidy() {
    hours.values().removeIf(MinuteCounts::empty);
    lastHour = Long.MIN_VALUE;
    last = null;
  }

  private static boolean empty(int[] minutes) {
    for (int n : minutes) {
      if (n != 0) {
        return false;
      }
    }
    return true;
  }

  /** The minutes that [from, to) touches and that have samples, in no order; ms since the epoch. */
  void each(long from, long to, Each each) {
    hours.forEach(
        (hour, minutes) -> {
          long start = hour * Durations.HOUR;
          if (start >= to || start + Durations.HOUR <= from) {
            return;
          }
          for (int m = 0; m < MINUTES; m++) {
            long at = start + m * Durations.MINUTE;
            if (minutes[m] != 0 && at < to && at + Durations.MINUTE > from) {
              each.minute(at, minutes[m]);
            }
          }
        });
  }
}
