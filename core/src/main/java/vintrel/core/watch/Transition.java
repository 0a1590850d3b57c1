package vintrel.core.watch;

/**
 * A step of the state machine.
 *
 * @param at ms since the epoch
 * @param limit index of the limit concerned, or -1
 * @param why in words, for people
 */
public record Transition(
    Change change, WatchState from, WatchState to, long at, double value, int limit, String why) {

  /** What a transition means to those who are told. */
  public enum Change {
    REGISTERED("registered"),
    BUILDING("building"),
    RAISED("raised"),
    ESCALATED("escalated"),
    EASED("eased"),
    ACKNOWLEDGED("acknowledged"),
    CLEARING("clearing"),
    RETURNED("raised again"),
    CLEARED("cleared"),
    SETTLED("settled"),
    NO_DATA("no data"),
    FAULT("fault"),
    BACK("data is back"),
    CLOSED("closed");

    private final String text;

    Change(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }
  }
}
