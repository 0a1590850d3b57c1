package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import java.util.Random;
import java.util.TreeSet;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/**
 * Histograms whose bounds appear once a value needs them, against those that had all bounds from
 * the start: whatever the window, what appears within it counts the same.
 */
class WideningBoundsTest {
  private static final int SAMPLES = 3_000;
  private static final int BINS = 14;
  private static final long APART = 30_000;
  private static final long START = 1_795_046_400_000L + 12_345;

  private final MemorySource source = new MemorySource();
  private final Map<Labels, Long> begins = new HashMap<>();

  private static double bound(int bin) {
    return Math.pow(2, bin / 2.0 - 3);
  }

  private static String le(int bin) {
    return bin == BINS ? "+Inf" : String.valueOf(bound(bin));
  }

  /** Adds "all.bucket" with all bounds and "own.bucket" with those that were needed so far. */
  private void add(Random random, String host) {
    var total = new double[BINS + 1];
    var cumulative = new double[BINS + 1][SAMPLES];
    var times = new long[SAMPLES];
    var begin = new int[BINS + 1];
    Arrays.fill(begin, -1);
    var known = new TreeSet<Integer>();
    int middle = random.nextInt(BINS);
    for (int i = 0; i < SAMPLES; i++) {
      times[i] = START + i * APART;
      if (random.nextInt(700) == 0) {
        // The sender was started anew.
        Arrays.fill(total, 0);
      }
      for (int n = random.nextInt(4); n > 0 && i > 0; n--) {
        double width = 0.3 + 3.0 * i / SAMPLES;
        int bin = (int) Math.round(Math.clamp(middle + random.nextGaussian() * width, 1, BINS - 1));
        total[bin]++;
        known.add(bin);
        known.add(bin - 1);
      }
      double running = 0;
      for (int b = 0; b <= BINS; b++) {
        running += total[b];
        cumulative[b][i] = running;
        if (begin[b] < 0 && (b == BINS || known.contains(b))) {
          // As it is stored: from the sample before on.
          begin[b] = Math.max(0, i - 1);
        }
      }
    }
    for (int b = 0; b <= BINS; b++) {
      var labels = Labels.of("host", host, "site", "mi", "le", le(b));
      var all = Samples.of(times, cumulative[b]);
      source.add("all.bucket", MetricKind.COUNTER, "", labels, all);
      if (begin[b] >= 0) {
        var own = all.slice(times[begin[b]], Long.MAX_VALUE);
        // The count that the next lower bound had then.
        source.add("own.bucket", MetricKind.COUNTER, "", labels, own);
        begins.put(labels, times[begin[b]]);
      }
    }
  }

  private Map<Labels, double[]> ask(Evaluator engine, String query, Request request) {
    var out = new HashMap<Labels, double[]>();
    var set = engine.evaluate(Parser.parse(query), request).lines().getFirst().set();
    for (var row : set.rows()) {
      out.put(row.labels(), row.values());
    }
    return out;
  }

  private static void assertSame(String what, double[] values, double[] truth) {
    assertThat(values).hasSameSizeAs(truth);
    for (int i = 0; i < truth.length; i++) {
      assertThat(values[i])
          .as("%s, bucket %d of %d", what, i, truth.length)
          .isCloseTo(truth[i], within(1e-6));
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6})
  void whatAppearsCountsAsIfItHadAlwaysBeenThere(long seed) {
    var random = new Random(seed);
    add(random, "a");
    add(random, "b");
    var engine = new Evaluator(source, Limits.DEFAULT);
    int compared = 0;
    for (var every : new String[] {"2m", "10m", "1h", "6h", "1d"}) {
      for (var before : new String[] {"", "then times 1 "}) {
        long from = START + (long) (random.nextDouble() * SAMPLES * APART / 3);
        long to = from + 1 + (long) (random.nextDouble() * SAMPLES * APART * 2 / 3);
        var request = Request.range(from, to, Durations.MINUTE);
        for (var step : new String[] {"increase every ", "rate per minute every "}) {
          var query = ".bucket " + before + "then " + step + every;
          var all = ask(engine, "all" + query, request);
          var own = ask(engine, "own" + query, request);
          for (var e : own.entrySet()) {
            if (begins.get(e.getKey()) < to) {
              var truth = all.get(e.getKey());
              var values = e.getValue();
              assertSame(query + " of " + e.getKey(), values, truth);
              compared++;
            }
          }
          var alone = "own.bucket where le = '" + le(5) + "' " + before + "then " + step + every;
          ask(engine, alone, request)
              .forEach(
                  (labels, values) ->
                      assertThat(values).as(alone).containsExactly(own.get(labels), within(1e-9)));
          for (var q : new String[] {" then quantile 0.3", " then quantile 0.9 by site"}) {
            var truth = ask(engine, "all" + query + q, request);
            assertThat(ask(engine, "own" + query + q, request).keySet()).isEqualTo(truth.keySet());
            ask(engine, "own" + query + q, request)
                .forEach((labels, values) -> assertSame(query + q, values, truth.get(labels)));
          }
        }
      }
    }
    assertThat(compared).isGreaterThan(100);
  }
}
