package vintrel.server.show;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.core.define.Dashboard;
import vintrel.core.panel.TimeChart;
import vintrel.core.panel.Watched;
import vintrel.core.panel.WatchedLimit;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Binding;
import vintrel.core.query.syntax.Measure;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.Limit;
import vintrel.core.watch.LimitTest;
import vintrel.core.watch.Rule;
import vintrel.server.ask.Queries;
import vintrel.server.watch.WatchedLines;

/** The rules that watch what a time chart shows: their limits, and when they were raised. */
@Component
class RulesOfPanel {
  /** Spans that are sent of a panel, the latest ones. */
  private static final int MOST_SPANS = 500;

  private final WatchedLines watched;

  RulesOfPanel(WatchedLines watched) {
    this.watched = watched;
  }

  /** A rule that watches a line of the panel. */
  record OfLine(String line, WatchedLines.Watching watching) {}

  /** Those that watch its lines; none if it is no time chart. */
  List<OfLine> of(Dashboard.Panel panel, Queries.Answered answered, Queries.Ask ask) {
    var out = new ArrayList<OfLine>();
    if (answered == null || !(panel.kind() instanceof TimeChart)) {
      return out;
    }
    try {
      var query = Parser.parse(Binding.text(panel.query(), ask.controls()::get, ask.store()));
      for (var line : answered.answer().lines()) {
        var shown = line.set().rows().stream().map(SeriesSet.Row::labels).toList();
        watched
            .of(Measure.of(query, line.name()), shown)
            .forEach(w -> out.add(new OfLine(line.name(), w)));
      }
    } catch (QueryException e) {
      // It gave an answer, so that only its text with what was chosen is too long to be read again.
      return out;
    }
    return out;
  }

  /**
   * What they have to say in the panel.
   *
   * @param places into which the range is divided for the times when they were raised
   */
  Watched watched(List<OfLine> rules, TimeText.Range range, int places) {
    var all = watched.raised(rules.stream().map(OfLine::watching).toList(), range, places);
    return new Watched(
        limits(rules), all.subList(Math.max(0, all.size() - MOST_SPANS), all.size()));
  }

  private static List<WatchedLimit> limits(List<OfLine> rules) {
    var out = new ArrayList<WatchedLimit>();
    var seen = new HashSet<String>();
    for (var of : rules) {
      if (!seen.add(of.watching.rule().name())) {
        // Another line shows it too.
        continue;
      }
      var rule = of.watching.rule();
      for (var limit : rule.paused() ? List.<Limit>of() : rule.limits()) {
        var priority = limit.priority().text();
        switch (limit.test()) {
          case LimitTest.Threshold t ->
              out.add(one(of.line, rule, t.value(), t.direction().isUp(), priority));
          case LimitTest.Outside o -> {
            out.add(one(of.line, rule, o.low(), false, priority));
            out.add(one(of.line, rule, o.high(), true, priority));
          }
          case LimitTest.OutsideBand b -> {}
          case LimitTest.Stale s -> {}
          case LimitTest.Absent a -> {}
        }
      }
    }
    return out;
  }

  private static WatchedLimit one(
      String line, Rule rule, double value, boolean above, String priority) {
    return new WatchedLimit(line, value, above, priority, rule.name(), rule.title());
  }
}
