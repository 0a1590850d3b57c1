package vintrel.core.query;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.unit.Spans;

/** Collects what is doubtful about a query on the way; each piece once. */
final class Advisor {
  private final List<Advice> found = new ArrayList<>();
  private final String text;

  Advisor(String text) {
    this.text = text;
  }

  List<Advice> advice() {
    return List.copyOf(found);
  }

  private void add(String code, String what, Span where) {
    int[] place = QueryException.place(text, where.start());
    var advice = new Advice(code, what, place[0], place[1]);
    if (found.stream().noneMatch(a -> a.code().equals(code) && a.text().equals(what))) {
      found.add(advice);
    }
  }

  void before(Step step, SeriesSet in, Expr.Chain chain, int at, long pitch) {
    boolean grows = step instanceof Step.Rate || step instanceof Step.Increase;
    if (grows && in.rows().stream().anyMatch(r -> !r.kind().cumulative())) {
      add(
          "rate-of-gauge",
          "a rate is meant for counters; this is a gauge, whose rise and fall say little as a"
              + " rate",
          step.span());
    }
    if (grows
        && at > 0
        && chain.steps().subList(0, at).stream().anyMatch(s -> s instanceof Step.Across)) {
      add(
          "rate-after-sum",
          "take the rate first and aggregate then: after a sum, one reset looks like a fall of"
              + " all",
          step.span());
    }
    if (step instanceof Step.OverTime o && in.raw()) {
      long interval = in.rows().stream().mapToLong(r -> r.raw().interval()).max().orElse(0);
      window(o, interval);
    }
  }

  void window(Step.OverTime o, long interval) {
    if (interval > 0 && o.millis() < 2 * interval) {
      add(
          "short-window",
          "the window of "
              + Spans.text(o.millis())
              + " holds fewer than two samples, which come every "
              + Spans.words(interval),
          o.span());
    }
  }

  void sketched(Step step) {
    add(
        "sketch",
        "raw samples of the beginning are dropped; percentiles come from hourly sketches, within 1"
            + " %",
        step.span());
  }

  void rawDropped(Expr.Source s) {
    add(
        "raw-dropped",
        "raw samples of `"
            + s.name()
            + "` are not kept for so long; what this asks of them begins later. Steps of 1h or"
            + " more with mean, min, max, rate or percentiles are answered from tiers",
        s.span());
  }

  void drawnRaw(Row row, Span where) {
    if (row.kind().cumulative()) {
      add(
          "raw-counter",
          "`" + row.metric() + "` is a counter; add  then rate  to see how fast it grows",
          where);
    }
  }

  void nothingMatches(Expr.Source s, vintrel.core.series.Condition where) {
    add(
        "nothing-matches",
        "no series of `" + s.name() + "` fulfils  " + Printer.print(where),
        s.span());
  }

  void paired(Expr.Binary b, Pairing.Outcome outcome) {
    if (outcome.nothingPaired()) {
      add(
          "pairs-nothing",
          "no series of the two sides have equal labels; name what to pair by, as in  on (host)",
          b.span());
    }
    if (outcome.unlike()) {
      add("unlike-units", "the units differ: " + outcome.units(), b.span());
    }
    if (outcome.zero()) {
      add("division-by-zero", "where the divisor is 0 the result is missing", b.span());
    }
  }
}
