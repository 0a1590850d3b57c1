package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
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
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/** Each step beside the slow, obvious way, on samples with gaps and uneven distances. */
class StepsTest {
  private static final long PITCH = 60_000;
  private static final int BUCKETS = 60;
  private final MemorySource source = new MemorySource();

  private Samples uneven(long seed) {
    var random = new Random(seed);
    var times = new ArrayList<Long>();
    long t = -2 * Durations.HOUR;
    while (t < BUCKETS * PITCH) {
      t += 1 + random.nextInt(40_000) + (random.nextInt(30) == 0 ? 400_000 : 0);
      times.add(t);
    }
    var values = new double[times.size()];
    for (int i = 0; i < values.length; i++) {
      values[i] = random.nextInt(50) == 0 ? Double.NaN : random.nextInt(1000) / 4.0;
    }
    return Samples.of(times.stream().mapToLong(x -> x).toArray(), values);
  }

  private SeriesSet ask(String text, Request request) {
    return new Evaluator(source, Limits.DEFAULT)
        .evaluate(Parser.parse(text), request)
        .lines()
        .getFirst()
        .set();
  }

  private double[] values(String text) {
    return ask(text, Request.range(0, BUCKETS * PITCH, PITCH)).rows().getFirst().values();
  }

  private void gauge(String name, Samples s, String... labels) {
    source.add(name, MetricKind.GAUGE, "", Labels.of(labels), s);
  }

  private interface Window {
    double of(List<Long> times, List<Double> values, double[] before);
  }

  /** The samples within each minute, and the newest one before it. */
  private double[] slowly(Samples s, Window window) {
    var out = new double[BUCKETS];
    for (int b = 0; b < BUCKETS; b++) {
      var times = new ArrayList<Long>();
      var values = new ArrayList<Double>();
      double[] before = {Double.NaN, Double.NaN};
      for (int i = 0; i < s.count(); i++) {
        if (s.times()[i] < b * PITCH && Double.isFinite(s.values()[i])) {
          before = new double[] {s.times()[i], s.values()[i]};
        } else if (s.times()[i] < (b + 1) * PITCH && Double.isFinite(s.values()[i])) {
          times.add(s.times()[i]);
          values.add(s.values()[i]);
        }
      }
      out[b] = window.of(times, values, before);
    }
    return out;
  }

  private static void same(double[] actual, double[] expected) {
    assertThat(actual).hasSameSizeAs(expected);
    for (int i = 0; i < actual.length; i++) {
      if (Double.isNaN(expected[i])) {
        assertThat(actual[i]).as("bucket %d", i).isNaN();
      } else {
        assertThat(actual[i]).as("bucket %d", i).isCloseTo(expected[i], within(1e-6));
      }
    }
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void changeIsTheEndLessWhatStoodAtTheStart(long seed) {
    var s = uneven(seed);
    gauge("m", s);
    // The samples lie at most 40 s apart but for gaps of more than 400 s.
    var expected =
        slowly(
            s,
            (times, values, before) -> {
              if (values.isEmpty()) {
                return Double.NaN;
              }
              boolean near = times.getFirst() - before[0] <= 5 * Durations.MINUTE;
              return near
                  ? values.getLast() - before[1]
                  : values.size() == 1 ? Double.NaN : values.getLast() - values.getFirst();
            });
    same(values("m then change"), expected);
    same(values("m then change every 1m"), expected);
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5})
  void slopeIsTheLeastSquaresLine(long seed) {
    var s = uneven(seed);
    gauge("m", s);
    var expected =
        slowly(
            s,
            (times, values, before) -> {
              double n = 0, x = 0, y = 0, xx = 0, xy = 0;
              for (int i = 0; i < times.size(); i++) {
                if (!Double.isNaN(values.get(i))) {
                  double t = (times.get(i) - times.getFirst()) / 1000.0;
                  n++;
                  x += t;
                  y += values.get(i);
                  xx += t * t;
                  xy += t * values.get(i);
                }
              }
              return n < 2 ? Double.NaN : (n * xy - x * y) / (n * xx - x * x);
            });
    same(values("m then slope"), expected);
    var perMinute = Arrays.stream(expected).map(v -> v * 60).toArray();
    same(values("m then slope per minute every 1m"), perMinute);
  }

  private interface Slow {
    double at(double[] values, int i);
  }

  private void agrees(double[] base, String step, Slow slow) {
    var expected = new double[base.length];
    Arrays.setAll(expected, i -> slow.at(base, i));
    same(values("m then mean every 1m then " + step), expected);
  }

  @ParameterizedTest
  @ValueSource(longs = {21, 22, 23, 24})
  void stepsOnTheGridAgreeWithTheObviousWay(long seed) {
    gauge("m", uneven(seed));
    var base = values("m then mean every 1m");
    agrees(base, "abs", (v, i) -> Math.abs(v[i]));
    agrees(base, "times -3", (v, i) -> v[i] * -3);
    agrees(base, "clamp 50 to 150", (v, i) -> Math.min(150, Math.max(50, v[i])));
    agrees(base, "sqrt", (v, i) -> Math.sqrt(v[i]));
    agrees(base, "keep when >= 100", (v, i) -> v[i] >= 100 ? v[i] : Double.NaN);
    agrees(base, "fill with 7", (v, i) -> Double.isNaN(v[i]) ? 7 : v[i]);
    agrees(base, "fill with previous", (v, i) -> v[before(v, i)]);
    agrees(
        base,
        "fill with linear",
        (v, i) -> {
          int a = before(v, i);
          int b = i;
          while (b < v.length && Double.isNaN(v[b])) {
            b++;
          }
          return a == b || Double.isNaN(v[a]) || b == v.length
              ? a == i ? v[i] : Double.NaN
              : v[a] + (v[b] - v[a]) * (i - a) / (b - a);
        });
    agrees(
        base,
        "cumulate",
        (v, i) -> {
          double sum = 0;
          for (int k = 0; k <= i; k++) {
            sum += Double.isNaN(v[k]) ? 0 : v[k];
          }
          return Double.isNaN(v[i]) ? Double.NaN : sum;
        });
    agrees(base, "share", (v, i) -> v[i] == 0 ? Double.NaN : v[i] / v[i] * 100);
    var shifted = values("m then mean every 1m then shift 10m");
    same(Arrays.copyOfRange(shifted, 10, BUCKETS), Arrays.copyOf(base, BUCKETS - 10));
  }

  /** The place itself, or the nearest before it with a value; the first if there is none. */
  private static int before(double[] v, int i) {
    int k = i;
    while (k > 0 && Double.isNaN(v[k])) {
      k--;
    }
    return k;
  }

  @ParameterizedTest
  @ValueSource(longs = {31, 32, 33})
  void smoothingAndTopAgreeWithTheObviousWay(long seed) {
    for (int h = 0; h < 6; h++) {
      gauge("m", uneven(seed * 100 + h), "host", "h" + h);
    }
    var range = Request.range(0, BUCKETS * PITCH, PITCH);
    var wide = Request.range(-10 * PITCH, (BUCKETS + 10) * PITCH, PITCH);
    var base = ask("m then mean every 1m", wide).rows();
    var smooth = ask("m then mean every 1m then smooth over 11m", range).rows();
    for (int r = 0; r < base.size(); r++) {
      var v = base.get(r).values();
      var expected = new double[BUCKETS];
      for (int i = 0; i < BUCKETS; i++) {
        double sum = 0;
        double weights = 0;
        for (int d = -5; d <= 5; d++) {
          double x = v[i + 10 + d];
          if (!Double.isNaN(x)) {
            double w = Math.pow(1 - Math.pow(Math.abs(d) / 6.0, 3), 3);
            sum += w * x;
            weights += w;
          }
        }
        expected[i] = Double.isNaN(v[i + 10]) ? Double.NaN : sum / weights;
      }
      same(smooth.get(r).values(), expected);
    }
    var all = ask("m then mean every 1m", range).rows();
    var means =
        all.stream()
            .sorted(
                java.util.Comparator.comparingDouble(
                    r ->
                        -Arrays.stream(r.values())
                            .filter(Double::isFinite)
                            .average()
                            .orElse(Double.NaN)))
            .limit(3)
            .map(SeriesSet.Row::labels)
            .toList();
    assertThat(ask("m then mean every 1m then top 3", range).rows())
        .extracting(SeriesSet.Row::labels)
        .isEqualTo(means);
  }

  @Test
  void aValueHoldsUntilItIsTooOld() {
    gauge("m", Samples.of(new long[] {0, 6 * PITCH}, new double[] {5, 7}));
    var values =
        ask("m then gap after 3m", Request.range(0, 8 * PITCH, PITCH)).rows().getFirst().values();
    assertThat(values).containsExactly(5, 5, 5, 5, Double.NaN, Double.NaN, 7, 7);
    // What came before the range holds into it.
    var later =
        ask("m then gap after 3m", Request.range(2 * PITCH, 5 * PITCH, PITCH))
            .rows()
            .getFirst()
            .values();
    assertThat(later).containsExactly(5, 5, Double.NaN);
  }

  @Test
  void aRunningTotalSkipsWhatIsMissing() {
    gauge("m", Samples.of(new long[] {0, PITCH, 3 * PITCH}, new double[] {1, 2, 4}));
    assertThat(
            ask("m then cumulate", Request.range(0, 4 * PITCH, PITCH)).rows().getFirst().values())
        .containsExactly(1, 3, Double.NaN, 7);
  }

  @Test
  void smoothingKeepsALineAndTheRangeDoesNotShowItsEdges() {
    var times = new long[200];
    Arrays.setAll(times, i -> (i - 50) * PITCH);
    gauge("m", Samples.of(times, Arrays.stream(times).mapToDouble(t -> 3.0 * t / PITCH).toArray()));
    var values = values("m then smooth over 20m");
    assertThat(values).hasSize(BUCKETS);
    for (int i = 0; i < BUCKETS; i++) {
      assertThat(values[i]).isCloseTo(3.0 * i, within(1e-9));
    }
  }

  @Test
  void ageCountsFromTheNewestSampleEvenBeforeTheRange() {
    gauge("m", Samples.of(new long[] {-5 * PITCH, 2 * PITCH}, new double[] {1, 1}));
    assertThat(ask("m then age", Request.range(0, 4 * PITCH, PITCH)).rows().getFirst().values())
        .containsExactly(360, 420, 60, 120);
  }

  @Test
  void sinceIsTheTimeFromTheValueOn() {
    source.add(
        "process.start.time",
        MetricKind.GAUGE,
        "s",
        Labels.NONE,
        Samples.of(new long[] {1_700_000_030_000L}, new double[] {1_700_000_000}));
    var set =
        ask(
            "process.start.time then since",
            Request.range(1_700_000_000_000L - 20_000, 1_700_000_040_000L, 60_000));
    assertThat(set.rows().getFirst().values()).containsExactly(40);
    assertThat(set.rows().getFirst().unit()).isEqualTo("s");
  }

  @Test
  void aBandKnowsTheSeasonAndIsNotMovedByASpike() {
    long from = 0;
    int days = 9;
    int perDay = 24;
    var times = new long[days * perDay];
    var values = new double[times.length];
    var random = new Random(4);
    for (int i = 0; i < times.length; i++) {
      times[i] = from + i * Durations.HOUR;
      values[i] = 100 + 50 * Math.sin(2 * Math.PI * (i % perDay) / perDay) + random.nextGaussian();
    }
    values[8 * perDay + 5] = 900;
    gauge("load", Samples.of(times, values), "host", "a");
    var day = Request.range(8 * Durations.DAY, 9 * Durations.DAY, Durations.HOUR);
    var set = ask("load then band 4 seasonal 1d", day);
    assertThat(set.rows())
        .extracting(r -> r.labels().get("band"))
        .containsExactly("expected", "lower", "upper");
    for (int h = 0; h < 24; h++) {
      double usual = 100 + 50 * Math.sin(2 * Math.PI * h / perDay);
      double lower = set.rows().get(1).values()[h];
      double upper = set.rows().get(2).values()[h];
      assertThat(set.rows().getFirst().values()[h]).isBetween(lower, upper);
      assertThat(usual).as("hour %d", h).isBetween(lower - 1, upper + 1);
      assertThat(upper).isLessThan(300);
    }
    var over = ask("(load > (load then band 4 seasonal 1d then max by host)) then sum", day).rows();
    assertThat(over.getFirst().values()[5]).isEqualTo(1);
    var twoLines =
        ask(
            "x: load - (usual where band = 'upper') on (host)\nhidden usual: load then band 4"
                + " seasonal 1d",
            day);
    assertThat(twoLines.rows().getFirst().values()[5]).isGreaterThan(500);
  }

  @Test
  void aForecastGoesOnWhereTheRangeEnds() {
    var times = new long[60];
    Arrays.setAll(times, i -> i * PITCH);
    var values = Arrays.stream(times).mapToDouble(t -> 10 + 2.0 * t / PITCH).toArray();
    values[30] = 5000;
    gauge("disk", Samples.of(times, values));
    var set = ask("disk then forecast 10m", Request.range(0, BUCKETS * PITCH, PITCH));
    assertThat(Sets.grid(set).count()).isEqualTo(70);
    var row = set.rows().getFirst();
    assertThat(row.values()[59]).isNaN();
    assertThat(row.values()[60]).isCloseTo(130, within(0.5));
    assertThat(row.values()[69]).isCloseTo(148, within(0.5));
  }

  @Test
  void outliersAreWhatStandsOutFromTheOthers() {
    for (int h = 0; h < 8; h++) {
      double usual = 50 + h % 3;
      var times = new long[BUCKETS];
      var values = new double[BUCKETS];
      for (int i = 0; i < BUCKETS; i++) {
        times[i] = i * PITCH;
        values[i] = h == 6 && i >= 40 ? 95 : usual;
      }
      gauge("cpu", Samples.of(times, values), "host", "h" + h);
    }
    var set = ask("cpu then outliers", Request.range(0, BUCKETS * PITCH, PITCH));
    assertThat(set.rows()).hasSize(1);
    assertThat(set.rows().getFirst().labels()).isEqualTo(Labels.of("host", "h6"));
    assertThat(set.rows().getFirst().values()[39]).isNaN();
    assertThat(set.rows().getFirst().values()[40]).isEqualTo(95);
  }

  @Test
  void aStepThatIsOffChangesNothingAndKeepsItsPlace() {
    gauge("m", Samples.of(new long[] {0}, new double[] {-4}));
    var range = Request.range(0, PITCH, PITCH);
    assertThat(ask("m then off abs then times 2", range).rows().getFirst().values())
        .containsExactly(-8);
    assertThat(Printer.print(Parser.parse("m then off abs"))).isEqualTo("m then off abs");
  }

  @ParameterizedTest
  @ValueSource(strings = {"Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe", "Asia/Tokyo"})
  void daysBeginAtThePersonsMidnightAlsoWhenClocksChange(String zoneName) {
    var zone = ZoneId.of(zoneName);
    long from = LocalDateTime.of(2026, 3, 20, 10, 0).atZone(zone).toInstant().toEpochMilli();
    long to = LocalDateTime.of(2026, 4, 12, 10, 0).atZone(zone).toInstant().toEpochMilli();
    int n = (int) ((to - from) / (10 * Durations.MINUTE));
    var times = new long[n];
    Arrays.setAll(times, i -> from + i * 10 * Durations.MINUTE);
    var ones = new double[n];
    Arrays.fill(ones, 1);
    gauge("m", Samples.of(times, ones));
    var set = ask("m then count every 1d", Request.range(from, to, Durations.HOUR).at(zone));
    var counts = set.rows().getFirst().values();
    assertThat(Sets.grid(set).count()).isEqualTo(24);
    for (int i = 0; i < counts.length; i++) {
      var start = Instant.ofEpochMilli(Sets.grid(set).time(i)).atZone(zone);
      assertThat(start.toLocalTime()).hasToString("00:00");
      long a = Math.max(from, Sets.grid(set).time(i));
      long b = Math.min(to, start.plusDays(1).toInstant().toEpochMilli());
      long expected = Arrays.stream(times).filter(t -> t >= a && t < b).count();
      assertThat(counts[i]).as("day %s", start).isEqualTo(expected);
    }
  }

  @Test
  void recordsBecomeSeriesWhereAStepNeedsThem() {
    var events =
        new Frame(
            "events",
            List.of(
                new Column.Time("time", new long[] {0, 0, 0, PITCH}),
                new Column.Text("level", new String[] {"error", "info", "error", "error"}),
                new Column.Text("text", new String[] {"a", "b", "c", "d"}),
                new Column.Text(
                    "fields", new String[] {"{\"n\":{\"ms\":5}}", "", "{\"n.ms\":7}", "{}"})));
    var outside =
        new ExternalSource() {
          @Override
          public Frame events(
              String store,
              vintrel.core.series.Condition w,
              long from,
              long to,
              long max,
              java.util.function.BooleanSupplier c,
              vintrel.core.store.MemoryClaim memory) {
            return events;
          }

          @Override
          public java.util.Map<vintrel.core.series.Labels, long[]> eventTimes(
              String store,
              vintrel.core.series.Condition w,
              long from,
              long to,
              long max,
              java.util.function.BooleanSupplier c,
              vintrel.core.store.MemoryClaim memory) {
            return Sets.times(events);
          }
        };
    var evaluator = new Evaluator(source, outside, Limits.DEFAULT);
    var request = Request.range(0, 2 * PITCH, PITCH);
    var counts =
        evaluator.evaluate(Parser.parse("events then count every 1m then sum by level"), request);
    var rows = counts.lines().getFirst().set().rows();
    assertThat(rows).extracting(r -> r.labels().get("level")).containsExactly("error", "info");
    assertThat(rows.getFirst().values()).containsExactly(2, 1);
    var unpacked =
        evaluator.evaluate(
            Parser.parse(
                "events then unpack n.ms as ms then where ms exists then group by level: max ms,"
                    + " count text"),
            request);
    var table = Sets.table(unpacked.lines().getFirst().set());
    assertThat(table.names()).containsExactly("level", "ms", "text");
    assertThat(table.numbers().getFirst().values()).containsExactly(7);
    var plain = evaluator.evaluate(Parser.parse("events then limit 2"), request);
    assertThat(Sets.table(plain.lines().getFirst().set()).rows()).isEqualTo(2);
  }

  @Test
  void aStepThatGivesTooManyValuesIsRefusedWithWhatToDo() {
    gauge("m", Samples.of(new long[] {0, 1}, new double[] {1, 2}));
    var small = new Limits(10, 100, 10_000, 50);
    assertThatThrownBy(
            () ->
                new Evaluator(source, small)
                    .evaluate(Parser.parse("m then mean every 1s"), Request.range(0, 60_000, 1000)))
        .hasMessageContaining("60 values; the limit is 50");
  }

  @Test
  void aTableWithoutTimesIsRefusedWhereSeriesAreNeeded() {
    gauge("m", Samples.of(new long[] {0}, new double[] {1}), "host", "a");
    assertThatThrownBy(() -> values("m then group by host: sum value then mean every 5m"))
        .isInstanceOf(QueryException.class)
        .hasMessageContaining("without a time column");
    assertThatThrownBy(() -> values("m then sort by nothing"))
        .hasMessageContaining("no column named `nothing`; columns: time, host, value");
  }
}
