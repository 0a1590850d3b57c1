package vintrel.core.query;

/**
 * Even buckets: bucket i is [start + i·pitch, start + (i+1)·pitch), labelled by its start.
 *
 * @param pitch ms, above zero
 */
public record Grid(long start, long pitch, int count) {
  /** The most buckets that a grid may have. */
  public static final int MOST = 200_000;

  /**
   * The buckets that cover [from, to), with bucket edges at origin + k·pitch.
   *
   * @throws QueryException where that were more than {@link #MOST}
   */
  public static Grid covering(long from, long to, long pitch, long origin) {
    long start = from - Math.floorMod(from - origin, pitch);
    long count = Math.ceilDiv(to - start, pitch);
    if (count > MOST) {
      throw new QueryException(
          "limit.buckets",
          count + " buckets are more than " + MOST + "; ask for a longer step or a shorter range",
          0,
          0);
    }
    return new Grid(start, pitch, (int) Math.max(0, count));
  }

  public long time(int bucket) {
    return start + bucket * pitch;
  }

  public long end() {
    return start + count * pitch;
  }

  /** The bucket that holds a time; may lie outside 0 … count-1. */
  public long bucket(long time) {
    return Math.floorDiv(time - start, pitch);
  }

  public long[] times() {
    var out = new long[count];
    for (int i = 0; i < count; i++) {
      out[i] = time(i);
    }
    return out;
  }

  Grid shifted(long millis) {
    return new Grid(start + millis, pitch, count);
  }
}
