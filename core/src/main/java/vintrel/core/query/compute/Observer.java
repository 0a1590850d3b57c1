package vintrel.core.query.compute;

import java.util.List;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;

/**
 * Observes the computation of a query and may have advice about it. It changes nothing. All calls
 * for one query come from one thread.
 */
public interface Observer {
  /** Has no advice. */
  Observer NONE = new Observer() {};

  /** How often values meet a limit. */
  enum MatchFrequency {
    NEVER,
    SOMETIMES,
    ALWAYS
  }

  default List<Advice> advice() {
    return List.of();
  }

  /** A metric with its bound condition has found these series. */
  default void selected(Expr.Source s, Condition where, String store, List<Series> found) {}

  /**
   * A step of a chain is about to be computed.
   *
   * @param sampled whether the samples came at their own pace, unlike records
   */
  default void before(
      Step step, SeriesSet.OfSeries in, Expr.Chain chain, int at, boolean sampled) {}

  /** A step of a chain was computed. */
  default void after(Step step, SeriesSet.OfSeries out, Expr.Chain chain) {}

  /**
   * How often the values of a comparison meet it.
   *
   * @param when in this range, or in the last week
   */
  default void limit(Step.KeepWhen k, MatchFrequency passing, String when) {}

  /** A step makes buckets, or slides, over samples with the given typical interval, ms. */
  default void window(Step.Bucketing o, long interval) {}

  /** A percentile is estimated from summaries. */
  default void sketched(Step step) {}

  /** Raw samples of a metric do not go back to the start of the range. */
  default void rawDropped(Expr.Source s) {}

  /** A series is drawn as it was sent. */
  default void drawnRaw(SeriesSet.Row row, SourceSpan where) {}

  /** Two sides of an operator were paired. */
  default void paired(
      Expr.Binary b, Pairing.Outcome outcome, SeriesSet.Gridded left, SeriesSet.Gridded right) {}

  /** The store of a metric could not be reached. */
  default void unreachable(Expr.Source s, String why) {}

  /** Another Vintrel has advice about the part that it answered. */
  default void elsewhere(Expr.Source s, ExternalSource.RemoteAdvice doubt) {}
}
