package vintrel.core.panel;

/** The shape of data that a kind of panel draws. */
public enum Need {
  SERIES("series over time"),
  NUMBER("one number, or a number for each series"),
  NAMED_NUMBERS("names with a number each"),
  ROWS("rows of any shape"),
  BINS("how often values occur, in bins"),
  CELLS("how often values occur, in spans of time and bins"),
  NOTHING("no data");

  private final String words;

  Need(String words) {
    this.words = words;
  }

  public String words() {
    return words;
  }
}
