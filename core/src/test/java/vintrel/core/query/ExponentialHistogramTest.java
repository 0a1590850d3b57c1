package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Durations;
import vintrel.core.wire.OtlpJson;
import vintrel.core.wire.SampleSink;

/** Quantiles of what an SDK sends as an exponential histogram, compared with the true ones. */
class ExponentialHistogramTest {
  private static final int MAX = 160;

  /** The coarsest scale needed for at most 160 buckets, as SDKs choose it. */
  private static Map<String, Object> point(double[] values, long time) {
    for (int scale = 20; ; scale--) {
      var counts = new TreeMap<Integer, Long>();
      for (double v : values) {
        int index = (int) Math.ceil(Math.log(v) / Math.log(2) * Math.scalb(1.0, scale)) - 1;
        counts.merge(index, 1L, Long::sum);
      }
      int width = counts.lastKey() - counts.firstKey() + 1;
      if (width <= MAX) {
        var list = new ArrayList<Long>();
        for (int i = counts.firstKey(); i <= counts.lastKey(); i++) {
          list.add(counts.getOrDefault(i, 0L));
        }
        return Map.of(
            "timeUnixNano",
            time * 1_000_000,
            "count",
            (long) values.length,
            "scale",
            scale,
            "positive",
            Map.of("offset", counts.firstKey(), "bucketCounts", list));
      }
    }
  }

  private static final class Kept implements SampleSink {
    final List<SeriesKey> keys = new ArrayList<>();
    final Map<Integer, double[]> values = new HashMap<>();

    @Override
    public int series(SeriesKey key, MetricKind kind, String unit) {
      keys.add(key);
      return keys.size() - 1;
    }

    @Override
    public void sample(int series, long time, double value) {
      values.put(series, new double[] {value});
    }

    @Override
    public void difference(int series, long start, long time, double by, boolean grows) {
      sample(series, time, by);
    }

    @Override
    public void refuse(String metric, int points, String why) {
      throw new AssertionError(why);
    }
  }

  @ParameterizedTest
  @CsvSource({"1, 0.3", "2, 0.6", "3, 1.0", "4, 0.05"})
  void quantilesAreWithinOnePercent(long seed, double spread) {
    var random = new Random(seed);
    var values = new double[20_000];
    Arrays.setAll(values, i -> 0.02 * Math.exp(spread * random.nextGaussian()));
    var data = Map.of("aggregationTemporality", 2, "dataPoints", List.of(point(values, 30_000)));
    var metric = Map.of("name", "h", "exponentialHistogram", data);
    var intake = new Kept();
    OtlpJson.read(
        Map.of(
            "resourceMetrics",
            List.of(Map.of("scopeMetrics", List.of(Map.of("metrics", List.of(metric)))))),
        intake);
    var source = new MemorySource();
    for (int i = 0; i < intake.keys.size(); i++) {
      var key = intake.keys.get(i);
      var s = Samples.of(new long[] {30_000}, intake.values.get(i));
      source.add(key.metric(), MetricKind.HISTOGRAM, "", key.labels(), s);
    }
    Arrays.sort(values);
    for (double q : new double[] {0.05, 0.25, 0.5, 0.9, 0.95, 0.99}) {
      var answer =
          new Evaluator(source, Limits.DEFAULT)
              .evaluate(
                  Parser.parse("h.bucket then quantile " + q),
                  Request.range(0, Durations.MINUTE, Durations.MINUTE));
      double found = answer.lines().getFirst().set().rows().getFirst().values()[0];
      double truth = values[(int) (q * values.length)];
      assertThat(found / truth).as("quantile %s", q).isEqualTo(1, within(0.01));
    }
  }
}
