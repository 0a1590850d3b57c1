package vintrel.server.watch;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.BooleanSupplier;
import org.springframework.stereotype.Component;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.CheckHistory;
import vintrel.core.watch.Expectations;
import vintrel.core.watch.LearnedBands;
import vintrel.core.watch.Rehearsal;
import vintrel.core.watch.Rule;
import vintrel.core.watch.TradeOff;

/** What a rule would have done in a past range, from what is stored of it now. Any thread. */
@Component
class Rehearsals {
  /** Series whose trade-off is weighed at most. */
  private static final int WEIGHED = 2_000;

  /** Bytes of a series in one setting of a trade-off. */
  private static final int SETTING = 300;

  private final PastChecks checks;
  private final BandLearning learning;
  private final FoundChecks memory;
  private final Notifications notifications;

  Rehearsals(
      PastChecks checks, BandLearning learning, FoundChecks memory, Notifications notifications) {
    this.learning = learning;
    this.checks = checks;
    this.memory = memory;
    this.notifications = notifications;
  }

  /**
   * @param every ms between the checks that were rehearsed; more than the rule's if its windows fit
   *     its checks badly
   * @param messages that the routing table of today would have sent
   * @param recipients of these, by how many each would have got
   * @param cut whether there are more series than a rule may watch
   * @param millis that it took
   * @param ends the least and the greatest value of all checks
   * @param checks that found a value, of all series
   */
  record Rehearsed(
      Rehearsal.Result result,
      long every,
      int messages,
      Map<String, Integer> recipients,
      boolean cut,
      long millis,
      double[] ends,
      long checks) {}

  /**
   * Rehearses a rule once.
   *
   * @throws QueryException if its query can't be read over a range
   * @throws PastChecks.TooLong if the range is, or if it takes too long
   */
  Rehearsed run(Rule rule, TimeText.Range range, BooleanSupplier cancelled) {
    long begun = System.nanoTime();
    var bands = rule.isOfBand() ? learned(rule, range, cancelled) : Expectations.NONE;
    return run(rule, range, bands, cancelled, begun);
  }

  private Rehearsed run(
      Rule rule, TimeText.Range range, Expectations bands, BooleanSupplier cancelled, long begun) {
    long every = PastChecks.interval(rule);
    var rehearsal = new Rehearsal(rule, range.from(), range.to(), bands);
    var courses = new CheckCourses(range, every, 1);
    boolean cut =
        checks.read(
            rule,
            range,
            (long) checks.maxSeries() * CheckCourses.COLUMN,
            cancelled,
            found -> {
              courses.add(found);
              rehearsal.feed(found.first(), every, found.count(), found.values());
            });
    return rehearsed(rule, rehearsal.result(), courses, every, cut, begun);
  }

  /** What the checks of a rule found; read anew unless the page has just asked for the same. */
  FoundChecks.Found found(
      String page, Rule rule, TimeText.Range range, int columns, BooleanSupplier cancelled) {
    var key = FoundChecks.Key.of(page, rule, range, columns);
    var known = memory.get(key);
    if (known != null) {
      return known;
    }
    long every = PastChecks.interval(rule);
    var history = new CheckHistory(FoundChecks.EACH);
    var courses = new CheckCourses(range, every, columns);
    boolean cut =
        checks.read(
            rule,
            range,
            3 * FoundChecks.EACH + (long) checks.maxSeries() * CheckCourses.COLUMN * columns,
            cancelled,
            found -> {
              courses.add(found);
              history.add(found.first(), every, found.count(), found.values());
            });
    var out =
        new FoundChecks.Found(
            history, courses, every, cut, checks.unit(rule, range), range, new AtomicReference<>());
    memory.put(key, out);
    return out;
  }

  /** Rehearses a rule with what its checks found. */
  Rehearsed rehearse(
      Rule rule, TimeText.Range range, FoundChecks.Found found, BooleanSupplier cancelled) {
    if (!found.history().isKept()) {
      return run(rule, range, expected(rule, found, cancelled), cancelled, System.nanoTime());
    }
    long begun = System.nanoTime();
    var bands = expected(rule, found, cancelled);
    var rehearsal = new Rehearsal(rule, range.from(), range.to(), bands);
    found.history().replay(List.of(rehearsal), again(rule, cancelled), cancelled);
    return rehearsed(rule, rehearsal.result(), found.courses(), found.every(), found.cut(), begun);
  }

  /** What waiting costs and spares at a limit; null if there is too much to weigh. */
  TradeOff.Grid tradeOff(Rule rule, int limit, FoundChecks.Found found, BooleanSupplier cancelled) {
    int series = found.courses().series().size();
    if (!found.history().isKept() || series > WEIGHED) {
      return null;
    }
    checks.claim((long) series * TradeOff.MOST_SETTINGS * SETTING);
    var ends = found.courses().ends();
    double span = Double.isNaN(ends[0]) ? 0 : ends[1] - ends[0];
    return TradeOff.of(
        rule,
        limit,
        span,
        found.history(),
        again(rule, cancelled),
        expected(rule, found, cancelled),
        cancelled);
  }

  /**
   * What was expected of the series that were found; nothing if the rule does not ask.
   *
   * @throws QueryException if it can't be learned
   */
  Expectations expected(Rule rule, FoundChecks.Found found, BooleanSupplier cancelled) {
    if (!rule.isOfBand()) {
      return Expectations.NONE;
    }
    var key = BandLearning.Key.of(rule, found.range().to() - 1);
    var known = found.bands().get();
    if (known == null || !known.key().equals(key)) {
      known = new FoundChecks.Bands(key, learned(rule, found.range(), cancelled));
      found.bands().set(known);
    }
    return known.learned();
  }

  /** What was expected in a range. */
  LearnedBands learned(Rule rule, TimeText.Range range, BooleanSupplier cancelled) {
    PastChecks.bounded(range);
    return learning.over(rule, range.from(), range.to() - 1, cancelled);
  }

  private CheckHistory.Again again(Rule rule, BooleanSupplier stop) {
    return p ->
        checks
            .piece(rule, p.first(), p.first() + (p.count() - 1L) * p.step(), p.step(), stop)
            .values();
  }

  private Map<String, Integer> messages(Rule rule, Rehearsal.Result result) {
    long all =
        result.series().stream()
            .flatMap(s -> s.counts().stream())
            .mapToLong(Rehearsal.Count::times)
            .sum();
    if (all == result.series().stream().mapToLong(s -> s.transitions().size()).sum()) {
      return notifications.messages(rule, result);
    }
    // Not all transitions are kept: as if each had a message of its own.
    var out = new TreeMap<String, Integer>();
    for (var series : result.series()) {
      for (var count : series.counts()) {
        for (var told : notifications.recipients(rule, series.labels(), count)) {
          out.merge(told.name(), told.channels() * count.times(), Integer::sum);
        }
      }
    }
    return out;
  }

  private Rehearsed rehearsed(
      Rule rule,
      Rehearsal.Result result,
      CheckCourses courses,
      long every,
      boolean cut,
      long begun) {
    var recipients = messages(rule, result);
    int messages = recipients.values().stream().mapToInt(Integer::intValue).sum();
    long millis = (System.nanoTime() - begun) / 1_000_000;
    return new Rehearsed(
        result, every, messages, recipients, cut, millis, courses.ends(), courses.count());
  }
}
