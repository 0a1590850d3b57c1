package vintrel.core.watch;

/**
 * A step of the state machine.
 *
 * @param at ms since the epoch
 * @param priority of the limit concerned, or null
 * @param why the reason in words
 */
public record Transition(
    Change change,
    WatchState from,
    WatchState to,
    long at,
    double value,
    Priority priority,
    String why) {

  /** What a transition means for recipients. */
  public enum Change {
    REGISTERED("registered"),
    PAUSED("paused"),
    BUILDING("building"),
    RAISED("raised"),
    ESCALATED("escalated"),
    EASED("eased"),
    ACKNOWLEDGED("acknowledged"),
    EDITED("rule edited"),
    CLEARING("clearing"),
    RETURNED("raised again"),
    CLEARED("cleared"),
    SETTLED("settled"),
    NO_DATA("no data"),
    FAULT("fault"),
    BACK("data is back"),
    CLOSED("closed"),
    TAKEN_BACK("acknowledgement taken back");

    private final String text;

    Change(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }
  }
}
