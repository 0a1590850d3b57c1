package vintrel.core.store;

/**
 * What became of a batch.
 *
 * @param accepted samples kept, the replacing ones among them
 * @param tooOld samples refused for being too old
 * @param tooNew samples refused for being too far ahead
 * @param replaced kept samples at a time that their series had already, of those still in memory
 * @param refusedSeries the first series of which a sample was refused, or -1
 * @param homeless samples refused because their series is not kept: the database did not take it,
 *     or it was dropped meanwhile
 */
public record Receipt(
    int accepted, int tooOld, int tooNew, int replaced, int refusedSeries, int homeless) {
  public static final Receipt NOTHING = new Receipt(0, 0, 0);

  public Receipt(int accepted, int tooOld, int tooNew) {
    this(accepted, tooOld, tooNew, 0, -1, 0);
  }

  public int refused() {
    return tooOld + tooNew + homeless;
  }
}
