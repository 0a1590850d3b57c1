package vintrel.core.query.assist;

import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import java.util.stream.Collectors;
import vintrel.core.query.compute.Observer;
import vintrel.core.query.compute.Pairing;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Grouping;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Rewrite;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Sources;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Trees;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;

/** Collects what is doubtful about a query on the way; each piece once. */
public final class Advisor implements Observer {
  /** More series than this can't be distinguished. */
  private static final int CROWDED = 100;

  /** Series that advice names. */
  private static final int NAMED = 3;

  /** Seconds since 1970 that no duration reaches: 2001. */
  private static final double MIN_TIMESTAMP_SECONDS = 1e9;

  private final List<Advice> found = new ArrayList<>();
  private final Query query;
  private final SampleSource source;
  private final Request request;

  public Advisor(Query query, SampleSource source, Request request) {
    this.query = query;
    this.source = source;
    this.request = request;
  }

  @Override
  public List<Advice> advice() {
    return List.copyOf(found);
  }

  private void add(String code, String what, SourceSpan where) {
    add(code, what, where, null, null);
  }

  private void add(String code, String what, SourceSpan where, String words, String changed) {
    int[] place = QueryException.place(query.source().text(), where.start());
    if (found.stream().noneMatch(a -> a.code().equals(code) && a.text().equals(what))) {
      var change = changed == null ? null : new Advice.Change(words, changed);
      found.add(new Advice(code, what, place[0], place[1], change));
    }
  }

  /**
   * @param sampled whether the samples came at their own pace, unlike records
   */
  @Override
  public void before(Step step, SeriesSet.OfSeries in, Expr.Chain chain, int at, boolean sampled) {
    boolean grows = step instanceof Step.Rate || step instanceof Step.Increase;
    if (grows
        && !rateAfterSum(step, chain, at)
        && in.rows().stream().anyMatch(r -> !r.kind().cumulative())) {
      rateOfGauge(step);
    }
    if (step instanceof Step.Bucketing o && in instanceof SeriesSet.Raw && sampled) {
      long interval = in.rows().stream().mapToLong(Row::interval).max().orElse(0);
      window(o, interval);
    }
    if (step instanceof Step.Across a) {
      across(a, in, chain, at);
    }
  }

  private boolean rateAfterSum(Step step, Expr.Chain chain, int at) {
    var earlier = chain.steps().subList(0, at);
    var sum = earlier.stream().filter(s -> s instanceof Step.Across).findFirst().orElse(null);
    if (sum != null) {
      var without = chain.steps().stream().filter(s -> s != step).toList();
      var turned = new ArrayList<>(without);
      turned.add(turned.indexOf(sum), step);
      add(
          "rate-after-sum",
          "take the rate before aggregating: after a sum, a reset of one counter looks like a drop"
              + " of the total",
          step.span(),
          "Take the rate first",
          Rewrite.expr(query, chain, new Expr.Chain(chain.input(), turned, chain.span())));
      return true;
    }
    return false;
  }

  private void rateOfGauge(Step step) {
    long per = step instanceof Step.Rate r ? r.perMillis() : Durations.SECOND;
    long every = Traits.of(step).width();
    Step instead =
        step instanceof Step.Rate
            ? new Step.Slope(per, false, every, step.span())
            : new Step.Change(false, every, step.span());
    add(
        "rate-of-gauge",
        "rate is meant for counters, but this metric is a gauge",
        step.span(),
        step instanceof Step.Rate ? "Use slope" : "Use change",
        Rewrite.step(query, step, List.of(instead)));
  }

  private void across(Step.Across a, SeriesSet in, Expr.Chain chain, int at) {
    var before = chain.steps().subList(0, at);
    boolean percentiles =
        before.stream()
            .anyMatch(
                s ->
                    s instanceof Step.Quantile
                        || s instanceof Step.Bucketing o
                            && o.reducer().kind() == Reducer.Kind.PERCENTILE);
    var kind = a.reducer().kind();
    if (percentiles && (kind == Reducer.Kind.MEAN || kind == Reducer.Kind.SUM)) {
      add(
          "mean-of-percentiles",
          "the "
              + a.reducer().text()
              + " of percentiles is not a percentile; use max to see the worst one",
          a.span(),
          "Use max",
          Rewrite.step(query, a, List.of(new Step.Across(Reducer.MAX, a.grouping(), a.span()))));
    }
    boolean ratios =
        !in.rows().isEmpty()
            && in.rows().stream().allMatch(r -> !r.kind().cumulative() && isRatio(r.unit()));
    boolean shares = before.stream().anyMatch(s -> s instanceof Step.Share);
    if (kind == Reducer.Kind.SUM && ratios && !shares && in.rows().size() > 1) {
      add(
          "sum-of-ratios",
          "adding percentages or ratios makes no sense: 60 % and 70 % on two hosts are not 130 %",
          a.span(),
          "Use mean",
          Rewrite.step(query, a, List.of(new Step.Across(Reducer.MEAN, a.grouping(), a.span()))));
    }
  }

  private static boolean isRatio(String unit) {
    return unit.startsWith("%") || unit.equals("1");
  }

  @Override
  public void after(Step step, SeriesSet.OfSeries out, Expr.Chain chain) {
    if (step instanceof Step.Across a
        && a.grouping().mode() != Grouping.Mode.ALL
        && out.rows().size() > CROWDED
        && !narrowedLater(a, chain)) {
      add(
          "label-explodes",
          "this returns "
              + out.rows().size()
              + " series, too many to read; group by fewer labels or keep only the largest",
          a.span(),
          "Keep the 10 largest",
          Rewrite.step(query, a, List.of(a, new Step.Pick(true, 10, Reducer.MEAN, a.span()))));
    }
  }

  private static boolean narrowedLater(Step.Across a, Expr.Chain chain) {
    int at = 0;
    while (chain.steps().get(at) != a) {
      at++;
    }
    return chain.steps().subList(at + 1, chain.steps().size()).stream()
        .anyMatch(
            s -> s instanceof Step.Pick || s instanceof Step.Across || s instanceof Step.OnTable);
  }

  /**
   * @param when in this range, or in the last week
   */
  @Override
  public void limit(Step.KeepWhen k, MatchFrequency passing, String when) {
    var test = k.operator().text() + " " + Printer.number(k.value());
    if (passing == MatchFrequency.NEVER) {
      add("limit-never-reached", "no value " + when + " is " + test, k.span());
    } else if (passing == MatchFrequency.ALWAYS) {
      add(
          "limit-always-passed",
          "every value " + when + " is " + test,
          k.span(),
          "Remove the step",
          Rewrite.step(query, k, List.of()));
    }
  }

  @Override
  public void window(Step.Bucketing o, long interval) {
    if (interval > 0 && o.millis() < 2 * interval) {
      long enough = nice(2 * interval);
      add(
          "short-window",
          "the window (%s) is too short: samples arrive every %s, and it needs at least two"
              .formatted(Durations.text(o.millis()), Durations.words(interval)),
          o.span(),
          "Use " + Durations.text(enough),
          Rewrite.step(
              query, o, List.of(new Step.Bucketing(o.reducer(), o.sliding(), enough, o.span()))));
    }
  }

  /** The next duration that people would say. */
  private static long nice(long millis) {
    long unit =
        millis <= Durations.MINUTE
            ? 10 * Durations.SECOND
            : millis <= Durations.HOUR ? Durations.MINUTE : Durations.HOUR;
    return Math.ceilDiv(millis, unit) * unit;
  }

  @Override
  public void sketched(Step step) {
    add(
        "sketch",
        "raw samples at the start of the range have expired; percentiles there are estimated from"
            + " hourly summaries (error up to 1 %)",
        step.span());
  }

  @Override
  public void rawDropped(Expr.Source s) {
    add(
        "raw-dropped",
        "raw samples of `"
            + s.name()
            + "` do not go back this far, so the result starts later. Use buckets of 1h or more"
            + " with mean, min, max, rate or percentiles to read longer history",
        s.span());
  }

  @Override
  public void unreachable(Expr.Source s, String why) {
    add(
        "store-unreachable",
        "store `" + s.store() + "` is unreachable, so its data is missing: " + why,
        s.span());
  }

  /** Advice of another Vintrel server about its part. */
  @Override
  public void elsewhere(Expr.Source s, ExternalSource.RemoteAdvice doubt) {
    add(doubt.code(), "from " + s.store() + ": " + doubt.text(), s.span());
  }

  @Override
  public void drawnRaw(Row row, SourceSpan where) {
    if (row.kind().cumulative()) {
      var counter = source(row.metric(), where);
      add(
          "raw-counter",
          "`" + row.metric() + "` is a counter; add `then rate` to see how fast it grows",
          where,
          "Add rate",
          counter == null ? null : withRate(counter));
    }
  }

  private String withRate(Expr.Source s) {
    for (var line : query.lines()) {
      if (line.expr() instanceof Expr.Chain c && c.input() == s) {
        var steps = new ArrayList<Step>(c.steps());
        steps.addFirst(new Step.Rate(Durations.SECOND, 0, s.span()));
        return Rewrite.expr(query, c, new Expr.Chain(s, steps, c.span()));
      }
    }
    var rate = List.<Step>of(new Step.Rate(Durations.SECOND, 0, s.span()));
    return Rewrite.expr(query, s, new Expr.Chain(s, rate, s.span()));
  }

  /** The source of a metric that begins at a place, or null. */
  private Expr.Source source(String metric, SourceSpan where) {
    var all = new ArrayList<Expr.Source>();
    query.lines().forEach(l -> Sources.collect(query, l.expr(), all));
    return all.stream()
        .filter(s -> s.name().equals(metric) && s.span().start() >= where.start())
        .findFirst()
        .orElse(null);
  }

  /** Looks at what a metric with its condition found. */
  @Override
  public void selected(Expr.Source s, Condition where, String store, List<Series> some) {
    if (some.isEmpty()) {
      nothingMatches(s, where, store);
    } else if (!store.isEmpty() && stale(some)) {
      elsewhere(s, where, store);
    }
    some.stream()
        .limit(3)
        .filter(x -> !x.kind().cumulative() && (x.unit().equals("s") || x.unit().equals("ms")))
        .findFirst()
        .ifPresent(x -> timeAsDuration(s, x));
  }

  private boolean stale(List<Series> some) {
    return some.stream().allMatch(x -> source.newest(x.id()) < request.from());
  }

  private void elsewhere(Expr.Source s, Condition where, String store) {
    for (var other : source.select("", s.name(), where)) {
      if (!other.store().equals(store) && source.newest(other.id()) >= request.from()) {
        var there = new Expr.Source(s.name(), other.store(), s.where(), s.span());
        add(
            "other-store",
            "store `%s` has no samples in this range, but store `%s` has"
                .formatted(store, other.store()),
            s.span(),
            "Use store " + other.store(),
            Rewrite.expr(query, s, there));
        return;
      }
    }
  }

  private void nothingMatches(Expr.Source s, Condition where, String store) {
    var parts = where instanceof Condition.And and ? and.parts() : List.of(where);
    Condition unmatchedCondition =
        parts.stream()
            .filter(p -> source.select(store, s.name(), p).isEmpty())
            .findFirst()
            .orElse(null);
    if (unmatchedCondition == null) {
      add(
          "nothing-matches",
          "no series of `%s` meets all conditions together: %s"
              .formatted(s.name(), Printer.print(where)),
          s.span());
      return;
    }
    var rest = new ArrayList<Condition>();
    var unbound = s.where() instanceof Condition.And and ? and.parts() : List.of(s.where());
    for (int i = 0; i < unbound.size(); i++) {
      if (unbound.size() != parts.size() || parts.get(i) != unmatchedCondition) {
        rest.add(unbound.get(i));
      }
    }
    Condition left =
        rest.isEmpty()
            ? Condition.ALL
            : rest.size() == 1 ? rest.getFirst() : new Condition.And(rest);
    add(
        "nothing-matches",
        "no series of `" + s.name() + "` matches " + Printer.print(unmatchedCondition),
        s.span(),
        "Remove the condition",
        rest.size() == unbound.size()
            ? null
            : Rewrite.expr(query, s, new Expr.Source(s.name(), s.store(), left, s.span())));
  }

  private void timeAsDuration(Expr.Source s, Series x) {
    var samples = source.read(List.of(x), request.to() - Durations.HOUR, request.to()).getFirst();
    double scale = x.unit().equals("ms") ? 1000 : 1;
    boolean time =
        !samples.isEmpty()
            && samples.values()[samples.count() - 1] >= MIN_TIMESTAMP_SECONDS * scale;
    if (time && !usesSince(s)) {
      add(
          "time-as-duration",
          "the values of `"
              + s.name()
              + "` are timestamps, not durations; `since` converts them to elapsed time",
          s.span(),
          "Add since",
          Rewrite.expr(query, s, new Expr.Chain(s, List.of(new Step.Since(s.span())), s.span())));
    }
  }

  private boolean usesSince(Expr.Source s) {
    boolean[] used = {false};
    for (var line : query.lines()) {
      Trees.walk(
          line.expr(),
          e ->
              used[0] |=
                  e instanceof Expr.Chain c
                      && c.input() == s
                      && c.steps().stream().anyMatch(Step.Since.class::isInstance));
    }
    return used[0];
  }

  @Override
  public void paired(
      Expr.Binary b, Pairing.Outcome outcome, SeriesSet.Gridded left, SeriesSet.Gridded right) {
    if (outcome.nothingPaired()) {
      var common = new TreeSet<>(labelNames(left));
      common.retainAll(labelNames(right));
      boolean helps = !common.isEmpty() && b.on().isEmpty();
      add(
          "pairs-nothing",
          "the two sides have no series with the same labels; name the labels to match, for example"
              + " `on (host)`, or aggregate one side into one series, for example with `then mean`",
          b.span(),
          "Match by " + String.join(", ", common),
          helps ? with(b, List.copyOf(common), b.missing()) : null);
    } else if (!outcome.alone().isEmpty()) {
      int n = outcome.alone().size();
      add(
          "unpaired",
          (n == 1 ? "1 series has" : n + " series have")
              + " no partner on the other side and "
              + (n == 1 ? "is" : "are")
              + " left out: "
              + some(outcome.alone()),
          b.span(),
          "Treat missing as 0",
          with(b, b.on(), 0.0));
    }
    if (outcome.unlike()) {
      add("unlike-units", "the units differ: " + outcome.units(), b.span());
    }
    if (outcome.zero()) {
      add("division-by-zero", "a result is missing if its divisor is 0", b.span());
    }
  }

  private String with(Expr.Binary b, List<String> on, Double missing) {
    var changed = new Expr.Binary(b.operator(), b.left(), b.right(), on, missing, b.span());
    return Rewrite.expr(query, b, changed);
  }

  private static String some(List<Labels> all) {
    var shown = all.stream().limit(NAMED).map(Labels::toString).collect(Collectors.joining(" · "));
    return all.size() > NAMED ? shown + " and " + (all.size() - NAMED) + " more" : shown;
  }

  private static List<String> labelNames(SeriesSet set) {
    return set.rows().stream().map(Row::labels).map(Labels::names).flatMap(List::stream).toList();
  }
}
