package vintrel.server.watch;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Component;
import vintrel.core.frame.Frame;
import vintrel.core.query.CheckReader;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.server.ask.Queries;
import vintrel.server.web.Settings;

/** What a rule would have done in a past range, from what is stored of it now. Any thread. */
@Component
class Rehearsals {
  /** The longest range, ms. */
  static final long LONGEST = 31 * Durations.DAY;

  /** Values that are read at once: the states go on from one piece to the next. */
  private static final int PIECE = 1_000_000;

  /** Bytes of a column of a series: least, greatest, sum and count. */
  private static final int COLUMN = 28;

  private static final long PATIENCE_MS = 60_000;

  /** A range that is not rehearsed. */
  static final class TooLong extends IllegalArgumentException {
    TooLong(String words) {
      super(words);
    }
  }

  private final Queries queries;
  private final Notifications notifications;
  private final int maxSeries;

  Rehearsals(Queries queries, Notifications notifications, Settings settings) {
    this.queries = queries;
    this.notifications = notifications;
    this.maxSeries = settings.watch().maxSeries();
  }

  /**
   * @param every ms between the checks that were rehearsed; more than the rule's if its windows fit
   *     its checks badly
   * @param messages that the routing table of today would have sent
   * @param recipients of these, by how many each would have got
   * @param cut whether there are more series than a rule may watch
   * @param millis that it took
   * @param courses what the checks found
   */
  record Rehearsed(
      Rehearsal.Result result,
      long every,
      int messages,
      Map<String, Integer> recipients,
      boolean cut,
      long millis,
      Frame courses) {}

  /**
   * Rehearses a rule.
   *
   * @param columns of the picture of what the checks found
   * @throws QueryException if its query can't be read over a range, or it takes too long
   * @throws TooLong if the range is
   */
  Rehearsed run(Rule rule, TimeText.Range range, int columns, BooleanSupplier cancelled) {
    if (range.millis() > LONGEST) {
      throw new TooLong(
          "a rehearsal looks back at most %s; choose a shorter range"
              .formatted(Durations.words(LONGEST)));
    }
    long begun = System.nanoTime();
    long deadline = begun + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MS);
    BooleanSupplier stop = () -> cancelled.getAsBoolean() || System.nanoTime() > deadline;
    var query = Parser.parse(rule.query());
    long every = interval(query, rule);
    var rehearsal = new Rehearsal(rule, range.from(), range.to());
    var courses = new CheckCourses(range, every, columns);
    var reader = new CheckReader(queries.evaluator());
    long first = first(rule, range.from(), every);
    long each = Math.max(1, PIECE / maxSeries) * every;
    queries.claim().take(8L * PIECE + (long) maxSeries * COLUMN * columns);
    boolean cut = false;
    for (long from = first; from < range.to(); from += each) {
      long last = Math.min(range.to() - 1, from + each - every);
      long begin = from;
      var found =
          queries.inTurn(() -> read(reader, query, rule, begin, last, every, deadline, stop));
      cut |= found.cut();
      courses.add(found);
      rehearsal.feed(begin, every, found.count(), found.values());
    }
    var result = rehearsal.result();
    var recipients = new TreeMap<String, Integer>();
    int messages = 0;
    for (var series : result.series()) {
      for (var count : series.counts()) {
        for (var told : notifications.recipients(rule, series.labels(), count)) {
          int some = told.channels() * count.times();
          recipients.merge(told.name(), some, Integer::sum);
          messages += some;
        }
      }
    }
    long millis = (System.nanoTime() - begun) / 1_000_000;
    return new Rehearsed(
        result, every, messages, recipients, cut, millis, courses.frame(rule.unit()));
  }

  private CheckReader.Checks read(
      CheckReader reader,
      Query query,
      Rule rule,
      long first,
      long last,
      long every,
      long deadline,
      BooleanSupplier stop) {
    try {
      return reader.over(query, rule.line(), first, last, rule.every(), every, maxSeries, stop);
    } catch (QueryException e) {
      if (e.code().equals("cancelled") && System.nanoTime() > deadline) {
        throw new TooLong("the rehearsal takes more than 1 min; choose a shorter range");
      }
      if (e.isOfNothing()) {
        return new CheckReader.Checks(
            first, every, (int) ((last - first) / every) + 1, Map.of(), false);
      }
      throw e;
    }
  }

  /** The rule's, or the least multiple of it that needs few enough questions. */
  private static long interval(Query query, Rule rule) {
    for (int times : List.of(1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30, 60, 120, 360)) {
      long every = times * rule.every();
      if (CheckReader.classes(query, every) <= CheckReader.MAX_CLASSES) {
        return every;
      }
    }
    return rule.every();
  }

  /** The first instant at or after a time that a check of the rule looks at. */
  private static long first(Rule rule, long from, long every) {
    long share = Math.floorMod(rule.name().hashCode(), rule.every()) - rule.behind();
    return Math.ceilDiv(from - share, every) * every + share;
  }
}
