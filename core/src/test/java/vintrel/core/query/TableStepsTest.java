package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/** Steps on tables, on histograms and on ages, each beside the slow, obvious way. */
class TableStepsTest {
  private static final long MINUTE = 60_000;
  private static final int BUCKETS = 40;
  private final MemorySource source = new MemorySource();
  private final Request range = Request.range(0, BUCKETS * MINUTE, MINUTE);

  /** A record, a row of a table or a sample of a series: names and what they stand for. */
  private record Item(long time, Map<String, String> labels, double value) {}

  private List<Item> randomSeries(Random random, int series) {
    var all = new ArrayList<Item>();
    for (int s = 0; s < series; s++) {
      var labels = Map.of("gate", "g" + s % 3, "site", s % 2 == 0 ? "north" : "south", "n", "" + s);
      var times = new ArrayList<Long>();
      for (long t = random.nextInt(50_000); t < BUCKETS * MINUTE; t += 1 + random.nextInt(90_000)) {
        times.add(t);
      }
      var values = times.stream().mapToDouble(t -> random.nextInt(200) / 8.0).toArray();
      var stamps = times.stream().mapToLong(t -> t).toArray();
      for (int i = 0; i < values.length; i++) {
        values[i] = random.nextInt(40) == 0 ? Double.NaN : values[i];
        all.add(new Item(stamps[i], labels, values[i]));
      }
      source.add("m", MetricKind.GAUGE, "s", Labels.of(labels), Samples.of(stamps, values));
    }
    return all;
  }

  private SeriesSet ask(String text) {
    return new Evaluator(source, outside, Limits.DEFAULT)
        .evaluate(Parser.parse(text), range)
        .lines()
        .getFirst()
        .set();
  }

  private Frame events = new Frame("events", List.of());
  private final ExternalSource outside =
      new ExternalSource() {
        @Override
        public Frame events(
            String store,
            Condition where,
            long from,
            long to,
            long max,
            java.util.function.BooleanSupplier cancelled,
            vintrel.core.store.MemoryClaim memory) {
          return events;
        }

        @Override
        public Map<Labels, long[]> eventTimes(
            String store,
            Condition where,
            long from,
            long to,
            long max,
            java.util.function.BooleanSupplier cancelled,
            vintrel.core.store.MemoryClaim memory) {
          return Sets.times(events);
        }
      };

  private static double[] numbers(Frame f, String column) {
    return ((Column.Number) f.column(column)).values();
  }

  private static List<String> texts(Frame f, String column) {
    return List.of(((Column.Text) f.column(column)).values());
  }

  private static long[] times(Frame f) {
    return f.time().values();
  }

  private static void same(double actual, double expected, int at) {
    if (Double.isNaN(expected)) {
      assertThat(actual).as("minute %d", at).isNaN();
    } else {
      assertThat(actual).as("minute %d", at).isCloseTo(expected, within(1e-6));
    }
  }

  /** The means of each series and minute, in the order of series and minutes. */
  private List<Item> minutes(List<Item> samples) {
    var sums = new LinkedHashMap<Map<String, String>, double[][]>();
    for (var s : samples) {
      var at = sums.computeIfAbsent(s.labels(), k -> new double[BUCKETS][2]);
      if (!Double.isNaN(s.value())) {
        at[(int) (s.time() / MINUTE)][0] += s.value();
        at[(int) (s.time() / MINUTE)][1]++;
      }
    }
    var out = new ArrayList<Item>();
    sums.forEach(
        (labels, means) -> {
          for (int i = 0; i < BUCKETS; i++) {
            if (means[i][1] > 0) {
              out.add(new Item(i * MINUTE, labels, means[i][0] / means[i][1]));
            }
          }
        });
    return out;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void groupingAndSortingAgreeWithGoingThroughTheRows(long seed) {
    var rows = minutes(randomSeries(new Random(seed), 7));
    var table = ask("m then mean every 1m then group by gate: sum value, max value, count n");
    var expected = new LinkedHashMap<String, double[]>();
    for (var row : rows) {
      var sum =
          expected.computeIfAbsent(
              row.labels().get("gate"), k -> new double[] {0, Double.NEGATIVE_INFINITY, 0});
      sum[0] += row.value();
      sum[1] = Math.max(sum[1], row.value());
      sum[2]++;
    }
    var frame = Sets.table(table);
    assertThat(frame.names()).containsExactly("gate", "sum value", "max value", "n");
    assertThat(texts(frame, "gate")).containsExactlyElementsOf(expected.keySet());
    int at = 0;
    for (var sum : expected.values()) {
      assertThat(numbers(frame, "sum value")[at]).isCloseTo(sum[0], within(1e-9));
      assertThat(numbers(frame, "max value")[at]).isEqualTo(sum[1]);
      assertThat(numbers(frame, "n")[at++]).isEqualTo(sum[2]);
    }
    assertThat(((Column.Number) frame.column("sum value")).unit()).isEqualTo("s");
    assertThat(((Column.Number) frame.column("n")).unit()).isEmpty();
    var sorted =
        Sets.table(ask("m then mean every 1m then sort by value descending then limit 25"));
    var order = Comparator.comparingDouble(Item::value).reversed();
    var first = rows.stream().sorted(order).limit(25).toList();
    assertThat(numbers(sorted, "value"))
        .containsExactly(first.stream().mapToDouble(Item::value).toArray(), within(1e-9));
    assertThat(times(sorted)).containsExactly(first.stream().mapToLong(Item::time).toArray());
    assertThat(texts(sorted, "n"))
        .containsExactlyElementsOf(first.stream().map(r -> r.labels().get("n")).toList());
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void cellsCountEveryRawSampleOnce(long seed) {
    var samples = randomSeries(new Random(seed), 4);
    var frame = Sets.table(ask("m then cells 8 by 10"));
    var from = numbers(frame, "from");
    var to = numbers(frame, "to");
    var counts = numbers(frame, "count");
    double top = Arrays.stream(to).max().orElseThrow();
    long span = BUCKETS * MINUTE / 8;
    for (int c = 0; c < counts.length; c++) {
      long start = times(frame)[c];
      double low = from[c];
      double high = to[c];
      long expected =
          samples.stream()
              .filter(s -> s.time() >= start && s.time() < start + span)
              .filter(s -> s.value() >= low && (s.value() < high || high == top))
              .count();
      assertThat(counts[c]).as("cell %d of %f", start, low).isEqualTo(expected);
      assertThat(start % span).isZero();
    }
    long all = samples.stream().filter(s -> !Double.isNaN(s.value())).count();
    assertThat(Arrays.stream(counts).sum()).isEqualTo(all);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void columnsPutEachSeriesBesideTheTimes(long seed) {
    var rows = minutes(randomSeries(new Random(seed), 5));
    for (var text : List.of("m then mean every 1m then columns", "m then rows then columns")) {
      var frame = Sets.table(ask(text));
      assertThat(frame.numbers()).hasSize(5);
      for (var column : frame.numbers()) {
        for (int i = 0; i < BUCKETS; i++) {
          long time = times(frame)[i];
          var expected =
              rows.stream()
                  .filter(r -> r.time() == time && Labels.of(r.labels()).equals(column.labels()))
                  .findFirst();
          if (expected.isEmpty()) {
            assertThat(column.values()[i]).isNaN();
          } else {
            assertThat(column.values()[i]).isCloseTo(expected.get().value(), within(1e-9));
          }
        }
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void ageIsTheTimeSinceTheNewestSampleWhateverItsValue(long seed) {
    var random = new Random(seed);
    long[] times = random.longs(30, -3 * MINUTE, BUCKETS * MINUTE).sorted().distinct().toArray();
    source.add("m", MetricKind.GAUGE, "", Labels.NONE, Samples.of(times, new double[times.length]));
    var values = ask("m then age").rows().getFirst().values();
    for (int i = 0; i < BUCKETS; i++) {
      long end = (i + 1) * MINUTE;
      var newest = Arrays.stream(times).filter(t -> t < end).max();
      if (newest.isEmpty()) {
        assertThat(values[i]).isNaN();
      } else {
        assertThat(values[i]).isEqualTo((end - newest.getAsLong()) / 1000.0);
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void sinceIsTheTimeFromTheMomentThatAValueStandsFor(long seed) {
    var random = new Random(seed);
    var times = new long[BUCKETS];
    Arrays.setAll(times, i -> i * MINUTE + random.nextInt(60_000));
    var values = new double[BUCKETS];
    Arrays.setAll(values, i -> random.nextInt(10) == 0 ? Double.NaN : -random.nextInt(100_000));
    var millis = Arrays.stream(values).map(v -> v * 1000).toArray();
    source.add("s", MetricKind.GAUGE, "s", Labels.NONE, Samples.of(times, values));
    source.add("ms", MetricKind.GAUGE, "ms", Labels.NONE, Samples.of(times, millis));
    for (var metric : List.of("s", "ms")) {
      var row = ask(metric + " then since").rows().getFirst();
      assertThat(row.unit()).isEqualTo("s");
      for (int i = 0; i < BUCKETS; i++) {
        same(row.values()[i], (i + 1) * 60.0 - values[i], i);
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void aQuantileLiesWhereCountingTheObservationsPutsIt(long seed) {
    var random = new Random(seed);
    double[] bounds = {0.1, 0.25, 0.5, 1, 2.5, Double.POSITIVE_INFINITY};
    var observed = new TreeMap<String, List<List<Double>>>();
    for (var host : List.of("a", "b")) {
      var minutes = new ArrayList<List<Double>>();
      for (int i = 0; i < BUCKETS; i++) {
        minutes.add(
            random.doubles(random.nextInt(4) * 10, 0, 3).map(v -> v * v / 3).boxed().toList());
      }
      observed.put(host, minutes);
      for (double bound : bounds) {
        var times = new long[BUCKETS + 1];
        var totals = new double[BUCKETS + 1];
        Arrays.setAll(times, i -> i * MINUTE);
        for (int i = 1; i <= BUCKETS; i++) {
          totals[i] = totals[i - 1] + minutes.get(i - 1).stream().filter(v -> v <= bound).count();
        }
        var le = bound == Double.POSITIVE_INFINITY ? "+Inf" : Double.toString(bound);
        source.add(
            "t.bucket",
            MetricKind.HISTOGRAM,
            "",
            Labels.of("host", host, "le", le),
            Samples.of(times, totals));
      }
    }
    for (double q : new double[] {0.5, 0.9, 0.99}) {
      var rows = ask("t.bucket then increase then quantile " + q + " by host").rows();
      assertThat(rows).extracting(r -> r.labels().get("host")).containsExactly("a", "b");
      for (var row : rows) {
        var minutes = observed.get(row.labels().get("host"));
        // What the last minute brought is only known after the range.
        for (int i = 0; i < BUCKETS - 1; i++) {
          same(row.values()[i], quantile(minutes.get(i), bounds, q), i);
        }
      }
    }
    source.add("t.sum", MetricKind.HISTOGRAM, "s", Labels.NONE, Samples.EMPTY);
    var both = ask("t.bucket then increase then sum by le then quantile 0.9").rows().getFirst();
    var together = new ArrayList<>(observed.get("a").get(7));
    together.addAll(observed.get("b").get(7));
    assertThat(both.unit()).as("that of the sum").isEqualTo("s");
    assertThat(both.values()[7]).isCloseTo(quantile(together, bounds, 0.9), within(0.01));
  }

  /** Observations are taken to be even within the bounds between which they lie. */
  private static double quantile(List<Double> observed, double[] bounds, double q) {
    double rank = q * observed.size();
    double lower = 0;
    int below = 0;
    for (double bound : bounds) {
      int upTo = (int) observed.stream().filter(v -> v <= bound).count();
      if (upTo >= rank && upTo > 0) {
        return bound == Double.POSITIVE_INFINITY
            ? lower
            : lower + (bound - lower) * (rank - below) / (upTo - below);
      }
      below = upTo;
      lower = bound;
    }
    return Double.NaN;
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void aFieldIsUnpackedFromEachRecordAndCounted(long seed) {
    var random = new Random(seed);
    int n = 200;
    var times = random.longs(n, 0, BUCKETS * MINUTE).sorted().toArray();
    var fields = new String[n];
    var status = new double[n];
    for (int i = 0; i < n; i++) {
      status[i] = random.nextInt(6) == 0 ? Double.NaN : 200 + 100 * random.nextInt(4);
      fields[i] =
          Double.isNaN(status[i])
              ? random.nextBoolean() ? "" : "{\"http\":{\"route\":\"/\"}}"
              : random.nextBoolean()
                  ? "{\"http\":{\"status\":%d}}".formatted((int) status[i])
                  : "{\"a\":[1],\"http.status\":%d}".formatted((int) status[i]);
    }
    events =
        new Frame(
            "events", List.of(new Column.Time("time", times), new Column.Text("fields", fields)));
    var unpacked = Sets.table(ask("events then unpack http.status as status"));
    assertThat(numbers(unpacked, "status")).containsExactly(status);
    var counted =
        Sets.table(
            ask(
                "events then unpack http.status as status then where status >= 300 then"
                    + " group by status: count time then sort by status"));
    var expected = new TreeMap<Double, Long>();
    Arrays.stream(status).filter(s -> s >= 300).forEach(s -> expected.merge(s, 1L, Long::sum));
    assertThat(numbers(counted, "status"))
        .containsExactly(expected.keySet().stream().mapToDouble(s -> s).toArray());
    assertThat(numbers(counted, "time"))
        .containsExactly(expected.values().stream().mapToDouble(c -> c).toArray());
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3})
  void aForecastFollowsTheUsualShapeOfADay(long seed) {
    var random = new Random(seed);
    int days = 4;
    int n = days * 24;
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = i * Durations.HOUR;
      values[i] = 100 + 0.5 * i + (i % 24 < 6 ? -40 : 20) + random.nextGaussian();
      values[i] = random.nextInt(30) == 0 ? Double.NaN : values[i];
    }
    values[50] = 9000;
    source.add("load", MetricKind.GAUGE, "", Labels.NONE, Samples.of(times, values));
    var set =
        new Evaluator(source, Limits.DEFAULT)
            .evaluate(
                Parser.parse("load then forecast 1d"),
                Request.range(0, n * Durations.HOUR, Durations.HOUR))
            .lines()
            .getFirst()
            .set();
    var row = set.rows().getFirst();
    double slope = slope(values);
    for (int i = n; i < n + 24; i++) {
      // The obvious way: what this hour of the day was usually, moved on along the slope.
      var same = new ArrayList<Double>();
      for (int k = i % 24; k < n; k += 24) {
        if (!Double.isNaN(values[k])) {
          same.add(values[k] + slope * (i - k));
        }
      }
      assertThat(row.values()[i]).as("hour %d", i).isCloseTo(median(same), within(1e-6));
      assertThat(row.low()[i]).isLessThan(row.values()[i]);
      assertThat(row.high()[i]).isGreaterThan(row.values()[i]);
    }
  }

  private static double slope(double[] v) {
    var slopes = new ArrayList<Double>();
    for (int a = 0; a < v.length; a++) {
      for (int b = a + 1; b < v.length; b++) {
        if (!Double.isNaN(v[a]) && !Double.isNaN(v[b])) {
          slopes.add((v[b] - v[a]) / (b - a));
        }
      }
    }
    return median(slopes);
  }

  private static double median(List<Double> values) {
    var sorted = values.stream().sorted().toList();
    int n = sorted.size();
    return n % 2 == 1 ? sorted.get(n / 2) : (sorted.get(n / 2 - 1) + sorted.get(n / 2)) / 2;
  }
}
