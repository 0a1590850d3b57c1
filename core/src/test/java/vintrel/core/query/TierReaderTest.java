package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.Random;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/**
 * What a tier answers is what the raw samples answer: a step `times 1` before makes it read raw.
 */
class TierReaderTest {
  private static final long START = 1_795_046_400_000L;

  /** Jitter, gaps, resets, a value that is no number now and then. */
  private static Samples random(Random random, boolean counter) {
    int n = 3000;
    var times = new long[n];
    var values = new double[n];
    long time = START + random.nextInt(100_000);
    double level = 0;
    for (int i = 0; i < n; i++) {
      times[i] = time;
      time += 10_000 + random.nextInt(200) - 100 + (random.nextInt(300) == 0 ? 1_000_000 : 0);
      level = counter ? (random.nextInt(400) == 0 ? 0 : level) + random.nextInt(50) : 0;
      values[i] = counter ? level : random.nextInt(1000) / 10.0;
      if (random.nextInt(500) == 0) {
        values[i] = random.nextBoolean() ? Double.NaN : Double.POSITIVE_INFINITY;
      }
    }
    return Samples.of(times, values);
  }

  private static void assertSame(String metric, String steps, long pitch, long seed) {
    var source = new MemorySource();
    var random = new Random(seed);
    for (int h = 0; h < 3; h++) {
      var labels = Labels.of("host", "h" + h);
      source.add("gauge", MetricKind.GAUGE, "%", labels, random(random, false));
      source.add("counter", MetricKind.COUNTER, "By", labels, random(random, true));
    }
    long from = START + 1_234_567;
    var request = Request.range(from, from + 20 * Durations.HOUR + 54_321, pitch);
    var engine = new Evaluator(source, Limits.DEFAULT);
    var tiered = engine.evaluate(Parser.parse(metric + steps), request);
    var raw = engine.evaluate(Parser.parse(metric + " then times 1" + steps), request);
    assertThat(tiered.stats().tier()).isNotEqualTo("raw");
    assertThat(raw.stats().tier()).isEqualTo("raw");
    var a = tiered.lines().getFirst().set();
    var b = raw.lines().getFirst().set();
    assertThat(Sets.grid(a)).isEqualTo(Sets.grid(b));
    assertThat(a.rows()).hasSameSizeAs(b.rows());
    for (int i = 0; i < a.rows().size(); i++) {
      var x = a.rows().get(i);
      var y = b.rows().get(i);
      assertThat(x.labels()).isEqualTo(y.labels());
      assertThat(x.unit()).isEqualTo(y.unit());
      assertThat(x.kind()).isEqualTo(y.kind());
      assertThat(x.values()).containsExactly(y.values(), within(1e-9));
      if (y.low() != null && x.low() != null) {
        assertThat(x.low()).containsExactly(y.low(), within(1e-9));
        assertThat(x.high()).containsExactly(y.high(), within(1e-9));
      }
    }
  }

  @ParameterizedTest
  @CsvSource({
    "gauge,''",
    "gauge,then mean every 10m",
    "gauge,then min every 1h",
    "gauge,then max every 5m",
    "gauge,then sum every 1h then sum by host",
    "gauge,then count every 2m",
    "gauge,then first every 1h",
    "gauge,then last every 10m",
    "gauge,then spread every 30m",
    "gauge,then mean",
    "gauge,then top 2 by max",
    "gauge,then shift 1h then mean every 10m",
    "gauge,then label as 'x' then mean every 1h then times 2",
    "gauge,then mean over 1h",
    "gauge,then max over 2h then shift 10m",
    "gauge,then count over 30m then sum",
    "gauge,then spread over 70m",
    "gauge,then last over 20m",
    "gauge,then shift 20m then sum over 3h",
    "counter,''",
    "counter,then rate",
    "counter,then rate per minute every 10m",
    "counter,then increase every 1h",
    "counter,then increase then sum",
    "counter,then last every 1h",
    "counter,then rate every 5m then sum by host then mean over 1h"
  })
  void aTierAnswersAsTheRawSamplesDo(String metric, String steps) {
    for (long seed = 1; seed <= 5; seed++) {
      assertSame(metric, " " + steps, 10 * Durations.MINUTE, seed);
    }
  }

  @ParameterizedTest
  @CsvSource({
    "gauge,mean every 1h",
    "gauge,max every 2h",
    "gauge,mean over 1h",
    "gauge,spread over 6h then max by host",
    "gauge,last every 1h",
    "counter,sum over 2h",
    "counter,mean every 1h",
    "counter,min over 90m",
    "counter,first every 3h",
    "counter,count over 1h"
  })
  void piecesAnswerAsTheRawSamplesDo(String metric, String steps) {
    for (long seed = 1; seed <= 5; seed++) {
      var random = new Random(seed);
      var source = new MemorySource();
      source.add("gauge", MetricKind.GAUGE, "%", Labels.NONE, random(random, false));
      source.add("counter", MetricKind.COUNTER, "By", Labels.NONE, random(random, true));
      // An instant: no bucket of a tier ends where the windows do.
      long to = START + 9 * Durations.HOUR + 12_345 + seed;
      var request =
          new Request(
              to - 4 * Durations.HOUR,
              to,
              Durations.HOUR,
              to,
              java.time.ZoneOffset.UTC,
              "",
              java.util.Map.of(),
              () -> false,
              false);
      var engine = new Evaluator(source, Limits.DEFAULT);
      var pieced = engine.evaluate(Parser.parse(metric + " then " + steps), request);
      var raw = engine.evaluate(Parser.parse(metric + " then times 1 then " + steps), request);
      assertThat(pieced.stats().tier()).isEqualTo("summaries");
      assertThat(raw.stats().tier()).isEqualTo("raw");
      var a = pieced.lines().getFirst().set();
      var b = raw.lines().getFirst().set();
      assertThat(Sets.grid(a)).isEqualTo(Sets.grid(b));
      assertThat(a.rows()).hasSize(1);
      assertThat(a.rows().getFirst().unit()).isEqualTo(b.rows().getFirst().unit());
      assertThat(a.rows().getFirst().values())
          .containsExactly(b.rows().getFirst().values(), within(1e-6));
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"then p95 every 10m", "then mean every 90s", "then mean over 65s"})
  void whatOnlyRawSamplesAnswerIsReadRaw(String steps) {
    var source = new MemorySource();
    source.add("gauge", MetricKind.GAUGE, "%", Labels.NONE, random(new Random(1), false));
    var request = Request.range(START, START + 5 * Durations.HOUR, 10 * Durations.MINUTE);
    var answer =
        new Evaluator(source, Limits.DEFAULT).evaluate(Parser.parse("gauge " + steps), request);
    assertThat(answer.stats().tier()).isEqualTo("raw");
  }
}
