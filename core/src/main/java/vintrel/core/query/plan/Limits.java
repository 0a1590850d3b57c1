package vintrel.core.query.plan;

/**
 * What one query may cost.
 *
 * @param samples that are read: with 16 bytes each what they take in memory
 * @param millis of computing
 * @param values that one step may give: series times buckets, 8 bytes each
 */
public record Limits(int series, long samples, long millis, long values) {
  public static final Limits DEFAULT = new Limits(10_000, 50_000_000, 30_000, 20_000_000);

  public Limits(int series, long samples, long millis) {
    this(series, samples, millis, DEFAULT.values);
  }
}
