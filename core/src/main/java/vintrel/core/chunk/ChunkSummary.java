package vintrel.core.chunk;

/**
 * What a chunk holds, answered without decoding it. Infinite and NaN values are counted but left
 * out of min and max; if there is one, the sum is NaN; if no finite value exists, all are.
 *
 * @param start time of the first sample, inclusive
 * @param end time of the last sample, inclusive
 */
public record ChunkSummary(
    long start,
    long end,
    int count,
    double min,
    double max,
    double sum,
    double first,
    double last) {

  /** Whether it says all about its samples: none is infinite or NaN, nor is their sum. */
  public boolean whole() {
    return Double.isFinite(sum);
  }

  /** The summary of samples; there must be at least one. */
  public static ChunkSummary of(Samples s) {
    double min = Double.POSITIVE_INFINITY;
    double max = Double.NEGATIVE_INFINITY;
    double sum = 0;
    boolean any = false;
    boolean all = true;
    for (int i = 0; i < s.count(); i++) {
      double v = s.values()[i];
      if (Double.isFinite(v)) {
        min = Math.min(min, v);
        max = Math.max(max, v);
        sum += v;
        any = true;
      } else {
        all = false;
      }
    }
    return new ChunkSummary(
        s.firstTime(),
        s.lastTime(),
        s.count(),
        any ? min : Double.NaN,
        any ? max : Double.NaN,
        all ? sum : Double.NaN,
        s.values()[0],
        s.values()[s.count() - 1]);
  }
}
