package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/** What is remembered must never be seen in an answer, only in how little was read for it. */
class BucketReuseTest {
  private static final long START = 1_700_000_000_000L / Durations.DAY * Durations.DAY;
  private final MemorySource source = new MemorySource();

  private static Samples minutes(int n, Random random) {
    var times = new long[n];
    var values = new double[n];
    double total = 0;
    for (int i = 0; i < n; i++) {
      times[i] = START + i * Durations.MINUTE / 4 + random.nextInt(900);
      total += random.nextInt(9);
      values[i] = total;
    }
    return Samples.of(times, values);
  }

  @ParameterizedTest
  @CsvSource({
    "'m', 1",
    "'m', 2",
    "'m then mean every 10m', 3",
    "'m then max every 10m then sum', 4",
    "'c then rate', 5",
    "'c then rate every 10m then sum', 6",
    "'c then increase every 20m', 7",
    "'c then rate', 8",
    "'m then shift 1h then mean every 10m', 9",
    "'c', 10",
    "'m then mean over 1h', 11",
    "'m then spread over 40m then sum', 12",
    "'c then last every 10m', 13"
  })
  void answersAreTheSameAsWithoutWhateverArrives(String query, long seed) {
    var random = new Random(seed);
    for (int i = 0; i < 3; i++) {
      var labels = Labels.of("host", "h" + i);
      // The second sender has been away for a while.
      int n = i == 1 ? 1500 : 2880;
      source.add("m", MetricKind.GAUGE, "", labels, minutes(n, random));
      source.add("c", MetricKind.COUNTER, "", labels, minutes(n, random));
    }
    var remembering = new Evaluator(source, Limits.DEFAULT);
    var parsed = Parser.parse(query);
    long now = START + 12 * Durations.HOUR;
    for (int round = 0; round < 40; round++) {
      long from = now - 6 * Durations.HOUR + random.nextInt(3) * 777;
      var request = Request.range(from, now, 10 * Durations.MINUTE);
      var a = remembering.evaluate(parsed, request).lines().getFirst().set();
      var b =
          new Evaluator(source, Limits.DEFAULT).evaluate(parsed, request).lines().getFirst().set();
      assertThat(Sets.grid(a)).isEqualTo(Sets.grid(b));
      assertThat(a.rows()).hasSameSizeAs(b.rows());
      for (int i = 0; i < a.rows().size(); i++) {
        assertThat(a.rows().get(i).labels()).isEqualTo(b.rows().get(i).labels());
        assertThat(a.rows().get(i).values())
            .as("round %d, series %d", round, i)
            .containsExactly(b.rows().get(i).values(), within(1e-9));
      }
      now += random.nextInt(4) * Durations.MINUTE;
      arrive(random, now);
    }
  }

  /** New samples, late ones, and a sender that catches up with what it has missed. */
  private void arrive(Random random, long now) {
    for (int id = 0; id < 6; id++) {
      long newest = source.newest(id);
      double total = 1e6 + now % 1_000_000;
      switch (random.nextInt(4)) {
        case 0 -> source.put(id, Math.max(newest + 1, now - 5000), total);
        case 1 -> source.put(id, newest - 1 - random.nextInt(3_500_000), random.nextInt(1000));
        case 2 -> {
          for (long t = newest + 15_000;
              t < Math.min(now, newest + 2 * Durations.HOUR);
              t += 15_000) {
            source.put(id, t, total++);
          }
        }
        default -> {}
      }
    }
  }

  @Test
  void aRefreshReadsOnlyWhatIsNew() {
    source.add("m", MetricKind.GAUGE, "", Labels.NONE, minutes(20_000, new Random(1)));
    var evaluator = new Evaluator(source, Limits.DEFAULT);
    var query = Parser.parse("m then mean every 10m");
    long to = START + 3 * Durations.DAY;
    evaluator.evaluate(query, Request.range(to - 2 * Durations.DAY, to, 10 * Durations.MINUTE));
    long first = source.reads;
    source.put(0, source.newest(0) + 15_000, 1);
    evaluator.evaluate(
        query, Request.range(to - 2 * Durations.DAY + 5000, to + 5000, 10 * Durations.MINUTE));
    assertThat(source.reads - first).isLessThan(first / 10);
  }
}
