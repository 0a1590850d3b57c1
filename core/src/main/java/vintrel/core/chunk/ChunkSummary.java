package vintrel.core.chunk;

/**
 * What a chunk holds, answered without decoding it. Infinite and NaN values are counted but left
 * out of min, max and sum; where no finite value exists min, max are NaN and sum is 0.
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

  /** The summary of samples; there must be at least one. */
  public static ChunkSummary of(Samples s) {
    double min = Double.POSITIVE_INFINITY;
    double max = Double.NEGATIVE_INFINITY;
    double sum = 0;
    boolean any = false;
    for (int i = 0; i < s.count(); i++) {
      double v = s.values()[i];
      if (Double.isFinite(v)) {
        min = Math.min(min, v);
        max = Math.max(max, v);
        sum += v;
        any = true;
      }
    }
    return new ChunkSummary(
        s.firstTime(),
        s.lastTime(),
        s.count(),
        any ? min : Double.NaN,
        any ? max : Double.NaN,
        sum,
        s.values()[0],
        s.values()[s.count() - 1]);
  }
}
