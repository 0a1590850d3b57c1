package vintrel.core.frame;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class TablesTest {
  private static final Frame GATES =
      new Frame(
          "gates",
          List.of(
              new Column.Text("gate", new String[] {"n1", "n2", "n1", "s1"}),
              Column.Number.of("value", "By", new double[] {3, Double.NaN, 5, 1})));

  private static Frame text(String name, String column, String... values) {
    return new Frame(name, List.of(new Column.Text(column, values)));
  }

  private static double[] numbers(Frame f, String column) {
    return ((Column.Number) f.column(column)).values();
  }

  private static String[] texts(Frame f, String column) {
    return ((Column.Text) f.column(column)).values();
  }

  private static Formula formula(Formula.Operator op, String column, Formula right) {
    return new Formula.Two(op, new Formula.Cell(column), right);
  }

  @Test
  void groupsComeInOrderOfAppearanceAndKeepUnits() {
    var sum =
        new Tables.Aggregate(
            "sum", "value", v -> Arrays.stream(v).filter(x -> x == x).sum(), u -> u);
    var out = Tables.groupBy(GATES, List.of("gate"), List.of(sum));
    assertThat(texts(out, "gate")).containsExactly("n1", "n2", "s1");
    assertThat(numbers(out, "value")).containsExactly(8, 0, 1);
    assertThat(out.numbers().getFirst().unit()).isEqualTo("By");
    var two = Tables.groupBy(GATES, List.of("gate"), List.of(sum, sum));
    assertThat(two.names()).containsExactly("gate", "sum value", "sum value");
  }

  @Test
  void aggregatesOfTimesAreTimes() {
    var frame =
        new Frame(
            "",
            List.of(
                new Column.Text("g", new String[] {"a", "a", "b"}),
                new Column.Time("time", new long[] {1_000, 4_000, Long.MIN_VALUE})));
    var latest =
        new Tables.Aggregate(
            "max",
            "time",
            v -> Arrays.stream(v).filter(x -> x == x).max().orElse(Double.NaN),
            u -> u);
    var apart =
        new Tables.Aggregate(
            "spread", "time", v -> v.length < 2 ? Double.NaN : v[1] - v[0], u -> u);
    var out = Tables.groupBy(frame, List.of("g"), List.of(latest, apart));
    assertThat(((Column.Time) out.column("max time")).values())
        .containsExactly(4_000, Long.MIN_VALUE);
    assertThat(numbers(out, "spread time")).containsExactly(3, Double.NaN);
    assertThat(out.numbers().getFirst().unit()).isEqualTo("s");
  }

  @Test
  void sortingIsStableAndPutsWhatIsMissingLast() {
    assertThat(texts(Tables.sort(GATES, "value", true), "gate"))
        .containsExactly("n1", "n1", "s1", "n2");
    assertThat(numbers(Tables.sort(GATES, "value", true), "value")[0]).isEqualTo(5);
    assertThat(texts(Tables.sort(GATES, "value", false), "gate"))
        .containsExactly("s1", "n1", "n1", "n2");
    assertThat(numbers(Tables.sort(GATES, "gate", false), "value")[0]).isEqualTo(3);
  }

  @Test
  void conditionsCompareNumbersTextsAndPatterns() {
    var large = formula(Formula.Operator.GREATER, "value", new Formula.Number(2));
    assertThat(Tables.where(GATES, large).rows()).isEqualTo(2);
    assertThat(Tables.where(GATES, new Formula.Not(large)).rows()).isEqualTo(2);
    var north = formula(Formula.Operator.LIKE, "gate", new Formula.Text("n%"));
    assertThat(Tables.where(GATES, north).rows()).isEqualTo(3);
    assertThat(Tables.where(GATES, new Formula.Two(Formula.Operator.AND, north, large)).rows())
        .isEqualTo(2);
    assertThat(Tables.where(GATES, new Formula.Exists("value")).rows()).isEqualTo(3);
    var mixed = formula(Formula.Operator.LESS, "gate", new Formula.Number(2));
    assertThatThrownBy(() -> Tables.where(GATES, mixed))
        .isInstanceOf(FrameException.class)
        .hasMessageContaining("can't be compared");
  }

  @Test
  void aComputedColumnIsMissingWhereItsPartsAre() {
    var tenth =
        Tables.compute(
            GATES, "tenth", formula(Formula.Operator.OVER, "value", new Formula.Number(10)));
    assertThat(numbers(tenth, "tenth")).containsExactly(0.3, Double.NaN, 0.5, 0.1);
    var zero =
        Tables.compute(
            GATES, "value", formula(Formula.Operator.OVER, "value", new Formula.Number(0)));
    assertThat(zero.columns()).hasSize(2);
    assertThat(numbers(zero, "value")).containsOnly(Double.NaN);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void joinsAgreeWithTestingEveryPair(long seed) {
    var random = new Random(seed);
    var keys = new String[] {"a", "b", "c", "d", "e", "f"};
    var left = new String[random.nextInt(12)];
    var right = new String[random.nextInt(12)];
    Arrays.setAll(left, i -> keys[random.nextInt(6)]);
    Arrays.setAll(right, i -> keys[random.nextInt(6)]);
    int pairs = 0;
    int leftAlone = 0;
    for (var l : left) {
      int n = (int) Arrays.stream(right).filter(l::equals).count();
      pairs += n;
      leftAlone += n == 0 ? 1 : 0;
    }
    int rightAlone =
        (int) Arrays.stream(right).filter(r -> !Arrays.asList(left).contains(r)).count();
    var l = text("l", "k", left);
    var r = text("r", "k", right);
    var on = List.of("k");
    assertThat(Tables.join(l, r, on, Tables.JoinKind.INNER).rows()).isEqualTo(pairs);
    assertThat(Tables.join(l, r, on, Tables.JoinKind.LEFT).rows()).isEqualTo(pairs + leftAlone);
    var outer = Tables.join(l, r, on, Tables.JoinKind.OUTER);
    assertThat(outer.rows()).isEqualTo(pairs + leftAlone + rightAlone);
    assertThat(texts(outer, "k")).doesNotContain("");
  }

  @Test
  void aJoinedColumnWhoseNameIsTakenIsNamedAfterItsLine() {
    var out = Tables.join(GATES, GATES.named("before"), List.of("gate"), Tables.JoinKind.INNER);
    assertThat(out.names()).containsExactly("gate", "value", "before.value");
    assertThat(out.rows()).isEqualTo(6);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void everyValueLiesInItsBin(long seed) {
    var random = new Random(seed);
    var values = new double[500];
    Arrays.setAll(values, i -> random.nextGaussian() * Math.pow(10, seed));
    var bins = Tables.bins("", values, "ms", 20);
    var from = numbers(bins, "from");
    var to = numbers(bins, "to");
    var counts = numbers(bins, "count");
    assertThat(counts.length).isBetween(8, 22);
    assertThat(Arrays.stream(counts).sum()).isEqualTo(500);
    for (int b = 0; b < counts.length; b++) {
      double low = from[b];
      double high = to[b];
      boolean last = b == counts.length - 1;
      assertThat(counts[b])
          .isEqualTo(
              Arrays.stream(values)
                  .filter(v -> v >= low && (v < high || last && v == high))
                  .count());
    }
  }

  @Test
  void binsOfOneValueAndOfNoneAreSensible() {
    assertThat(numbers(Tables.bins("", new double[] {7, 7}, "", 20), "count")).containsOnlyOnce(2);
    assertThat(Tables.bins("", new double[] {Double.NaN}, "", 20).rows()).isZero();
  }

  @Test
  void cellsCountByTimeAndValue() {
    var points =
        List.of(new Tables.Points(new long[] {0, 10, 50, 99}, new double[] {1, 1.2, 9.5, 10}));
    var out = Tables.cells("", points, 0, 100, "", 2, 5);
    assertThat(((Column.Time) out.column("time")).values()).containsExactly(0, 50);
    assertThat(numbers(out, "count")).containsExactly(2, 2);
  }

  @Test
  void aFieldIsUnpackedByItsPathAlsoWhereNamesHoldDots() {
    var events =
        text(
            "events",
            "fields",
            "{\"http\":{\"status\":500}}",
            "{\"http.status\":404}",
            "no json",
            "{\"http\":{}}");
    var out = Tables.unpack(events, List.of("http", "status"), "status");
    assertThat(numbers(out, "status")).containsExactly(500, 404, Double.NaN, Double.NaN);
  }
}
