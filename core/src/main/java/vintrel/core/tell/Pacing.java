package vintrel.core.tell;

import java.util.List;
import vintrel.core.unit.Durations;

/**
 * How the messages of a row are put together. All times in ms.
 *
 * @param by labels: alerts with the same values of all of them share messages; empty: each alert
 *     has its own
 * @param firstWait from the first alert of a group to its first message
 * @param followUp the least time between two messages of a group
 * @param repeat from a message to the next one while nothing changes and somebody should act; 0:
 *     never
 */
public record Pacing(List<String> by, long firstWait, long followUp, long repeat) {
  public static final long FIRST_WAIT = 30 * Durations.SECOND;
  public static final long FOLLOW_UP = 5 * Durations.MINUTE;

  /** Every change of every alert at once. */
  public static final Pacing EACH = new Pacing(List.of(), 0, 0, 0);

  public Pacing {
    by = List.copyOf(by);
  }
}
