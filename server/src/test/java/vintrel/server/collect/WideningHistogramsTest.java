package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.RunningServer;

/** Exponential histograms whose range widens while they are sent. */
class WideningHistogramsTest {
  private static final int DELTA = 1;
  private static final int CUMULATIVE = 2;
  private static final long MINUTE = 60_000;

  /** The start of a minute some minutes ago. */
  private static final long BEGIN =
      System.currentTimeMillis() - System.currentTimeMillis() % MINUTE - 12 * MINUTE;

  @RegisterExtension static final RunningServer server = new RunningServer();

  private static String point(
      String metric,
      int temporality,
      long start,
      long time,
      int scale,
      Map<Integer, Long> buckets) {
    int offset = buckets.isEmpty() ? 0 : ((TreeMap<Integer, Long>) buckets).firstKey();
    int last = buckets.isEmpty() ? -1 : ((TreeMap<Integer, Long>) buckets).lastKey();
    var counts = new ArrayList<String>();
    long all = 0;
    for (int i = offset; i <= last; i++) {
      long n = buckets.getOrDefault(i, 0L);
      counts.add("\"" + n + "\"");
      all += n;
    }
    return """
    {"resourceMetrics": [{"scopeMetrics": [{"metrics": [{"name": "%s", "exponentialHistogram":
    {"aggregationTemporality": %d, "dataPoints": [{"startTimeUnixNano": "%d000000",
    "timeUnixNano": "%d000000", "count": "%d", "scale": %d,
    "positive": {"offset": %d, "bucketCounts": [%s]}}]}}]}]}]}
    """
        .formatted(metric, temporality, start, time, all, scale, offset, String.join(", ", counts));
  }

  private static void send(String body) {
    assertThat(server.post("/v1/metrics", "application/json", body).statusCode()).isEqualTo(200);
  }

  private static JsonNode ask(String query, long from, long to) {
    var body =
        JsonMapper.shared()
            .writeValueAsString(Map.of("query", query, "from", from, "to", to, "step", "1m"));
    var answer = server.post("/api/v1/query", "application/json", body);
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    return JsonMapper.shared().readTree(answer.body()).path("frames").get(0);
  }

  private static TreeMap<Integer, Long> buckets(int offset, long... counts) {
    var out = new TreeMap<Integer, Long>();
    for (int i = 0; i < counts.length; i++) {
      out.put(offset + i, counts[i]);
    }
    return out;
  }

  @ParameterizedTest
  @CsvSource({"1", "2"})
  void aNewBoundHoldsWhatIsBelowItSoFar(int temporality) {
    var metric = "widens." + (temporality == DELTA ? "delta" : "total");
    send(point(metric, temporality, BEGIN, BEGIN + MINUTE, 0, buckets(0, 75)));
    var second = temporality == DELTA ? buckets(1, 15, 0, 10) : buckets(0, 75, 15, 0, 10);
    long start = temporality == DELTA ? BEGIN + MINUTE : BEGIN;
    send(point(metric, temporality, start, BEGIN + 2 * MINUTE, 0, second));
    var grown = ask(metric + ".bucket then increase every 1m", BEGIN + MINUTE, BEGIN + 2 * MINUTE);
    var byBound = new TreeMap<String, Double>();
    for (int i = 1; i < grown.path("columns").size(); i++) {
      var le = grown.path("columns").get(i).path("labels").path("le").asString("");
      byBound.put(le, grown.path("values").get(i).get(0).asDouble(Double.NaN));
    }
    assertThat(byBound)
        .containsEntry("2", 0.0)
        .containsEntry("4", 15.0)
        .containsEntry("8", 15.0)
        .containsEntry("16", 25.0)
        .containsEntry("+Inf", 25.0);
    var median =
        ask(
            metric + ".bucket then increase every 1m then quantile 0.5",
            BEGIN + MINUTE,
            BEGIN + 2 * MINUTE);
    assertThat(median.path("values").get(1).get(0).asDouble(0))
        .isCloseTo(3.667, org.assertj.core.api.Assertions.within(0.01));
  }

  @ParameterizedTest
  @CsvSource({"1, 11", "1, 12", "1, 13", "2, 11", "2, 12", "2, 13"})
  void quantilesByMinuteAreThoseOfTheValues(int temporality, long seed) {
    var random = new Random(seed);
    var metric = "random." + temporality + "." + seed;
    var total = new TreeMap<Integer, Long>();
    int scale = 3;
    var byMinute = new ArrayList<double[]>();
    for (int minute = 0; minute < 8; minute++) {
      // The range widens at both ends, and the scale falls as it does with a stock SDK.
      double middle = (random.nextDouble() - 0.5) * minute;
      var values = new double[301];
      double width = 0.2 + minute / 6.0;
      Arrays.setAll(values, i -> Math.exp(middle + random.nextGaussian() * width));
      Arrays.sort(values);
      byMinute.add(values);
      if (minute == 3 || minute == 6) {
        scale--;
        total = halved(total);
      }
      var own = new TreeMap<Integer, Long>();
      for (double v : values) {
        int index = (int) Math.ceil(Math.log(v) / Math.log(2) * Math.scalb(1.0, scale)) - 1;
        own.merge(index, 1L, Long::sum);
        total.merge(index, 1L, Long::sum);
      }
      boolean delta = temporality == DELTA;
      send(
          point(
              metric,
              temporality,
              delta ? BEGIN + minute * MINUTE : BEGIN,
              BEGIN + (minute + 1) * MINUTE,
              scale,
              delta ? own : total));
    }
    double base = Math.pow(2, Math.scalb(1.0, -scale));
    for (int wide : List.of(1, 3)) {
      int compared = 0;
      var query = metric + ".bucket then increase every " + wide + "m then quantile 0.5";
      var found = ask(query, BEGIN, BEGIN + 8 * MINUTE);
      var times = found.path("values").get(0);
      for (int i = 0; i < times.size(); i++) {
        int minute = (int) Math.floorDiv(times.get(i).asLong(0) - BEGIN, MINUTE);
        double value = found.path("values").get(1).get(i).asDouble(Double.NaN);
        if (minute >= 0 && minute + wide <= 8) {
          double truth = median(byMinute.subList(minute, minute + wide));
          assertThat(value)
              .as("minute %d of seed %d, every %d", minute, seed, wide)
              .isBetween(truth / base, truth * base);
          compared++;
        }
      }
      assertThat(compared).isGreaterThanOrEqualTo(wide == 1 ? 7 : 2);
    }
  }

  private static double median(List<double[]> parts) {
    var all = parts.stream().flatMapToDouble(Arrays::stream).sorted().toArray();
    return all[all.length / 2];
  }

  private static TreeMap<Integer, Long> halved(TreeMap<Integer, Long> fine) {
    var out = new TreeMap<Integer, Long>();
    fine.forEach((i, n) -> out.merge(Math.floorDiv(i, 2), n, Long::sum));
    return out;
  }

  @Test
  void aDifferenceThatIsSentTwiceCountsOnce() {
    var sum =
        """
        {"resourceMetrics": [{"scopeMetrics": [{"metrics": [{"name": "twice", "sum": {"isMonotonic": true,
        "aggregationTemporality": 1, "dataPoints": [{"startTimeUnixNano": "%d000000",
        "timeUnixNano": "%d000000", "asInt": "5"}]}}]}]}]}
        """;
    for (int minute : List.of(0, 0, 1, 1, 0, 2, 1)) {
      send(sum.formatted(BEGIN + minute * MINUTE, BEGIN + (minute + 1) * MINUTE));
    }
    server.stop();
    server.start();
    send(sum.formatted(BEGIN + 2 * MINUTE, BEGIN + 3 * MINUTE));
    send(sum.formatted(BEGIN + 3 * MINUTE, BEGIN + 4 * MINUTE));
    var last = ask("twice then last", BEGIN, BEGIN + 5 * MINUTE);
    var values = last.path("values").get(1);
    double greatest = 0;
    for (var v : values) {
      greatest = Math.max(greatest, v.asDouble(0));
    }
    assertThat(greatest).isEqualTo(20);
  }
}
