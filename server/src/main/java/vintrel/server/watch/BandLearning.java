package vintrel.server.watch;

import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Component;
import vintrel.core.model.Baseline;
import vintrel.core.query.CheckReader;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.core.watch.LearnedBands;
import vintrel.core.watch.Rule;
import vintrel.server.ask.Queries;

/**
 * Learns expected bands of rules from what their checks would have found in the weeks before, at
 * about each quarter of an hour. A day is read at once. Any thread.
 */
@Component
class BandLearning {
  /** Series of a rule that bands are learned of. */
  static final int MOST_SERIES = 1_000;

  private static final long PATIENCE_MS = 60_000;

  private static final List<Integer> TIMES = List.of(1, 2, 3, 4, 6, 8);

  private final Queries queries;

  BandLearning(Queries queries) {
    this.queries = queries;
  }

  /** What decides what is learned for an instant. */
  record Key(String query, String line, long every, Rule.Learning learning, long day) {
    static Key of(Rule r, long at) {
      return new Key(r.query(), r.line(), r.every(), r.learning(), LearnedBands.day(r.name(), at));
    }
  }

  /** Why nothing can be learned for a rule whatever its data, or null. */
  static String fault(Rule rule) {
    try {
      step(rule);
      return null;
    } catch (QueryException e) {
      return e.getMessage();
    }
  }

  /** Reads checks from one instant to another, both included. */
  interface Read {
    CheckReader.Checks read(long first, long last, long step);
  }

  /** Ms between the values that are read: so that windows fit them. */
  private static long step(Rule rule) {
    var query = Parser.parse(rule.query());
    var refused = CheckReader.refused(query);
    if (refused != null) {
      throw new QueryException("range", "an expected band can't be learned: " + refused, 0, 0);
    }
    long quarter = Math.ceilDiv(Baseline.STEP, rule.every()) * rule.every();
    for (int times : TIMES) {
      if (CheckReader.classes(query, times * quarter) <= CheckReader.MAX_CLASSES) {
        return times * quarter;
      }
    }
    throw new QueryException(
        "range",
        "an expected band can't be learned: use windows of whole minutes, such as `mean every 5m`",
        0,
        0);
  }

  /**
   * Learns for a live check, with the memory of rules.
   *
   * @throws QueryException if it can't be learned
   */
  LearnedBands live(Rule rule, long at, BooleanSupplier stop) {
    var query = Parser.parse(rule.query());
    var reader = new CheckReader(queries.watching());
    return learned(
        rule,
        at,
        at,
        (first, last, step) ->
            reader.over(query, rule.line(), first, last, rule.every(), step, MOST_SERIES, stop),
        stop);
  }

  /**
   * Learns for all checks of a range, with the memory of queries.
   *
   * @param from the first check, ms
   * @param to the last one
   * @throws QueryException if it can't be learned
   */
  LearnedBands over(Rule rule, long from, long to, BooleanSupplier cancelled) {
    long deadline = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MS);
    BooleanSupplier stop = () -> cancelled.getAsBoolean() || System.nanoTime() > deadline;
    var query = Parser.parse(rule.query());
    var reader = new CheckReader(queries.evaluator());
    return learned(
        rule,
        from,
        to,
        (first, last, step) ->
            queries.inTurn(
                () ->
                    reader.over(
                        query, rule.line(), first, last, rule.every(), step, MOST_SERIES, stop)),
        stop);
  }

  private LearnedBands learned(Rule rule, long from, long to, Read read, BooleanSupplier stop) {
    long step = step(rule);
    long first = LearnedBands.first(rule.name(), from, step);
    int count = LearnedBands.values(rule.name(), from, to, step);
    int aDay = (int) Math.max(1, Durations.DAY / step);
    var values = new TreeMap<Labels, double[]>();
    for (int i = 0; i < count; i += aDay) {
      int n = Math.min(aDay, count - i);
      var found = day(read, first + i * step, first + (i + n - 1) * step, step);
      for (var e : found.entrySet()) {
        var all = values.get(e.getKey());
        if (all == null) {
          if (values.size() == MOST_SERIES) {
            continue;
          }
          queries.claim().take(8L * count + LearnedBands.bytes(rule.name(), from, to));
          all = new double[count];
          Arrays.fill(all, Double.NaN);
          values.put(e.getKey(), all);
        }
        System.arraycopy(e.getValue(), 0, all, i, n);
      }
    }
    return LearnedBands.of(rule, from, to, first, step, values, () -> check(stop));
  }

  private static void check(BooleanSupplier stop) {
    if (stop.getAsBoolean()) {
      throw new QueryException(
          "cancelled", "learning the expected band took too long; choose a shorter range", 0, 0);
    }
  }

  private static Map<Labels, double[]> day(Read read, long first, long last, long step) {
    try {
      return read.read(first, last, step).values();
    } catch (QueryException e) {
      if (e.isOfNothing()) {
        return Map.of();
      }
      throw e;
    }
  }
}
