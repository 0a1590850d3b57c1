package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Service;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Pitch;
import vintrel.core.query.Advice;
import vintrel.core.query.Answer;
import vintrel.core.query.Evaluator;
import vintrel.core.query.Expr;
import vintrel.core.query.Frames;
import vintrel.core.query.Limits;
import vintrel.core.query.Parser;
import vintrel.core.query.Printer;
import vintrel.core.query.Query;
import vintrel.core.query.Request;
import vintrel.core.query.Sources;
import vintrel.core.series.Condition;
import vintrel.core.unit.TimeText;
import vintrel.server.store.DurableStore;
import vintrel.server.web.Settings;

/** Answers query texts from the store. Any thread. */
@Service
public class Queries {
  private static final int PROBED = 3;

  private final DurableStore store;
  private final Evaluator evaluator;

  Queries(DurableStore store, Settings settings) {
    this.store = store;
    var q = settings.query();
    this.evaluator =
        new Evaluator(store, new Limits(q.mostSeries(), q.mostSamples(), q.mostMillis()));
  }

  /**
   * @param pitch of the buckets, ms
   * @param empty why there is nothing, or null where there is something
   */
  public record Answered(Query query, Answer answer, long pitch, List<Frame> frames, Empty empty) {
    public List<Advice> advice() {
      return answer.advice();
    }
  }

  /**
   * Why an answer is empty.
   *
   * @param nearest the time of the newest sample of what was asked, or 0
   */
  public record Empty(String text, long nearest) {}

  /**
   * Answers a text over a range.
   *
   * @param step ms of a bucket, or 0 to choose by the points that are wanted
   * @param points how many buckets fit the picture
   * @throws vintrel.core.query.QueryException as the evaluator does
   */
  public Answered range(
      String text,
      TimeText.Range range,
      long step,
      int points,
      Map<String, List<String>> controls) {
    var query = Parser.parse(text);
    long pitch =
        step > 0 ? step : Pitch.fitting(range.millis(), points, interval(query, range, controls));
    var request = Request.range(range.from(), range.to(), pitch).with(controls);
    var answer = evaluator.evaluate(query, request);
    var frames = answer.lines().stream().map(Frames::of).toList();
    boolean any =
        frames.stream().anyMatch(f -> f.numbers().stream().anyMatch(n -> any(n.values())));
    return new Answered(query, answer, pitch, frames, any ? null : empty(query, controls));
  }

  /** The usual distance of samples of the slowest source, judged by a few of its series; ms. */
  private long interval(Query query, TimeText.Range range, Map<String, List<String>> controls) {
    var sources = new ArrayList<Expr.Source>();
    query.lines().forEach(l -> Sources.of(query, l.expr(), sources));
    long slowest = 0;
    for (var s : sources) {
      var some =
          store.select(s.store(), s.name(), s.where().bind(controls::get)).stream()
              .limit(PROBED)
              .toList();
      for (var series : some) {
        slowest = Math.max(slowest, store.interval(series, range.from(), range.to()));
      }
    }
    return slowest;
  }

  private static boolean any(double[] values) {
    for (double v : values) {
      if (!Double.isNaN(v)) {
        return true;
      }
    }
    return false;
  }

  public Evaluator evaluator() {
    return evaluator;
  }

  /** The first reason that is found among the sources of a query. */
  private Empty empty(Query query, Map<String, List<String>> controls) {
    var sources = new ArrayList<Expr.Source>();
    query.lines().forEach(l -> Sources.of(query, l.expr(), sources));
    for (var s : sources) {
      var where = s.where().bind(controls::get);
      var found = store.select(s.store(), s.name(), where);
      if (found.isEmpty()) {
        return new Empty(culprit(s, where), 0);
      }
      long newest = found.stream().mapToLong(f -> store.newest(f.id())).max().orElse(0);
      if (newest > 0) {
        return new Empty("No sample of " + s.name() + " lies in this range.", newest);
      }
    }
    return new Empty("Nothing is left after the steps.", 0);
  }

  private String culprit(Expr.Source source, Condition where) {
    var metric = source.name();
    var parts = where instanceof Condition.And and ? and.parts() : List.of(where);
    for (var part : parts) {
      if (store.select(source.store(), metric, part).isEmpty()) {
        return "No series of " + metric + " fulfils " + Printer.print(part) + ".";
      }
    }
    return "No series of " + metric + " fulfils all of " + Printer.print(where) + " at once.";
  }
}
