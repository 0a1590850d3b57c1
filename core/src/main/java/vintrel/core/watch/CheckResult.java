package vintrel.core.watch;

/** What a check found of one series. */
public sealed interface CheckResult {
  /** Nothing, and nobody knows since when. */
  CheckResult MISSING = new Missing(SeriesState.NEVER);

  /**
   * @param value not NaN
   * @param expected at this time; NaN if that is not known
   * @param sigma how far values usually are from it at this time, a standard deviation
   */
  record Value(double value, double expected, double sigma) implements CheckResult {
    public Value(double value) {
      this(value, Double.NaN, Double.NaN);
    }
  }

  /**
   * No fresh value.
   *
   * @param lastValueAt when the latest value was seen, ms; {@link SeriesState#NEVER} if none was
   */
  record Missing(long lastValueAt) implements CheckResult {}

  /**
   * The query failed.
   *
   * @param words what is wrong and what to do
   */
  record Fault(String words) implements CheckResult {}

  /** Of a value, or of nothing if it is NaN. */
  static CheckResult of(double value) {
    return Double.isNaN(value) ? MISSING : new Value(value);
  }
}
