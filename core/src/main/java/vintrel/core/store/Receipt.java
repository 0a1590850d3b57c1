package vintrel.core.store;

/** What became of a batch: samples kept, and samples refused for being too old or too far ahead. */
public record Receipt(int accepted, int tooOld, int tooNew) {
  public static final Receipt NOTHING = new Receipt(0, 0, 0);

  public int refused() {
    return tooOld + tooNew;
  }
}
