package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Counts between the bounds of histograms, against the values that were put into them. */
class HistogramCellsTest {
  private static final long MINUTE = 60_000;
  private static final int MINUTES = 48;
  private static final double[] BOUNDS = {0.1, 0.5, 1, 2.5, Double.POSITIVE_INFINITY};

  private final MemorySource source = new MemorySource();
  private final TreeMap<String, Integer> wanted = new TreeMap<>();

  HistogramCellsTest() {
    var random = new Random(11);
    for (var host : List.of("a", "b")) {
      var sums = new double[BOUNDS.length];
      var values = new double[BOUNDS.length][MINUTES + 1];
      var times = new long[MINUTES + 1];
      for (int i = 0; i <= MINUTES; i++) {
        times[i] = i * MINUTE;
        for (int n = random.nextInt(6); n > 0 && i > 0; n--) {
          double v = random.nextDouble() * random.nextInt(5);
          // What is seen at the end of a minute fell into it.
          int k = 0;
          while (v > BOUNDS[k]) {
            k++;
          }
          wanted.merge(key((i - 1) * 4 / MINUTES, k), 1, Integer::sum);
          for (int b = k; b < BOUNDS.length; b++) {
            sums[b]++;
          }
        }
        for (int b = 0; b < BOUNDS.length; b++) {
          values[b][i] = sums[b];
        }
      }
      for (int b = 0; b < BOUNDS.length; b++) {
        var le = Double.isInfinite(BOUNDS[b]) ? "+Inf" : String.valueOf(BOUNDS[b]);
        source.add(
            "time.bucket",
            MetricKind.COUNTER,
            "",
            Labels.of("host", host, "le", le),
            Samples.of(times, values[b]));
      }
    }
  }

  private static String key(int span, int bin) {
    return span + " " + (bin == 0 ? 0.0 : BOUNDS[bin - 1]) + " " + BOUNDS[bin];
  }

  private Frame ask(String query) {
    var request = Request.range(0, MINUTES * MINUTE, MINUTE);
    var answer = Evaluator.plain(source, Limits.DEFAULT).evaluate(Parser.parse(query), request);
    return ((SeriesSet.Table) answer.lines().getFirst().set()).frame();
  }

  private static TreeMap<String, Double> cells(Frame frame) {
    var out = new TreeMap<String, Double>();
    var time = (Column.Time) frame.column("time");
    var from = ((Column.Number) frame.column("from")).values();
    var to = ((Column.Number) frame.column("to")).values();
    var count = ((Column.Number) frame.column("count")).values();
    for (int i = 0; i < frame.rows(); i++) {
      int span = time == null ? 0 : (int) (time.values()[i] / (MINUTES / 4 * MINUTE));
      out.put(span + " " + from[i] + " " + to[i], count[i]);
    }
    return out;
  }

  @Test
  void cellsCountWhatFellBetweenTheBounds() {
    // One bucket of time holds its own minute: the growth that its samples show ends in it.
    for (var query :
        List.of(
            "time.bucket then increase then cells 4 by 30",
            "time.bucket then increase then sum by le then cells 4 by 7")) {
      var cells = cells(ask(query));
      double all = cells.values().stream().mapToDouble(d -> d).sum();
      int total = wanted.values().stream().mapToInt(n -> n).sum();
      assertThat(all).isCloseTo(total, within(1e-6));
      for (var e : wanted.entrySet()) {
        assertThat(cells.getOrDefault(e.getKey(), 0.0))
            .as(query + " " + e.getKey())
            .isCloseTo(e.getValue(), within(1e-6));
      }
      assertThat(wanted.keySet()).containsAll(cells.keySet());
    }
  }

  @Test
  void binsAreThoseOfTheHistogram() {
    var frame = ask("time.bucket then increase then bins 3");
    assertThat(((Column.Number) frame.column("to")).values()).containsExactly(BOUNDS);
    var byBin = new double[BOUNDS.length];
    wanted.forEach(
        (key, n) -> {
          for (int k = 0; k < BOUNDS.length; k++) {
            byBin[k] += key.endsWith(" " + BOUNDS[k]) ? n : 0;
          }
        });
    var counts = ((Column.Number) frame.column("count")).values();
    for (int k = 0; k < counts.length; k++) {
      assertThat(counts[k]).isCloseTo(byBin[k], within(1e-6));
    }
  }

  @Test
  void ratesAndCountersAreNoCountsAndAreRefused() {
    for (var query :
        new ArrayList<>(
            List.of("time.bucket then cells 4 by 30", "time.bucket then rate then bins 3"))) {
      assertThatThrownBy(() -> ask(query)).as(query).hasMessageContaining("need `increase` first");
    }
  }
}
