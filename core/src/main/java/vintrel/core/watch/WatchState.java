package vintrel.core.watch;

/** The state of one series under one rule. */
public enum WatchState {
  /** Nothing known yet. */
  WAITING("Waiting"),
  NORMAL("Normal"),
  /** Over a limit, the on-delay is running. */
  BUILDING("Building"),
  RAISED("Raised"),
  ACKNOWLEDGED("Acknowledged"),
  /** Back, the off-delay is running. */
  CLEARING("Clearing"),
  NO_DATA("No data"),
  /** The query fails. */
  FAULT("Fault");

  private final String text;

  WatchState(String text) {
    this.text = text;
  }

  public String text() {
    return text;
  }

  /** True while the alert is active. */
  public boolean isActive() {
    return this == RAISED || this == ACKNOWLEDGED || this == CLEARING;
  }
}
