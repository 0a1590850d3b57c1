package vintrel.core.query.plan;

import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import vintrel.core.frame.Frame;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.store.MemoryClaim;

/**
 * What a query reads besides samples: log records, SQL stores, other Vintrels. Calls may come from
 * any thread. What can't be reached is a {@link QueryException} with code {@code unreachable}.
 */
public interface ExternalSource {
  /** Nothing of it is there. */
  ExternalSource NONE = new ExternalSource() {};

  /** The column of a record's structured fields, a JSON object each. */
  String FIELDS = "fields";

  /**
   * Records within [from, to) that fulfil a condition, by rising time: columns time, level, text,
   * the labels, and {@link #FIELDS}.
   *
   * @param cancelled polled while they are read; true ends it with code {@code cancelled}
   * @param memory asked for what is read before it is; that of the table stays taken
   * @throws QueryException with code {@code limit.samples} if more than {@code max} would have to
   *     be looked at
   */
  default Frame events(
      String store,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    return new Frame("events", List.of());
  }

  /**
   * The same records, counted: for each set of labels, their level among them, the rising times.
   * Without texts and fields, which are not looked at unless the condition names them.
   */
  default Map<Labels, long[]> eventTimes(
      String store,
      Condition where,
      long from,
      long to,
      long max,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    return Map.of();
  }

  /**
   * The rows of a statement with {@code :from}, {@code :to}, {@code :step}, {@code :limit}.
   *
   * @param step ms
   * @param cancelled polled while the statement runs; true ends it with code {@code cancelled}
   * @param memory asked for the rows as they are read; that of the table stays taken
   */
  default Frame sql(
      String store,
      String statement,
      long from,
      long to,
      long step,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    throw new QueryException("store", "no SQL store is called '" + store + "'", 0, 0);
  }

  /** Names of the Vintrel servers that can be queried as stores. */
  default Collection<String> remotes() {
    return List.of();
  }

  /**
   * What another Vintrel answers.
   *
   * @param series read there
   * @param samples read there
   * @param advice about the query, a sentence each
   */
  record Remote(List<Frame> frames, int series, long samples, List<RemoteAdvice> advice) {}

  /** Advice from an external server; its place in the text is not ours. */
  record RemoteAdvice(String code, String text) {}

  /**
   * A query over [from, to), answered by another Vintrel.
   *
   * @param pitch ms of the buckets, or 0 for what suits the data there
   * @param cancelled polled while the other server computes; true ends it with code {@code
   *     cancelled}
   * @param memory asked for the answer before it is read; that of the frames stays taken
   */
  default Remote remote(
      String store,
      String query,
      long from,
      long to,
      long pitch,
      BooleanSupplier cancelled,
      MemoryClaim memory) {
    throw new QueryException("store", "no Vintrel server named `" + store + "`", 0, 0);
  }
}
