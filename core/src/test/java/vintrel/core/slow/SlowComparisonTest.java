package vintrel.core.slow;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.function.Predicate;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import vintrel.core.query.Evaluator;
import vintrel.core.query.plan.Limits;

/**
 * Answers depend on the samples and the query alone: random queries over random series, asked cold,
 * again, after other ranges, while samples arrive, from raw samples and from tiers, all give what
 * the slow evaluator gives. {@code -Dvintrel.queries=100000} asks more, {@code -Dvintrel.seed=7}
 * begins elsewhere.
 */
class SlowComparisonTest {
  private static final int QUERIES = Integer.getInteger("vintrel.queries", 2_500);
  private static final long SEED = Long.getLong("vintrel.seed", 1);

  /** Queries that share their data, and the engine that remembers. */
  private static final int OF_DATA = 25;

  @Test
  void everyAnswerIsWhatTheSlowEvaluatorGives() {
    assertThat(wrong(QUERIES, SEED, c -> true)).isEmpty();
  }

  /**
   * Others each time; the seed is printed, so that what fails can be asked again. Not of values
   * near the largest doubles, which may differ by more than the last bits where they cancel out.
   */
  @Test
  void othersThanLastTimeAreToo() {
    long seed = Math.floorMod(System.nanoTime(), 1_000_000_000L);
    assertThat(wrong(QUERIES / 5, seed, c -> !c.text().contains("huge"))).isEmpty();
  }

  private static List<String> wrong(int queries, long seed, Predicate<SlowComparison> asked) {
    long begun = System.nanoTime();
    var wrong =
        LongStream.range(0, Math.ceilDiv(queries, OF_DATA))
            .parallel()
            .mapToObj(i -> failures(seed + i, asked))
            .flatMap(List::stream)
            .toList();
    System.out.printf(
        "%d queries from seed %d compared in %.1f s, %d wrong%n",
        queries, seed, (System.nanoTime() - begun) / 1e9, wrong.size());
    return wrong.stream().limit(5).toList();
  }

  private static List<String> failures(long dataSeed, Predicate<SlowComparison> asked) {
    var data = SlowComparison.data(dataSeed);
    var source = new HeadsSource(data);
    var engine = new Evaluator(source, Limits.DEFAULT);
    var half = data.part(0.6);
    source.arrive(half);
    var cases =
        LongStream.range(0, OF_DATA)
            .mapToObj(i -> SlowComparison.random(dataSeed * 1000 + i, data))
            .filter(asked)
            .toList();
    var wrong = new java.util.ArrayList<String>();
    for (int i = 0; i < cases.size(); i += 3) {
      look(cases.get(i), source, half, engine, wrong);
    }
    var all = data.part(1);
    source.arrive(all);
    cases.forEach(c -> look(c, source, all, engine, wrong));
    return wrong;
  }

  private static void look(
      SlowComparison c, HeadsSource source, int[] arrived, Evaluator engine, List<String> wrong) {
    var found = c.check(source, arrived, engine);
    if (found != null && wrong.size() < 3) {
      var min = c.smallest(x -> x.check(source, arrived, engine) != null);
      wrong.add(
          c + "\n" + found + "\nsmallest: " + min + "\n" + min.check(source, arrived, engine));
    } else if (found != null) {
      wrong.add(c + "\n" + found);
    }
  }
}
