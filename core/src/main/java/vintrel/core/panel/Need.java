package vintrel.core.panel;

/** The shape of data that a kind of panel draws. */
public enum Need {
  SERIES("series over time"),
  NUMBER("one number, or a number for each series"),
  NAMED_NUMBERS("one number per name"),
  ROWS("rows of any shape"),
  BINS("a histogram"),
  CELLS("a heatmap"),
  NOTHING("no data");

  private final String words;

  Need(String words) {
    this.words = words;
  }

  public String words() {
    return words;
  }
}
