package vintrel.core.wire;

import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/** Takes what a decoder reads. One for each request; used by one thread. */
public interface Intake {
  /** The store's id of a series. */
  int series(SeriesKey key, MetricKind kind, String unit);

  /** A sample; time in ms since the epoch. */
  void sample(int series, long time, double value);

  /**
   * A total that the next sample of a series continues was 0 at a time; called before that sample.
   *
   * @param start ms
   * @param time of the next sample, ms
   */
  default void began(int series, long start, long time) {}

  /** The running total of a counter that is sent as differences, this one included. */
  double total(int series, double difference);

  /** What the sender says that a metric is. */
  default void describe(String metric, String text) {}

  /** Data points that can't be taken, and why, in words. */
  void refuse(int points, String why);
}
