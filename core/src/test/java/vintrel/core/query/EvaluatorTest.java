package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.assertj.core.data.Offset;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.CutBuckets;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

class EvaluatorTest {
  private static final Offset<Double> TINY = within(1e-9);
  private final MemorySource source = new MemorySource();

  private static Samples every(long step, double... values) {
    var times = new long[values.length];
    Arrays.setAll(times, i -> i * step);
    return Samples.of(times, values);
  }

  private Answer ask(String text, long from, long to, long pitch) {
    return new Evaluator(source, Limits.DEFAULT)
        .evaluate(Parser.parse(text), Request.range(from, to, pitch));
  }

  private double[] values(String text, long from, long to, long pitch) {
    var rows = ask(text, from, to, pitch).lines().getFirst().set().rows();
    assertThat(rows).hasSize(1);
    return rows.getFirst().values();
  }

  private void gauge(String metric, String host, Samples s) {
    source.add(metric, MetricKind.GAUGE, "%", Labels.of("host", host), s);
  }

  private void counter(String metric, String host, Samples s) {
    source.add(metric, MetricKind.COUNTER, "By", Labels.of("host", host), s);
  }

  @Test
  void aGaugeIsDrawnAsMeansWithTheEnvelopeOfWhatTheyHide() {
    gauge("cpu", "a", every(10_000, 1, 9, 2, 4));
    var row = ask("cpu", 0, 40_000, 20_000).lines().getFirst().set().rows().getFirst();
    assertThat(row.values()).containsExactly(5, 3);
    assertThat(row.low()).containsExactly(1, 2);
    assertThat(row.high()).containsExactly(9, 4);
  }

  @Test
  void aMissingBucketIsMissingAndNeverZero() {
    gauge("cpu", "a", Samples.of(new long[] {0, 30_000}, new double[] {1, 2}));
    assertThat(values("cpu then sum every 10s", 0, 40_000, 10_000))
        .containsExactly(1, Double.NaN, Double.NaN, 2);
    assertThat(values("cpu then count every 10s", 0, 40_000, 10_000)[1]).isNaN();
  }

  @Test
  void aRangeEndsBeforeItsEnd() {
    gauge("cpu", "a", every(10_000, 1, 2, 3));
    assertThat(values("cpu", 0, 20_000, 10_000)).containsExactly(1, 2);
  }

  @Test
  void theCutLastBucketHoldsNothingAfterTheRange() {
    var values = new double[60];
    Arrays.setAll(values, i -> i);
    gauge("cpu", "a", every(60_000, values));
    long to = 35 * 60_000;
    var chains =
        List.of(
            "last every 10m", "last every 10m then change", "mean every 10m then smooth over 30m");
    double beside = Math.pow(1 - 0.125, 3);
    var wanted = List.of(34.0, 5.0, (32 + beside * 24.5) / (1 + beside));
    for (int i = 0; i < chains.size(); i++) {
      var found = values("cpu then " + chains.get(i), 0, to, 60_000);
      assertThat(found[3]).as(chains.get(i)).isCloseTo(wanted.get(i), TINY);
      // Those before look on: they are the same in every range.
      assertThat(found[2])
          .isEqualTo(values("cpu then " + chains.get(i), 0, 60 * 60_000, 60_000)[2]);
    }
  }

  @Test
  void aRateSurvivesAResetWithoutAFall() {
    counter("bytes", "a", every(10_000, 100, 200, 50, 150));
    assertThat(values("bytes then rate", 0, 30_001, 10_000)).containsExactly(10, 5, 10, Double.NaN);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void noIncreaseIsLostOrCountedTwiceWhateverThePitch(long seed) {
    var random = new Random(seed);
    int n = 200;
    var times = new long[n];
    var values = new double[n];
    double grown = 0;
    for (int i = 1; i < n; i++) {
      times[i] = times[i - 1] + 1 + random.nextInt(20_000);
      boolean reset = random.nextInt(15) == 0;
      double step = random.nextInt(100);
      values[i] = reset ? step : values[i - 1] + step;
      grown += reset && step >= values[i - 1] ? step - values[i - 1] : step;
    }
    counter("c", "a", Samples.of(times, values));
    for (long pitch : new long[] {1_000, 7_000, 60_000, 600_000}) {
      double total =
          Arrays.stream(values("c then increase", 0, times[n - 1] + 1, pitch))
              .filter(v -> !Double.isNaN(v))
              .sum();
      assertThat(total).as("pitch %d", pitch).isCloseTo(grown, within(1e-6));
    }
  }

  @Test
  void aRateDoesNotBridgeALongSilence() {
    counter(
        "c",
        "a",
        Samples.of(new long[] {0, 10_000, 7_200_000, 7_210_000}, new double[] {0, 10, 500, 510}));
    var rate = values("c then rate", 0, 7_220_000, 600_000);
    assertThat(rate[5]).isNaN();
    assertThat(rate[12]).isCloseTo(1, TINY);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "mean", "min", "max", "sum", "count", "last", "first", "median", "stddev", "spread", "p95"
      })
  void bucketsAndGroupsAgreeWithTheObviousWay(String word) {
    var random = new Random(word.hashCode());
    int hosts = 6;
    int n = 300;
    var all = new double[hosts][n];
    for (int h = 0; h < hosts; h++) {
      var times = new long[n];
      for (int i = 0; i < n; i++) {
        times[i] = i * 10_000L + random.nextInt(9_000);
        all[h][i] = random.nextInt(1000) / 10.0;
      }
      gauge("m", "h" + h, Samples.of(times, all[h]));
    }
    var reducer = Reducer.of(word);
    var byTime =
        ask("m then " + word + " every 1m", 0, n * 10_000L, 60_000).lines().getFirst().set();
    for (int h = 0; h < hosts; h++) {
      for (int b = 0; b < n / 6; b++) {
        assertThat(byTime.rows().get(h).values()[b])
            .isCloseTo(obvious(reducer, Arrays.copyOfRange(all[h], b * 6, b * 6 + 6)), TINY);
      }
    }
    var across = values("m then last every 1m then " + word, 0, n * 10_000L, 60_000);
    for (int b = 0; b < n / 6; b++) {
      int at = b * 6 + 5;
      assertThat(across[b])
          .isCloseTo(obvious(reducer, Arrays.stream(all).mapToDouble(a -> a[at]).toArray()), TINY);
    }
  }

  private static double obvious(Reducer r, double[] v) {
    var sorted = Arrays.stream(v).sorted().toArray();
    double mean = Arrays.stream(v).average().orElseThrow();
    return switch (r.kind()) {
      case MEAN -> mean;
      case MIN -> sorted[0];
      case MAX -> sorted[v.length - 1];
      case SUM -> Arrays.stream(v).sum();
      case COUNT -> v.length;
      case FIRST -> v[0];
      case LAST -> v[v.length - 1];
      case SPREAD -> sorted[v.length - 1] - sorted[0];
      case STDDEV ->
          Math.sqrt(Arrays.stream(v).map(x -> (x - mean) * (x - mean)).average().orElseThrow());
      case MEDIAN -> rank(sorted, 0.5);
      case PERCENTILE -> rank(sorted, r.percentile() / 100);
    };
  }

  private static double rank(double[] sorted, double q) {
    double at = q * (sorted.length - 1);
    int i = (int) at;
    return i + 1 < sorted.length ? sorted[i] + (at - i) * (sorted[i + 1] - sorted[i]) : sorted[i];
  }

  @Test
  void aSlidingWindowEndsWithItsBucket() {
    gauge("cpu", "a", every(10_000, 1, 2, 3, 4));
    assertThat(values("cpu then max over 20s", 20_000, 40_000, 10_000)).containsExactly(3, 4);
    assertThat(values("cpu then sum over 20s", 20_000, 40_000, 10_000)).containsExactly(5, 7);
  }

  @Test
  void groupsByAndWithoutKeepTheirLabels() {
    for (var site : List.of("n", "s")) {
      for (var host : List.of("1", "2")) {
        source.add(
            "m", MetricKind.GAUGE, "", Labels.of("site", site, "host", host), every(10_000, 1, 1));
      }
    }
    var by = ask("m then sum by site", 0, 20_000, 10_000).lines().getFirst().set().rows();
    assertThat(by).extracting(r -> r.labels().toString()).containsExactly("site n", "site s");
    assertThat(by.getFirst().values()).containsExactly(2, 2);
    var without = ask("m then sum without site", 0, 20_000, 10_000).lines().getFirst().set().rows();
    assertThat(without).extracting(r -> r.labels().toString()).containsExactly("host 1", "host 2");
  }

  @Test
  void topTakesTheLargestAndBottomTheSmallest() {
    gauge("m", "low", every(10_000, 1, 1));
    gauge("m", "high", every(10_000, 9, 9));
    gauge("m", "peak", every(10_000, 0, 12));
    assertThat(
            ask("m then top 1", 0, 20_000, 10_000)
                .lines()
                .getFirst()
                .set()
                .rows()
                .getFirst()
                .labels()
                .get("host"))
        .isEqualTo("high");
    assertThat(
            ask("m then top 1 by max", 0, 20_000, 10_000)
                .lines()
                .getFirst()
                .set()
                .rows()
                .getFirst()
                .labels()
                .get("host"))
        .isEqualTo("peak");
    assertThat(
            ask("m then bottom 1", 0, 20_000, 10_000)
                .lines()
                .getFirst()
                .set()
                .rows()
                .getFirst()
                .labels()
                .get("host"))
        .isEqualTo("low");
  }

  @Test
  void linesUseEachOtherAndSeriesPairByTheirLabels() {
    gauge("bad", "a", every(10_000, 1, 2));
    gauge("bad", "b", every(10_000, 5, 5));
    gauge("all", "a", every(10_000, 10, 10));
    gauge("all", "b", every(10_000, 10, 0));
    var answer =
        ask(
            "hidden errors: bad\nhidden total: all\nshare: errors / total * 100",
            0,
            20_000,
            10_000);
    assertThat(answer.lines()).extracting(Answer.LineAnswer::name).containsExactly("share");
    var rows = answer.lines().getFirst().set().rows();
    assertThat(rows.get(0).values()).containsExactly(10, 20);
    assertThat(rows.get(1).values()).containsExactly(50, Double.NaN);
    assertThat(answer.advice()).extracting(Advice::code).contains("division-by-zero");
  }

  @Test
  void aLoneSeriesPairsWithAll() {
    gauge("m", "a", every(10_000, 2));
    gauge("m", "b", every(10_000, 6));
    var rows = ask("m / (m then sum)", 0, 10_000, 10_000).lines().getFirst().set().rows();
    assertThat(rows.get(0).values()).containsExactly(0.25);
    assertThat(rows.get(1).labels().get("host")).isEqualTo("b");
  }

  @Test
  void aQuantileLiesWithinItsBucket() {
    for (var le : List.of("1", "2", "+Inf")) {
      double count = le.equals("1") ? 50 : le.equals("2") ? 90 : 100;
      source.add(
          "h.bucket",
          MetricKind.HISTOGRAM,
          "",
          Labels.of("le", le),
          every(10_000, 0, count, 2 * count));
    }
    assertThat(values("h.bucket then rate then quantile 0.5", 0, 20_000, 10_000)[0])
        .isCloseTo(1, TINY);
    assertThat(values("h.bucket then rate then quantile 0.7", 0, 20_000, 10_000)[0])
        .isCloseTo(1.5, TINY);
    assertThat(values("h.bucket then rate then quantile 0.99", 0, 20_000, 10_000)[0])
        .isCloseTo(2, TINY);
  }

  @Test
  void aShiftShowsWhatWasBefore() {
    gauge("m", "a", every(10_000, 1, 2, 3, 4));
    assertThat(values("m then shift 20s", 20_000, 40_000, 10_000)).containsExactly(1, 2);
  }

  @Test
  void anUnknownMetricIsNamedWithItsNearest() {
    gauge("scan.attempts", "a", every(1, 1));
    assertThatThrownBy(() -> ask("scan.attemps", 0, 10, 1))
        .hasMessage("no metric `scan.attemps`; did you mean `scan.attempts`?");
  }

  @Test
  void linesThatGoRoundInACircleAreRefused() {
    assertThatThrownBy(() -> ask("a: b + 1\nb: a + 1", 0, 10, 1)).hasMessageContaining("circle");
  }

  @Test
  void adviceSaysWhatIsDoubtful() {
    gauge("g", "a", every(10_000, 1, 2, 3, 4));
    counter("c", "a", every(10_000, 1, 2, 3, 4));
    assertThat(codes("g then rate")).containsExactly("rate-of-gauge");
    assertThat(codes("c")).containsExactly("raw-counter");
    assertThat(codes("g then mean every 15s")).containsExactly("short-window");
    assertThat(codes("c then sum then rate")).contains("rate-after-sum");
    assertThat(codes("g + (c then rate)")).containsExactly("unlike-units");
    assertThat(codes("g where host = 'x'")).containsExactly("nothing-matches");
    assertThat(codes("g then mean every 30s")).isEmpty();
  }

  @Test
  void adviceNamesItsPlaceInTheTextThatWasTyped() {
    gauge("g", "a", every(10_000, 1, 2, 3, 4));
    var advice = ask("x: g\n  then   rate", 0, 40_000, 10_000).advice().getFirst();
    assertThat(advice.line()).isEqualTo(2);
    assertThat(advice.column()).isEqualTo(10);
  }

  private List<String> codes(String text) {
    try {
      return ask(text, 0, 40_000, 10_000).advice().stream().map(Advice::code).toList();
    } catch (QueryException e) {
      return List.of(e.code());
    }
  }

  @Test
  void limitsAnswerWithWhatToNarrow() {
    gauge("m", "a", every(10_000, 1, 2, 3));
    gauge("m", "b", every(10_000, 1, 2, 3));
    var few = new Evaluator(source, new Limits(1, 100, 1000));
    assertThatThrownBy(() -> few.evaluate(Parser.parse("m"), Request.range(0, 30_000, 10_000)))
        .hasMessageContaining("reads 2 series; the limit is 1. Add conditions with `where`");
    var short_ = new Evaluator(source, new Limits(10, 4, 1000));
    assertThatThrownBy(() -> short_.evaluate(Parser.parse("m"), Request.range(0, 30_000, 10_000)))
        .hasMessageContaining("more than 4 samples");
    assertThatThrownBy(() -> ask("m", 0, Long.MAX_VALUE / 2, 1)).hasMessageContaining("buckets");
  }

  @Test
  void aCancelledQueryEnds() {
    gauge("m", "a", every(10_000, 1));
    var request = Request.range(0, 10, 1).until(() -> true);
    assertThatThrownBy(
            () -> new Evaluator(source, Limits.DEFAULT).evaluate(Parser.parse("m"), request))
        .hasMessageContaining("cancelled");
  }

  @Test
  void aReadingAtAnInstantIsTheNewestFreshValue() {
    gauge("m", "a", every(10_000, 1, 2, 3));
    gauge("m", "stale", Samples.of(new long[] {0}, new double[] {7}));
    var evaluator = new Evaluator(source, Limits.DEFAULT);
    var at = evaluator.readings(Parser.parse("m"), "", 300_000, 5_000, 1000);
    assertThat(at).isEmpty();
    var now = evaluator.readings(Parser.parse("m"), "", 75_000, 5_000, 1000);
    assertThat(now).hasSize(1);
    assertThat(now.getFirst().value()).isEqualTo(3);
    var mean = evaluator.readings(Parser.parse("m then mean over 30s"), "", 30_000, 5_000, 1000);
    assertThat(mean.getFirst().value()).isEqualTo(2);
  }

  @Test
  void aSeriesThatEndedHasNoValueAtOnceButWhatItHadStays() {
    var times = new long[] {0, 10_000, 20_000, 25_000};
    gauge("m", "a", every(10_000, 1, 2, 3));
    gauge("m", "gone", Samples.of(times, new double[] {1, 2, 3, Double.NaN}));
    counter("n", "gone", Samples.of(times, new double[] {10, 20, 30, Double.NaN}));
    gauge("m", "back", Samples.of(new long[] {0, 5_000, 20_000}, new double[] {1, Double.NaN, 3}));
    var evaluator = new Evaluator(source, Limits.DEFAULT);
    for (var ask :
        Map.of(
                "m where host = 'a'", "3.0",
                "m where host = 'back'", "3.0",
                "m where host = 'gone'", "NaN",
                "m where host = 'gone' then keep when > 0", "NaN",
                "m where host = 'gone' / 2 + 1", "NaN",
                "n then rate", "NaN",
                "m where host = 'gone' then max over 1m", "3.0",
                "m where host = 'gone' then fill with previous", "3.0")
            .entrySet()) {
      var at = evaluator.readings(Parser.parse(ask.getKey()), "", 40_000, 5_000, 1000);
      assertThat(at).as(ask.getKey()).hasSize(1);
      assertThat("" + at.getFirst().value()).as(ask.getKey()).isEqualTo(ask.getValue());
    }
    var coarse = evaluator.readings(Parser.parse("m"), "", 60_000, 60_000, 1000);
    assertThat(coarse).filteredOn(r -> Double.isNaN(r.value())).hasSize(1);
    // Before it ended it had values, however often one asks.
    for (int again = 0; again < 2; again++) {
      var before =
          evaluator.readings(Parser.parse("m where host = 'gone'"), "", 25_000, 5_000, 1000);
      assertThat(before.getFirst().value()).isEqualTo(3);
    }
    var day = evaluator.readings(Parser.parse("m then shift 1d"), "", 86_440_000, 5_000, 1000);
    assertThat(day).allSatisfy(r -> assertThat(r.value()).isEqualTo(3));
  }

  @Test
  void controlsWithNoValueMeanAll() {
    gauge("m", "a", every(10_000, 1));
    gauge("m", "b", every(10_000, 1));
    var query = Parser.parse("m where host = $host then count");
    var evaluator = new Evaluator(source, Limits.DEFAULT);
    for (var chosen :
        Map.of(List.<String>of(), 2.0, List.of("a"), 1.0, List.of("a", "b"), 2.0).entrySet()) {
      var request = Request.range(0, 10_000, 10_000).with(Map.of("host", chosen.getKey()));
      assertThat(
              evaluator
                  .evaluate(query, request)
                  .lines()
                  .getFirst()
                  .set()
                  .rows()
                  .getFirst()
                  .values())
          .containsExactly(chosen.getValue());
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "a: cpu then mean every 10s\nb: a then mean over 10m",
        "b: a then mean over 10m\na: cpu then mean every 10s",
        "a: cpu then times 1 then mean every 10s\nb: a then mean over 10m",
        "b: a then mean over 10m\na: cpu then times 1 then mean every 10s"
      })
  void aLineThatAnotherReadsEarlierIsTracedOverItsOwnRange(String text) {
    var random = new Random(1);
    gauge("cpu", "a", every(1000, random.doubles(3000).toArray()));
    var query = Parser.parse(text);
    var request = Request.range(2_000_000, 2_600_000, 10_000);
    var answer = new Evaluator(source, Limits.DEFAULT).evaluate(query, request);
    var chain = (Expr.Chain) query.line("a").expr();
    assertThat(answer.traces().get(chain.steps().getLast()).set().shape())
        .isEqualTo("1 series × 60 points");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "cpu",
        "cpu then times 2 then mean by host",
        "cpu then mean every 1m",
        "cpu then max every 1m then mean",
        "cpu then mean over 5m",
        "cpu then count every 1m",
        "a: cpu then sum every 1m\nb: a / 2",
        "bytes then rate every 1m",
        "bytes then increase every 1m then sum",
        "bytes then change every 1m",
        "cpu then slope every 1m",
        "cpu then slope",
        "-cpu",
        "cpu * 2 then abs"
      })
  void whetherTheFirstBucketIsCutIsToldAsItIs(String text) {
    gauge("cpu", "a", every(1000, new Random(4).doubles(600).toArray()));
    counter(
        "bytes",
        "a",
        every(1000, java.util.stream.DoubleStream.iterate(1, v -> v * 1.01).limit(600).toArray()));
    var query = Parser.parse(text);
    var whole = ask(text, 300_000, 480_000, 60_000).lines().getLast().set().rows().getFirst();
    var inPart = ask(text, 330_000, 480_000, 60_000).lines().getLast().set().rows().getFirst();
    boolean same = Math.abs(whole.values()[0] - inPart.values()[0]) < 1e-9;
    assertThat(CutBuckets.first(query, query.lines().getLast().expr())).isEqualTo(!same);
  }
}
