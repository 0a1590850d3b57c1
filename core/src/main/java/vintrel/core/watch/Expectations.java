package vintrel.core.watch;

import vintrel.core.model.Baseline;
import vintrel.core.series.Labels;

/**
 * What is expected of the series of a rule. What is known at an instant was learned from values
 * before it: a rehearsal knows no more than a check did. Any thread.
 */
@FunctionalInterface
public interface Expectations {
  /** Of rules that ask for none. */
  Expectations NONE = (labels, at) -> null;

  /** What was learned of a series before an instant, ms; null if nothing is known. */
  Baseline of(Labels labels, long at);

  /** A value with what was expected. */
  default CheckResult.Value with(Labels labels, long at, double value) {
    return value(of(labels, at), at, value);
  }

  /**
   * @param baseline null if nothing is known
   */
  static CheckResult.Value value(Baseline baseline, long at, double value) {
    return baseline == null
        ? new CheckResult.Value(value)
        : new CheckResult.Value(value, baseline.expected(at), baseline.sigma(at));
  }
}
