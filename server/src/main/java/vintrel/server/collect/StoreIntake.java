package vintrel.server.collect;

import java.util.HashMap;
import java.util.Map;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.wire.Intake;
import vintrel.server.store.MetricNotes;

/** One request's samples on their way into a store. */
final class StoreIntake implements Intake {
  /** Opens intakes of one kind, one after the other. */
  interface Opener {
    StoreIntake open();
  }

  private static final int REFUSED = -1;

  private final SampleStore store;
  private final String named;
  private final String sender;
  private final SeriesBudget budget;
  private final Map<Integer, Double> totals;
  private final Map<Integer, Double> differences = new HashMap<>();
  private final SampleBatch batch = new SampleBatch();
  private MetricNotes notes;
  private int refused;
  private String why = "";
  private String noSeries = "";

  /**
   * @param named the store to write to
   * @param budget for new series, or null where there is no limit
   * @param totals running totals of series that are sent as differences, by id; what this request
   *     adds counts only once it is kept, so that a request that is sent again is not counted twice
   */
  StoreIntake(
      SampleStore store,
      String named,
      String sender,
      SeriesBudget budget,
      Map<Integer, Double> totals) {
    this.store = store;
    this.named = named;
    this.sender = sender;
    this.budget = budget;
    this.totals = totals;
  }

  /** Passes on what senders say of their metrics. */
  StoreIntake with(MetricNotes newNotes) {
    notes = newNotes;
    return this;
  }

  String named() {
    return named;
  }

  String sender() {
    return sender;
  }

  @Override
  public int series(SeriesKey key, MetricKind kind, String unit) {
    var full = key.store().equals(named) ? key : key.in(named);
    int known = store.find(full);
    if (known >= 0) {
      return known;
    }
    var refusal = budget == null ? null : budget.refusal(full, sender);
    if (refusal != null) {
      noSeries = refusal;
      return REFUSED;
    }
    return store.resolve(full, kind, unit);
  }

  @Override
  public void sample(int series, long time, double value) {
    if (series == REFUSED) {
      refuse(1, noSeries);
      return;
    }
    batch.add(series, time, value);
  }

  @Override
  public double total(int series, double difference) {
    return totals.getOrDefault(series, 0.0) + differences.merge(series, difference, Double::sum);
  }

  @Override
  public void describe(String metric, String text) {
    if (notes != null) {
      notes.put(metric, text);
    }
  }

  @Override
  public void refuse(int points, String reason) {
    refused += points;
    why = why.isEmpty() ? reason : why;
  }

  /** Keeps what was read; waits until it is durable. */
  Outcome keep() {
    var receipt = store.append(batch);
    differences.forEach((series, d) -> totals.merge(series, d, Double::sum));
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
