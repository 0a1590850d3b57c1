package vintrel.core.slow;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import java.util.Collections;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.query.Evaluator;
import vintrel.core.query.MemorySource;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** What a query holds was asked for, whatever its steps are; what is too much is refused first. */
class MemoryClaimsTest {
  private static final long WEEK = 7L * 86_400_000;
  private static final long YEAR_1 = -62_135_596_800_000L;
  private static final long YEAR_9999 = 253_370_764_800_000L;

  @Test
  void everythingThatAnAnswerHoldsWasAskedFor() {
    int asked = 0;
    for (long dataSeed = 500; dataSeed < 515; dataSeed++) {
      var data = SlowComparison.data(dataSeed);
      var source = new HeadsSource(data);
      source.arrive(data.part(1));
      for (int i = 0; i < 40; i++) {
        var c = SlowComparison.random(dataSeed * 1000 + i, data);
        var budget = new MemoryBudget(1_000_000_000);
        var engine = new Evaluator(source, ExternalSource.NONE, Limits.DEFAULT, budget);
        try (var share = budget.open()) {
          var answer = engine.evaluate(Parser.parse(c.text()), c.request(), List.of(), share);
          assertThat(share.own()).as(c.toString()).isGreaterThanOrEqualTo(held(answer));
          asked++;
        } catch (QueryException e) {
          continue;
        } finally {
          assertThat(budget.taken()).isZero();
        }
      }
    }
    assertThat(asked).isGreaterThan(500);
  }

  /** Bytes of all arrays of an answer, each once. */
  private static long held(Answer answer) {
    Set<Object> seen = Collections.newSetFromMap(new IdentityHashMap<>());
    answer.lines().forEach(l -> collect(l.set(), seen));
    answer.traces().values().forEach(t -> collect(t.set(), seen));
    return seen.stream()
        .mapToLong(
            a ->
                8L
                    * switch (a) {
                      case double[] d -> d.length;
                      case long[] l -> l.length;
                      case String[] s -> s.length;
                      default -> 0;
                    })
        .sum();
  }

  private static void collect(SeriesSet set, Set<Object> seen) {
    if (set instanceof SeriesSet.Table t) {
      for (var column : t.frame().columns()) {
        seen.add(
            switch (column) {
              case Column.Time c -> c.values();
              case Column.Number c -> c.values();
              case Column.Text c -> c.values();
            });
      }
      return;
    }
    for (var row : set.rows()) {
      if (row.raw() != null) {
        // A part of a longer run shares its arrays: what is counted is what is in it.
        boolean whole = row.raw().times().length == row.raw().count();
        seen.add(whole ? row.raw().times() : new long[0]);
        seen.add(whole ? row.raw().values() : new long[0]);
      }
      for (var values : new double[][] {row.values(), row.low(), row.high()}) {
        if (values != null) {
          seen.add(values);
        }
      }
    }
  }

  private static MemorySource many(int series, int samples) {
    var source = new MemorySource();
    for (int k = 0; k < series; k++) {
      var times = new long[samples];
      var values = new double[samples];
      for (int i = 0; i < samples; i++) {
        times[i] = 1_700_000_000_000L + i * 3_600_000L;
        values[i] = i;
      }
      source.add(
          "many.m",
          MetricKind.GAUGE,
          "",
          Labels.of("host", "h" + k, "site", "s" + k % 7),
          Samples.of(times, values));
    }
    return source;
  }

  /** Each would need gigabytes of a test's memory if it were computed. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "many.m",
        "many.m then mean over 2d then mean every 1s",
        "many.m then count every 1h",
        "many.m then times 2 then smooth over 3h",
        "many.m then rate",
        "many.m then change over 1d",
        "many.m then age",
        "many.m then slope over 1d",
        "many.m then band 3",
        "many.m then fill with 0",
        "many.m then cumulate",
        "many.m then outliers",
        "many.m then share",
        "many.m then forecast 4000d",
        "many.m then gap after 1d",
        "many.m + many.m",
        "many.m * 2",
        "-many.m",
        "many.m then shift 1d",
        "many.m then shift 100m",
        "many.m then sum by host",
        "many.m then rows then group by host: sum value",
        "many.m then columns then compute x = 1",
        "a: many.m\nb: many.m then max every 1h\nc: a + b"
      })
  void whatNeedsTooMuchIsRefusedBeforeItIsComputed(String text) {
    var source = many(4_000, 24);
    var budget = new MemoryBudget(60_000_000);
    var engine = new Evaluator(source, ExternalSource.NONE, Limits.DEFAULT, budget);
    for (var request :
        List.of(
            Request.range(YEAR_1, YEAR_9999, 40 * WEEK),
            Request.range(1_700_000_000_000L - 138L * 86_400_000, 1_700_186_400_000L, 120_000))) {
      var e =
          catchThrowableOfType(
              QueryException.class, () -> engine.evaluate(Parser.parse(text), request));
      assertThat(e).as(text).isNotNull();
      assertThat(e.code()).isIn("limit.memory", "limit.values", "limit.rows", "limit.buckets");
      assertThat(budget.taken()).isZero();
    }
  }

  @Test
  void aHundredNumbersOverManyBucketsCountToo() {
    var engine =
        new Evaluator(
            many(1, 2), ExternalSource.NONE, Limits.DEFAULT, new MemoryBudget(60_000_000));
    var text = "1" + " + 1".repeat(200);
    var e =
        catchThrowableOfType(
            QueryException.class,
            () -> engine.evaluate(Parser.parse(text), Request.range(0, 190_000_000, 1_000)));
    assertThat(e.code()).isEqualTo("limit.memory");
  }
}
