package vintrel.server.watch;

import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;
import org.springframework.stereotype.Component;
import vintrel.core.query.CheckReader;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rule;
import vintrel.server.ask.Queries;
import vintrel.server.web.Settings;

/** What the checks of a rule would have found in a past range, piece by piece. Any thread. */
@Component
class PastChecks {
  /** The longest range, ms. */
  static final long LONGEST = 31 * Durations.DAY;

  /** Values that are read at once. */
  static final int PIECE = 1_000_000;

  /** Series for which a piece has room at least. */
  private static final int FEWEST = 20;

  private static final int FEW_POINTS = 30;

  private static final long PATIENCE_MS = 60_000;

  /** A range that is not read. */
  static final class TooLong extends IllegalArgumentException {
    TooLong(String words) {
      super(words);
    }
  }

  private final Queries queries;
  private final int maxSeries;

  PastChecks(Queries queries, Settings settings) {
    this.queries = queries;
    this.maxSeries = settings.watch().maxSeries();
  }

  int maxSeries() {
    return maxSeries;
  }

  /** Reserves memory of queries for the rest of the request. */
  void claim(long bytes) {
    queries.claim().take(bytes);
  }

  /** Ms between the checks that are read: the rule's, or a multiple if its windows fit it badly. */
  static long interval(Rule rule) {
    var query = Parser.parse(rule.query());
    for (int times : List.of(1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30, 60, 120, 360)) {
      long every = times * rule.every();
      if (CheckReader.classes(query, every) <= CheckReader.MAX_CLASSES) {
        return every;
      }
    }
    return rule.every();
  }

  /**
   * Reads the checks of a range.
   *
   * @param claimed bytes that whoever takes them needs besides
   * @param into gets one piece after another
   * @return whether there are more series than a rule may watch
   * @throws QueryException if its query can't be read over a range
   * @throws TooLong if the range is, or if it takes too long
   */
  boolean read(
      Rule rule,
      TimeText.Range range,
      long claimed,
      BooleanSupplier cancelled,
      Consumer<CheckReader.Checks> into) {
    bounded(range);
    long deadline = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MS);
    BooleanSupplier stop = () -> cancelled.getAsBoolean() || System.nanoTime() > deadline;
    var query = Parser.parse(rule.query());
    long every = interval(rule);
    queries.claim().take(8L * PIECE + claimed);
    boolean cut = false;
    int most = maxSeries;
    for (long from = first(rule, range.from(), every); from < range.to(); ) {
      // As many checks as fit for so many series; with more of them it is read again, shorter.
      long last = Math.min(range.to() - 1, from + (Math.max(1, PIECE / most) - 1) * every);
      var found = piece(query, rule, from, last, every, most, deadline, stop);
      if (found.cut() && most < maxSeries) {
        most = maxSeries;
        continue;
      }
      cut |= found.cut();
      into.accept(found);
      from += found.count() * every;
      most = Math.clamp(found.values().size() * 2L, FEWEST, maxSeries);
    }
    return cut;
  }

  /**
   * @throws TooLong if the range is
   */
  static void bounded(TimeText.Range range) {
    if (range.millis() > LONGEST) {
      throw new TooLong(
          "a rehearsal looks back at most %s; choose a shorter range"
              .formatted(Durations.words(LONGEST)));
    }
  }

  /** The unit of what a rule watches, as its query gives it; empty if there is none. */
  String unit(Rule rule, TimeText.Range range) {
    long from = Math.max(range.from(), range.to() - Durations.HOUR);
    try {
      var ask = new Queries.Ask(rule.query(), new TimeText.Range(from, range.to()), FEW_POINTS);
      var also = rule.line().isEmpty() ? List.<String>of() : List.of(rule.line());
      for (var line : queries.answer(ask.also(also)).answer().lines()) {
        boolean watched = rule.line().isEmpty() || line.name().equals(rule.line());
        if (watched && line.set() instanceof SeriesSet.Gridded g && !g.rows().isEmpty()) {
          return g.rows().getFirst().unit();
        }
      }
      return "";
    } catch (QueryException e) {
      return "";
    }
  }

  /** The checks from one to another, both included. */
  CheckReader.Checks piece(Rule rule, long first, long last, long every, BooleanSupplier stop) {
    var query = Parser.parse(rule.query());
    return piece(query, rule, first, last, every, maxSeries, Long.MAX_VALUE, stop);
  }

  private CheckReader.Checks piece(
      Query query,
      Rule rule,
      long first,
      long last,
      long every,
      int most,
      long deadline,
      BooleanSupplier stop) {
    var reader = new CheckReader(queries.evaluator());
    try {
      return queries.inTurn(
          () -> reader.over(query, rule.line(), first, last, rule.every(), every, most, stop));
    } catch (QueryException e) {
      if (e.code().equals("cancelled") && System.nanoTime() > deadline) {
        throw new TooLong("the rehearsal takes more than 1 min; choose a shorter range");
      }
      if (e.isOfNothing()) {
        int count = (int) ((last - first) / every) + 1;
        return new CheckReader.Checks(first, every, count, Map.of(), false);
      }
      throw e;
    }
  }

  /** The first instant at or after a time that a check of the rule looks at. */
  private static long first(Rule rule, long from, long every) {
    long share = Math.floorMod(rule.name().hashCode(), rule.every()) - rule.behind();
    return Math.ceilDiv(from - share, every) * every + share;
  }
}
