package vintrel.core.collect;

import java.util.HashMap;
import java.util.Map;
import java.util.NavigableSet;
import java.util.function.BiConsumer;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.wire.Exemplar;
import vintrel.core.wire.SampleSink;

/**
 * Applies a rewrite to what is read, before it goes to another sink, and counts samples. One for
 * each reading; used by one thread.
 */
public final class RewritingSink implements SampleSink {
  private static final int LEFT_OUT = Integer.MIN_VALUE;

  private final LabelRewrite rewrite;
  private final SampleSink to;
  private final BiConsumer<SeriesKey, LabelRewrite.Result> seen;
  private final Map<SeriesKey, Integer> known = new HashMap<>();
  private int samples;
  private int dropped;

  /**
   * @param seen is given each series with what becomes of it, null if it is left out; may be null
   */
  public RewritingSink(
      LabelRewrite rewrite, SampleSink to, BiConsumer<SeriesKey, LabelRewrite.Result> seen) {
    this.rewrite = rewrite;
    this.to = to;
    this.seen = seen;
  }

  /** Samples that were read, those left out among them. */
  public int samples() {
    return samples;
  }

  /** Samples that were left out. */
  public int dropped() {
    return dropped;
  }

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    var id = known.get(key);
    if (id == null) {
      var result = rewrite.apply(key.metric(), key.labels());
      if (seen != null) {
        seen.accept(key, result);
      }
      id =
          result == null
              ? LEFT_OUT
              : to.series(new SeriesKey(key.store(), result.metric(), result.labels()), kind, unit);
      known.put(key, id);
    }
    return id;
  }

  @Override
  public void sample(int series, long time, double value) {
    samples++;
    if (series == LEFT_OUT) {
      dropped++;
    } else {
      to.sample(series, time, value);
    }
  }

  @Override
  public void began(int series, long start, long time) {
    if (series != LEFT_OUT) {
      to.began(series, start, time);
    }
  }

  @Override
  public void difference(int series, long start, long time, double by, boolean grows) {
    samples++;
    if (series == LEFT_OUT) {
      dropped++;
    } else {
      to.difference(series, start, time, by, grows);
    }
  }

  @Override
  public NavigableSet<Double> bounds(SeriesKey buckets) {
    return to.bounds(buckets);
  }

  @Override
  public void describe(String metric, String text) {
    to.describe(metric, text);
  }

  @Override
  public void exemplars(int n) {
    to.exemplars(n);
  }

  @Override
  public void exemplar(Exemplar exemplar) {
    var result = rewrite.apply(exemplar.metric(), exemplar.labels());
    if (result != null) {
      to.exemplar(
          new Exemplar(
              result.metric(),
              result.labels(),
              exemplar.time(),
              exemplar.value(),
              exemplar.traceId(),
              exemplar.spanId()));
    }
  }

  @Override
  public void refuse(String metric, int points, String why) {
    to.refuse(metric, points, why);
  }
}
