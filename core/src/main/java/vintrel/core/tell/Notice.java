package vintrel.core.tell;

import java.util.EnumSet;
import java.util.Set;
import vintrel.core.series.Labels;
import vintrel.core.watch.Priority;
import vintrel.core.watch.Transition.Change;

/**
 * A transition, as far as notifying is concerned.
 *
 * @param id orders the notices of an alert
 * @param alert the rule and the series; the same for all notices of an alert
 * @param labels the series' labels, the rule's own, and {@code rule} and {@code priority}
 * @param priority null if the change concerns a rule as a whole
 * @param at ms since the epoch
 */
public record Notice(
    long id, String alert, Labels labels, Change change, Priority priority, long at) {
  private static final Set<Change> OF_RULE = EnumSet.of(Change.REGISTERED, Change.PAUSED);

  /**
   * Changes that recipients are notified of, or that end or hold back what they are sent. A series
   * that is closed while it is raised is cleared.
   */
  private static final Set<Change> RELEVANT =
      EnumSet.of(
          Change.RAISED,
          Change.ESCALATED,
          Change.EASED,
          Change.CLEARED,
          Change.ACKNOWLEDGED,
          Change.TAKEN_BACK);

  /** True for a change of a rule as a whole. */
  public boolean isOfRule() {
    return OF_RULE.contains(change);
  }

  /** True if a change of a series matters to anybody. */
  public static boolean isRelevant(Change change) {
    return RELEVANT.contains(change);
  }
}
