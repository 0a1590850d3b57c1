package vintrel.core.panel;

/** What a person wants to know who chooses a kind of panel. */
public enum Question {
  COURSE("Over time"),
  AMOUNT("How much is it now?"),
  CONTENT("What is in it?"),
  NONE("Without a line");

  private final String words;

  Question(String words) {
    this.words = words;
  }

  public String words() {
    return words;
  }
}
