package vintrel.server.collect;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.DoubleAdder;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.wire.Intake;

/** One request's samples on their way into a store. */
final class StoreIntake implements Intake {
  private static final Map<Integer, DoubleAdder> TOTALS = new ConcurrentHashMap<>();

  private final SampleStore store;
  private final SampleBatch batch = new SampleBatch();
  private int refused;
  private String why = "";

  StoreIntake(SampleStore store) {
    this.store = store;
  }

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    return store.resolve(key, kind, unit);
  }

  @Override
  public void sample(int series, long time, double value) {
    batch.add(series, time, value);
  }

  @Override
  public double total(int series, double difference) {
    var total = TOTALS.computeIfAbsent(series, k -> new DoubleAdder());
    total.add(difference);
    return total.sum();
  }

  @Override
  public void refuse(int points, String reason) {
    refused += points;
    why = why.isEmpty() ? reason : why;
  }

  /** Keeps what was read; waits until it is durable. */
  Outcome keep() {
    var receipt = store.append(batch);
    if (receipt.tooOld() > 0) {
      refuse(receipt.tooOld(), "samples older than the store takes (out of order by over an hour)");
    }
    if (receipt.tooNew() > 0) {
      refuse(receipt.tooNew(), "samples from the future; check the sender's clock");
    }
    return new Outcome(receipt, refused, why);
  }

  /**
   * @param refused data points that were not taken, of all reasons
   * @param why the first reason, or empty
   */
  record Outcome(Receipt receipt, int refused, String why) {}
}
