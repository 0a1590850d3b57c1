package vintrel.core.wire;

import java.util.Map;
import java.util.NavigableSet;
import java.util.TreeSet;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/** Takes what a decoder reads. One for each request; used by one thread. */
public interface SampleSink {
  /** The store's id of a series. */
  int series(SeriesKey key, MetricKind kind, String unit);

  /**
   * A sample; time in ms since the epoch. NaN says that the series has no value from there on,
   * until its next sample.
   */
  void sample(int series, long time, double value);

  /**
   * A total that the next sample of a series continues was 0 at a time; called before that sample.
   *
   * @param start ms
   * @param time of the next sample, ms
   */
  default void began(int series, long start, long time) {}

  /**
   * A difference: what a sum of the series grew by, or changed by, from one time to another.
   *
   * @param start ms; 0: unknown
   * @param time ms
   * @param grows whether the sum only grows
   */
  void difference(int series, long start, long time, double by, boolean grows);

  /**
   * The bounds of the buckets of an exponential histogram that were sent before, to be added to.
   *
   * @param buckets the key of the buckets without the label le
   */
  default NavigableSet<Double> bounds(SeriesKey buckets) {
    return new TreeSet<>();
  }

  /**
   * A bucket of a histogram whose other bounds have samples already gets its first one next.
   *
   * @param series of the bucket
   * @param beside a bucket of the same histogram that has samples
   * @param lower whether all that fell into that one is in this one too; else nothing was so far
   * @param time of the sample that comes next, ms
   */
  default void joins(int series, int beside, boolean lower, long time) {}

  /** The sender's description of a metric. */
  default void describe(String metric, String text) {}

  /** Which attributes of resources become labels. */
  default ResourceRules resources() {
    return ResourceRules.ALL;
  }

  /**
   * A resource; told at least when a series of it is new.
   *
   * @param resource the labels that it gives
   * @param aside its attributes that become no labels
   */
  default void resource(Labels resource, Map<String, String> aside) {}

  /** Exemplars that name no trace; they are not kept. */
  default void exemplars(int n) {}

  /** An exemplar that names a trace. */
  default void exemplar(Exemplar exemplar) {}

  /**
   * Passes on an exemplar.
   *
   * @param exemplar null if it names no trace
   */
  default void take(Exemplar exemplar) {
    if (exemplar == null) {
      exemplars(1);
    } else {
      exemplar(exemplar);
    }
  }

  /**
   * Data points that can't be taken, and why, in words.
   *
   * @param metric or empty if it is not known
   */
  void refuse(String metric, int points, String why);

  default void refuse(int points, String why) {
    refuse("", points, why);
  }
}
