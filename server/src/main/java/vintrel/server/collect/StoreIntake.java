package vintrel.server.collect;

import java.util.HashMap;
import java.util.Map;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Receipt;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Spans;
import vintrel.core.wire.Intake;
import vintrel.server.store.MetricNotes;

/** One request's samples on their way into a store. */
final class StoreIntake implements Intake {
  /** Opens intakes of one kind, one after the other. */
  interface Opener {
    StoreIntake open();
  }

  private static final int REFUSED = -1;

  /** Farther from the first sample that is known of a series, what grew between is not known. */
  private static final long NEAR = 5 * Spans.MINUTE;

  private final SampleStore store;
  private final String named;
  private final String sender;
  private final SeriesBudget budget;
  private final Map<Integer, Double> totals;
  private final Map<Integer, Double> differences = new HashMap<>();
  private final Starts starts;
  private final Map<Integer, Long> newStarts = new HashMap<>();
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
   * @param starts since when totals count; what this request says is known only once it is kept
   */
  StoreIntake(
      SampleStore store,
      String named,
      String sender,
      SeriesBudget budget,
      Map<Integer, Double> totals,
      Starts starts) {
    this.starts = starts;
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

  /**
   * A newer start is written as a sample of 0 at its time: rates then see a reset though the value
   * did not fall, and the first growth of a new series is not lost.
   */
  @Override
  public void began(int series, long start, long time) {
    if (series == REFUSED || start >= time || starts.get(series) == start) {
      return;
    }
    var said = newStarts.put(series, start);
    if (said != null && said == start) {
      return;
    }
    long last = store.newest(series);
    if (last == Long.MIN_VALUE ? time - start <= NEAR : last < start) {
      batch.add(series, start, 0);
    }
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
    newStarts.forEach(starts::put);
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
