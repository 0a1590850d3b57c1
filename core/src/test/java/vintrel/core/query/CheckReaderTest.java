package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

class CheckReaderTest {
  private static final List<String> QUERIES =
      List.of(
          "m",
          "m then mean over 30s",
          "m then mean every 1m",
          "m then max every 20s then sum by site",
          "m then mean by site",
          "c then rate every 1m",
          "c then rate",
          "c then increase every 90s then sum by site",
          "m then change",
          "m then change over 1m",
          "m then slope every 2m",
          "m then shift 10m",
          "m then abs then max by site",
          "m then keep when > 40",
          "a: m then mean every 1m\nb: c then rate every 1m\nr: a / b",
          "a: m\nb: m then shift 5m\nr: a - b",
          "m where host = 'h1' then p95 every 1m",
          "m then gap after 40s",
          "c then rate every 30s then max by site",
          "m then age");

  /** Values with gaps, ends, restarts of counters and uneven intervals. */
  private static Samples samples(Random random, boolean counter) {
    var times = new ArrayList<Long>();
    var values = new ArrayList<Double>();
    double total = 0;
    long t = random.nextInt(5_000);
    while (t < 3_600_000) {
      boolean ends = random.nextInt(60) == 0;
      total = random.nextInt(80) == 0 ? 0 : total + random.nextInt(30);
      times.add(t);
      values.add(ends ? Double.NaN : counter ? total : random.nextInt(100));
      t +=
          ends || random.nextInt(50) == 0 ? random.nextInt(400_000) : 5_000 + random.nextInt(9_000);
    }
    return Samples.of(
        times.stream().mapToLong(Long::longValue).toArray(),
        values.stream().mapToDouble(Double::doubleValue).toArray());
  }

  private static MemorySource source(Random random) {
    var out = new MemorySource();
    for (int i = 0; i < 4; i++) {
      var labels = Labels.of("host", "h" + i, "site", "s" + i % 2);
      out.add("m", MetricKind.GAUGE, "", labels, samples(random, false));
      out.add("c", MetricKind.COUNTER, "", labels, samples(random, true));
    }
    return out;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void overARangeIsTheSameAsAtEachInstant(long seed) {
    var random = new Random(seed);
    var evaluator = new Evaluator(source(random), Limits.DEFAULT);
    var reader = new CheckReader(evaluator);
    int compared = 0;
    var wrong = new ArrayList<String>();
    for (var text : QUERIES) {
      var query = Parser.parse(text);
      long pitch = 1_000L * (5 + 5 * random.nextInt(4));
      long step = pitch * (1 + random.nextInt(2));
      long first = 1_200_000 + random.nextInt(100_000);
      long last = first + 600_000 + random.nextInt(900_000);
      if (CheckReader.classes(query, step) > CheckReader.MAX_CLASSES) {
        continue;
      }
      var checks = reader.over(query, "", first, last, pitch, step, 100, () -> false);
      assertThat(checks.count()).isEqualTo((last - first) / step + 1);
      for (int i = 0; i < checks.count(); i++) {
        var expected = new HashMap<Labels, Double>();
        for (var r : reader.at(query, "", checks.at(i), pitch, 10_000)) {
          expected.put(r.row().labels(), r.value());
        }
        for (var e : checks.values().entrySet()) {
          double at = expected.getOrDefault(e.getKey(), Double.NaN);
          compared += Double.isNaN(at) ? 0 : 1;
          double got = e.getValue()[i];
          boolean same =
              Double.isNaN(at) ? Double.isNaN(got) : Math.abs(got - at) <= 1e-9 * Math.abs(at);
          if (!same) {
            wrong.add(
                "%s, %s at %d, pitch %d, step %d: %s, not %s"
                    .formatted(text, e.getKey(), checks.at(i), pitch, step, got, at));
          }
        }
        for (var e : expected.entrySet()) {
          assertThat(Double.isNaN(e.getValue()) || checks.values().containsKey(e.getKey()))
              .as("%s has %s", text, e.getKey())
              .isTrue();
        }
      }
    }
    assertThat(wrong).isEmpty();
    assertThat(compared).isGreaterThan(2_000);
  }

  @Test
  void noMoreSeriesAreTakenThanAreAskedFor() {
    var reader = new CheckReader(new Evaluator(source(new Random(2)), Limits.DEFAULT));
    for (var text : List.of("m", "m then mean every 1m")) {
      var query = Parser.parse(text);
      var all = reader.over(query, "", 1_800_000, 3_000_000, 10_000, 10_000, 100, () -> false);
      var some = reader.over(query, "", 1_800_000, 3_000_000, 10_000, 10_000, 2, () -> false);
      assertThat(all.cut()).isFalse();
      assertThat(all.values()).hasSize(4);
      assertThat(some.cut()).isTrue();
      assertThat(some.values().keySet())
          .containsExactlyElementsOf(all.values().keySet().stream().limit(2).toList());
    }
  }

  @Test
  void whatDependsOnTheWholeRangeIsRefusedWithAReason() {
    var reader = new CheckReader(new Evaluator(source(new Random(1)), Limits.DEFAULT));
    for (var text :
        List.of("m then top 2", "m then cumulate", "m then forecast 10m", "m then rows")) {
      assertThatThrownBy(
              () -> reader.over(Parser.parse(text), "", 0, 60_000, 5_000, 5_000, 100, () -> false))
          .as(text)
          .isInstanceOf(QueryException.class)
          .hasMessageContaining("depends on the whole range");
    }
    assertThatThrownBy(
            () ->
                reader.over(
                    Parser.parse("m then mean every 1h"),
                    "",
                    0,
                    60_000,
                    5_000,
                    5_000,
                    100,
                    () -> false))
        .isInstanceOf(QueryException.class)
        .hasMessageContaining("720 questions; the limit is 60");
    assertThatThrownBy(
            () -> reader.over(Parser.parse("m"), "", 0, 60_000, 5_000, 5_000, 100, () -> true))
        .isInstanceOf(QueryException.class);
  }
}
