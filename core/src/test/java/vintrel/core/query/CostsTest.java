package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.assertj.core.api.ThrowableAssert.ThrowingCallable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.CutBuckets;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Questions that would cost too much end with a reason: in time, in memory, in depth. */
@Timeout(60)
class CostsTest {
  private static final long STEP = 1_000;
  private final MemorySource source = new MemorySource();

  private void series(String metric, int count, int samples) {
    for (int k = 0; k < count; k++) {
      var times = new long[samples];
      var values = new double[samples];
      Arrays.setAll(times, i -> i * STEP);
      Arrays.setAll(values, i -> i % 97);
      source.add(
          metric, MetricKind.GAUGE, "", Labels.of("host", "h" + k), Samples.of(times, values));
    }
  }

  private static void assertCode(ThrowingCallable work, String code) {
    assertThatThrownBy(work)
        .isInstanceOf(QueryException.class)
        .satisfies(e -> assertThat(((QueryException) e).code()).isEqualTo(code));
  }

  @Test
  void towersAndRowsOfOperatorsAreRefusedWithTheirPlace() {
    for (var text :
        new String[] {
          "2" + "^2".repeat(5000),
          "1" + " + 1".repeat(2000),
          "(".repeat(5000) + "1" + ")".repeat(5000),
          "-".repeat(9000) + "1",
          "m" + " then times 2".repeat(500),
          "m then rows then where value > 1" + " and value > 1".repeat(1000),
          "m where " + "not ".repeat(5000) + "a exists"
        }) {
      assertThatThrownBy(() -> Parser.parse(text)).isInstanceOf(QueryException.class);
    }
    assertCode(() -> Parser.parse("m where a = '" + "x".repeat(200_000) + "'"), "limit.length");
    assertThat(Parser.parse("1" + " + 1".repeat(200)).lines()).hasSize(1);
  }

  @Test
  void manyLinesAndDeepChainsOfLinesAreRefused() {
    assertThatThrownBy(() -> Parser.parse(chained(5000)))
        .isInstanceOf(QueryException.class)
        .hasMessageContaining("at most 200 lines");
    var engine = new Evaluator(source, Limits.DEFAULT);
    var deep = Parser.parse(chained(150));
    assertCode(() -> engine.evaluate(deep, Request.range(0, 60_000, 1000)), "limit.depth");
    var fair = Parser.parse(chained(40));
    assertThat(engine.evaluate(fair, Request.range(0, 60_000, 1000)).lines()).hasSize(41);
  }

  /** The first line needs the second, and so on. */
  private static String chained(int n) {
    return IntStream.range(0, n)
            .mapToObj(i -> "a%d: a%d + 1".formatted(i, i + 1))
            .collect(Collectors.joining("\n"))
        + "\na%d: 1".formatted(n);
  }

  @Test
  void linesThatUseEachOtherTwiceAreLookedAtOnce() {
    series("m", 1, 10);
    var text = new StringBuilder("a0: m\n");
    for (int i = 1; i <= 40; i++) {
      text.append("a%d: a%d + a%d\n".formatted(i, i - 1, i - 1));
    }
    var query = Parser.parse(text.toString());
    assertThat(CutBuckets.first(query, query.lines().getLast().expr())).isTrue();
    var answer =
        new Evaluator(source, Limits.DEFAULT).evaluate(query, Request.range(0, 10_000, 1000));
    var values = answer.lines().getLast().set().rows().getFirst().values();
    assertThat(values[3]).isEqualTo(3 * Math.pow(2, 40));
  }

  @Test
  void shiftsThatDoubleTheirRangesEndAtTheTimeLimit() {
    series("m", 1, 2000);
    var text = new StringBuilder("a0: m\n");
    for (int i = 1; i <= 25; i++) {
      text.append(
          "a%d: (a%d then shift %ds) + (a%d then shift %ds)\n"
              .formatted(i, i - 1, 1 << i, i - 1, 3 << i));
    }
    var engine = new Evaluator(source, new Limits(1_000_000_000, 1_000_000_000_000L, 1_000));
    assertThatThrownBy(
            () -> engine.evaluate(Parser.parse(text.toString()), Request.range(0, 9_000, 1000)))
        .isInstanceOf(QueryException.class)
        .satisfies(e -> assertThat(((QueryException) e).code()).isEqualTo("limit.time"));
  }

  /** Each of these would take minutes: they look at the clock within their loops. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "m then smooth over 6h",
        "m then p95 over 6h",
        "m then slope over 6h",
        "m then band 3",
        "m then outliers"
      })
  void computationsEndWhenNobodyWaits(String text) {
    series("m", 2, 150_000);
    var engine = new Evaluator(source, new Limits(10_000, 1_000_000_000, 600_000));
    var looked = new AtomicInteger();
    var request =
        Request.range(0, 150_000 * STEP, STEP).until(() -> looked.incrementAndGet() > 400);
    assertCode(() -> engine.evaluate(Parser.parse(text), request), "cancelled");
  }

  @Test
  void queriesShareTheirMemoryAndGiveItBack() {
    series("m", 20, 10_000);
    var budget = new MemoryBudget(9_000_000);
    var engine = new Evaluator(source, ExternalSource.NONE, Limits.DEFAULT, budget);
    var request = Request.range(0, 10_000 * STEP, STEP);
    assertCode(() -> engine.evaluate(Parser.parse("m then band 3"), request), "limit.memory");
    assertThat(budget.taken()).isZero();
    var other = budget.open();
    other.take(5_900_000);
    var third = budget.open();
    third.take(3_000_000);
    var small = Parser.parse("m where host = 'h1' then times 2");
    assertCode(() -> engine.evaluate(small, request), "busy");
    other.close();
    third.close();
    assertThat(engine.evaluate(small, request).lines()).hasSize(1);
    assertThat(budget.taken()).isZero();
  }

  @Test
  void aTableOfTooManyRowsIsNotMade() {
    series("m", 300, 2);
    var table = Parser.parse("m then rows then sort by value");
    var tight = new Evaluator(source, new Limits(10_000, 1_000_000, 10_000, 500));
    assertThatThrownBy(() -> tight.evaluate(table, Request.range(0, 2000, 1000)))
        .isInstanceOf(QueryException.class)
        .hasMessageContaining("the limit is 500");
  }

  @Test
  void manySeriesOverALongRangeAreReadAFewAtATime() {
    var read = new ArrayList<Integer>();
    var counting =
        new MemorySource() {
          @Override
          public java.util.List<Samples> read(
              java.util.List<vintrel.core.series.Series> series, long from, long to) {
            read.add(series.size());
            return super.read(series, from, to);
          }
        };
    for (int k = 0; k < 40; k++) {
      counting.add(
          "m",
          MetricKind.GAUGE,
          "",
          Labels.of("host", "h" + k),
          Samples.of(new long[] {0, 1000, 2000, 90L * 86_400_000}, new double[] {1, 2, 3, 4}));
    }
    var engine = new Evaluator(counting, Limits.DEFAULT);
    engine.evaluate(
        Parser.parse("m then times 2 then mean every 1d"),
        Request.range(0, 90L * 86_400_000, 86_400_000));
    assertThat(read).isNotEmpty().allMatch(n -> n <= 1);
  }
}
