package vintrel.server.ask;

import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import vintrel.core.chunk.Samples;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Sources;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.core.unit.Durations;
import vintrel.core.unit.TimeText;
import vintrel.server.store.LogStore;

/**
 * Why an answer is empty: a store that can't be reached, a condition that nothing fulfils, no
 * sample or record in the range, or a step that leaves nothing. Any thread.
 */
final class EmptyAnswerReason {
  private final SampleStore store;
  private final ExternalSources outside;
  private final LogStore events;
  private final Clock clock;

  EmptyAnswerReason(SampleStore store, ExternalSources outside, LogStore events, Clock clock) {
    this.store = store;
    this.outside = outside;
    this.events = events;
    this.clock = clock;
  }

  /** The first reason that is found among the sources and steps of a query. */
  Queries.Empty of(Query query, Queries.Ask ask, Answer answer) {
    var away =
        answer.advice().stream().filter(a -> a.code().equals("store-unreachable")).findFirst();
    if (away.isPresent()) {
      return new Queries.Empty(away.get().text(), 0);
    }
    var step = ofStep(query, answer, ask.range());
    if (step != null) {
      return step;
    }
    var sources = new ArrayList<Expr.Source>();
    query.lines().forEach(l -> Sources.collect(query, l.expr(), sources));
    for (var s : sources) {
      var reason = outside.remotes().contains(s.store()) ? null : ofMetric(s, ask);
      if (reason != null) {
        return reason;
      }
    }
    for (var e : Sources.events(query)) {
      var trace = answer.traces().get(e);
      if (trace == null || nothing(trace.set())) {
        return noEvent(e.where().bind(ask.controls()::get));
      }
    }
    return new Queries.Empty(
        "The steps leave no data. Switch them off one at a time to find out which one.", 0);
  }

  private Queries.Empty ofMetric(Expr.Source s, Queries.Ask ask) {
    var named = s.store().isEmpty() ? ask.store() : s.store();
    var where = s.where().bind(ask.controls()::get);
    var found = store.select(named, s.name(), where);
    if (found.isEmpty()) {
      return new Queries.Empty(unmatchedCondition(s, named, where), 0);
    }
    long newest = found.stream().mapToLong(f -> store.newest(f.id())).max().orElse(0);
    if (newest >= ask.range().from() && newest < ask.range().to()) {
      return null;
    }
    var ago = Durations.words(Math.max(0, clock.millis() - newest));
    return newest <= 0
        ? new Queries.Empty("No samples of " + s.name() + " received yet.", 0)
        : new Queries.Empty(
            "No samples of " + s.name() + " in this range. The latest is " + ago + " old.", newest);
  }

  /** That no record is there, and when the newest was that fulfils a condition. */
  Queries.Empty noEvent(Condition where) {
    long newest = events.newest(where);
    if (newest > 0) {
      var what = where.equals(Condition.ALL) ? "events" : "matching events";
      var ago = Durations.words(Math.max(0, clock.millis() - newest));
      return new Queries.Empty(
          "No " + what + " in this range. The latest is " + ago + " old.", newest);
    }
    return new Queries.Empty(
        events.newest() == 0
            ? "No events received yet. Send OTLP logs to /v1/logs."
            : "No stored event matches the conditions.",
        0);
  }

  /** The first step that removes all values of the range, or null. */
  private static Queries.Empty ofStep(Query query, Answer answer, TimeText.Range range) {
    for (var line : query.lines()) {
      if (!(line.expr() instanceof Expr.Chain c)) {
        continue;
      }
      var before = answer.traces().get(c.input());
      for (Step step : c.steps()) {
        var after = answer.traces().get(step);
        if (after != null && nothing(after.set())) {
          if (before == null || !within(before.set(), range)) {
            break;
          }
          var text =
              "The step “"
                  + Printer.print(step)
                  + "” removes all data from "
                  + before.set().shape()
                  + ".";
          return new Queries.Empty(text, 0);
        }
        before = after == null ? before : after;
      }
    }
    return null;
  }

  /** Whether a set has a value in the range, and not only before it if steps look back. */
  private static boolean within(SeriesSet set, TimeText.Range range) {
    return set instanceof SeriesSet.Table t
        ? t.frame().rows() > 0
        : Frames.pickSeries(set, Integer.MAX_VALUE).stream()
            .map(s -> s.slice(range.from(), range.to()))
            .anyMatch(EmptyAnswerReason::hasValue);
  }

  private static boolean nothing(SeriesSet set) {
    return set instanceof SeriesSet.Table t
        ? t.frame().rows() == 0
        : Frames.pickSeries(set, Integer.MAX_VALUE).stream().noneMatch(EmptyAnswerReason::hasValue);
  }

  private static boolean hasValue(Samples s) {
    return Arrays.stream(s.values(), 0, s.count()).anyMatch(v -> !Double.isNaN(v));
  }

  private String unmatchedCondition(Expr.Source source, String named, Condition where) {
    var metric = source.name();
    if (!named.isEmpty() && !store.hasMetric(named, metric)) {
      return "Store " + named + " has no metric " + metric + ".";
    }
    var parts = where instanceof Condition.And and ? and.parts() : java.util.List.of(where);
    for (var part : parts) {
      if (store.select(named, metric, part).isEmpty()) {
        return "No series of " + metric + " matches " + Printer.print(part) + ".";
      }
    }
    return "No series of "
        + metric
        + " meets all conditions together: "
        + Printer.print(where)
        + ".";
  }
}
