package vintrel.core.query;

/**
 * What one query may cost.
 *
 * @param millis of computing
 */
public record Limits(int series, long samples, long millis) {
  public static final Limits DEFAULT = new Limits(10_000, 50_000_000, 30_000);
}
