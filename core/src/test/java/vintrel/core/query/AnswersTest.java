package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;

import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneId;
import java.util.Arrays;
import java.util.List;
import org.junit.jupiter.api.Test;
import vintrel.core.chunk.Samples;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Durations;

/** An answer depends on the samples and the query, not on the range around it or on luck. */
class AnswersTest {
  private static final long T = 1_761_436_800_000L;
  private static final long MIN = Durations.MINUTE;
  private final MemorySource source = new MemorySource();
  private final Evaluator engine = new Evaluator(source, Limits.DEFAULT);

  private interface Value {
    double at(long millis);
  }

  private void add(
      String metric, MetricKind kind, long step, long until, Value value, String... labels) {
    int n = (int) (until / step);
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = T + i * step;
      values[i] = value.at(i * step);
    }
    source.add(metric, kind, "", Labels.of(labels), Samples.of(times, values));
  }

  private SeriesSet set(String query, long from, long to, long pitch) {
    var request = Request.range(T + from, T + to, pitch);
    return engine.evaluate(Parser.parse(query), request).lines().getLast().set();
  }

  private double[] values(String query, long from, long to, long pitch) {
    var rows = set(query, from, to, pitch).rows();
    return rows.isEmpty() ? new double[0] : rows.getFirst().values();
  }

  private double[] part(double[] all, int from, int to) {
    return Arrays.copyOfRange(all, from, to);
  }

  @Test
  void aBucketThatTheRangeCutIsNotRemembered() {
    add("m", MetricKind.GAUGE, 10_000, 60 * MIN, t -> t / 10_000 % 6);
    long cut = 20 * MIN + 30_000;
    assertThat(values("m then mean every 1m", 0, cut, MIN)[20]).isEqualTo(1);
    assertThat(values("m then mean every 1m", 0, 40 * MIN, MIN)[20]).isEqualTo(2.5);
    assertThat(values("m then mean every 1m", 0, cut, MIN)[20]).isEqualTo(1);
    assertThat(values("m then mean every 1m", 0, 40 * MIN, MIN)[20]).isEqualTo(2.5);
    double[] twice = values("m - (m then shift 10m)", 0, cut, MIN);
    assertThat(values("m - (m then shift 10m)", 0, cut, MIN)).containsExactly(twice);
    assertThat(twice[19]).isZero();
  }

  @Test
  void growthAfterTheRangeIsKnownToItsLastBucket() {
    add("c", MetricKind.COUNTER, 10_000, 60 * MIN, t -> t / 10_000 + (t > 20 * MIN ? 100 : 0));
    double[] wide = values("c then rate per minute", 0, 40 * MIN, MIN);
    double[] narrow = values("c then rate per minute", 0, 20 * MIN, MIN);
    assertThat(narrow).containsExactly(part(wide, 0, 20), within(1e-9));
    assertThat(values("c then rate per minute", 0, 40 * MIN, MIN)).containsExactly(wide);
  }

  @Test
  void growthOverAGapCountsWhereTheLaterSampleIsHoweverLongAgoTheOtherWas() {
    var times = new long[120];
    var values = new double[120];
    for (int i = 0; i < 120; i++) {
      times[i] = T + (i < 60 ? i * 10_000L : 60 * MIN + (i - 60) * 10_000L);
      values[i] = i < 60 ? i : 1000 + i - 60;
    }
    source.add("c", MetricKind.COUNTER, "", Labels.NONE, Samples.of(times, values));
    for (long from : new long[] {20, 30, 50, 60}) {
      double[] v = values("c then increase every 10m", from * MIN, 80 * MIN, MIN);
      assertThat(v[(int) (60 - from) / 10]).as("from %d", from).isEqualTo(941 + 59);
    }
    assertThat(values("c then increase every 10m", 50 * MIN, 60 * MIN, MIN))
        .as("a sample on the edge is in the bucket that begins there")
        .isEmpty();
    assertThat(values("c then rate", 20 * MIN, 70 * MIN, 10 * MIN)[4])
        .as("a rate knows nothing of the gap")
        .isEqualTo(0.1, within(1e-9));
  }

  @Test
  void aSlowCounterHasARateInEveryBucketBetweenItsSamples() {
    add("c", MetricKind.COUNTER, 15 * MIN, 10 * Durations.HOUR, t -> t / 1000);
    double[] v = values("c then rate", 61 * MIN, 71 * MIN, MIN);
    assertThat(v).hasSize(10).containsOnly(new double[] {1}, within(1e-9));
  }

  @Test
  void increasesOfAdjacentRangesAddUp() {
    add("c", MetricKind.COUNTER, 10_000, 30 * MIN, t -> 19 * t / 20_000);
    double both = Arrays.stream(values("c then increase every 10m", 0, 20 * MIN, MIN)).sum();
    double one = values("c then increase every 10m", 0, 10 * MIN, MIN)[0];
    double two = values("c then increase every 10m", 10 * MIN, 20 * MIN, MIN)[0];
    assertThat(both).isEqualTo(1140);
    assertThat(one + two).isEqualTo(both);
  }

  private void gates(String metric, String... gates) {
    for (var g : gates) {
      add(
          metric,
          MetricKind.COUNTER,
          10_000,
          60 * MIN,
          t -> t / 1000 * (metric.equals("bad") ? 1 : 20),
          "gate",
          g);
    }
  }

  private static final String SHARE =
      """
      hidden b: bad then rate then sum by gate
      hidden a: all then rate then sum by gate
      share: b / a%s * 100\
      """;

  @Test
  void oneSeriesPairsWithItsOwnAlone() {
    gates("bad", "n1");
    gates("all", "n1", "n2", "n3");
    var plain = set(SHARE.formatted(""), 0, 10 * MIN, MIN);
    assertThat(plain.rows()).extracting(r -> r.labels().get("gate")).containsExactly("n1");
    var advice =
        engine
            .evaluate(Parser.parse(SHARE.formatted("")), Request.range(T, T + 10 * MIN, MIN))
            .advice();
    assertThat(advice).extracting(Advice::code).containsExactly("unpaired");
    assertThat(advice.getFirst().text()).contains("2 series have no partner", "gate n2", "gate n3");
    assertThat(advice.getFirst().change().query()).contains("b / a missing 0");
    var filled = set(SHARE.formatted(" missing 0"), 0, 10 * MIN, MIN);
    assertThat(filled.rows())
        .extracting(r -> r.labels().get("gate") + " " + Math.round(r.values()[3]))
        .containsExactlyInAnyOrder("n1 5", "n2 0", "n3 0");
  }

  @Test
  void oneTotalPairsWithAllWhetherItHasDataOrNot() {
    gates("bad", "n1", "n2");
    gates("all", "n1", "n2");
    var total = "(bad then rate then sum by gate) / (all then rate then sum)";
    assertThat(set(total, 0, 10 * MIN, MIN).rows()).hasSize(2);
    var lone = "(bad where gate = 'n1' then rate) / (all then rate)";
    assertThat(set(lone, 0, 10 * MIN, MIN).rows()).hasSize(1);
  }

  @Test
  void theTextSaysWhoseLabelsAResultHas() {
    for (int hosts = 1; hosts <= 2; hosts++) {
      add("use", MetricKind.GAUGE, 10_000, 10 * MIN, t -> 4, "host", "h" + hosts, "core", "c1");
      add("most", MetricKind.GAUGE, 10_000, 10 * MIN, t -> 8, "host", "h" + hosts, "kind", "x");
      var left = set("use / most on (host)", 0, MIN, MIN);
      assertThat(left.rows()).hasSize(hosts).allMatch(r -> r.labels().names().contains("core"));
      var right = set("(most then max by host) / use on (host)", 0, MIN, MIN);
      assertThat(right.rows()).hasSize(hosts).allMatch(r -> r.labels().names().contains("core"));
    }
    add("use", MetricKind.GAUGE, 10_000, 10 * MIN, t -> 4, "host", "h1", "core", "c2");
    assertThat(set("use / most on (host)", 0, MIN, MIN).rows()).hasSize(3);
    assertThatThrownBy(() -> set("most / use on (host)", 0, MIN, MIN))
        .hasMessageContaining("several series on the right match one")
        .hasMessageContaining("then mean by host");
  }

  private SeriesSet days(String query, String from, String to, ZoneId zone) {
    var request =
        Request.range(
                LocalDate.parse(from).atStartOfDay(zone).toInstant().toEpochMilli(),
                LocalDate.parse(to).atStartOfDay(zone).toInstant().toEpochMilli(),
                Durations.DAY)
            .at(zone);
    return engine.evaluate(Parser.parse(query), request).lines().getLast().set();
  }

  /** A gauge that has the day of the month in its zone, every 10 minutes. */
  private void calendar(ZoneId zone, String first, int days) {
    long start = LocalDate.parse(first).atStartOfDay(zone).toInstant().toEpochMilli();
    int n = days * 144;
    var times = new long[n];
    var values = new double[n];
    for (int i = 0; i < n; i++) {
      times[i] = start + i * 600_000L;
      values[i] = Instant.ofEpochMilli(times[i]).atZone(zone).getDayOfMonth();
    }
    source.add("day", MetricKind.GAUGE, "", Labels.NONE, Samples.of(times, values));
  }

  @Test
  void daysAreComparedWithDaysWhenClocksChange() {
    var zone = ZoneId.of("Europe/Berlin");
    calendar(zone, "2025-10-10", 25);
    var set = days("day - (day then shift 1w)", "2025-10-24", "2025-10-31", zone);
    assertThat(set.rows().getFirst().values()).containsExactly(7, 7, 7, 7, 7, 7, 7);
    for (int i = 0; i < 7; i++) {
      var begins = Instant.ofEpochMilli(Sets.grid(set).time(i)).atZone(zone);
      assertThat(begins.getHour()).isZero();
      assertThat(begins.getDayOfMonth()).isEqualTo(24 + i);
    }
    assertThat(
            days("day then shift 1d", "2025-10-26", "2025-10-29", zone).rows().getFirst().values())
        .containsExactly(25, 26, 27);
    var hours = set("day then shift 1d", 0, Durations.HOUR, MIN * 10);
    assertThat(hours.rows()).isNotEmpty();
  }

  @Test
  void weeksBeginOnMondays() {
    for (var zone : List.of(ZoneId.of("UTC"), ZoneId.of("Europe/Berlin"))) {
      var at = LocalDate.parse("2025-10-29").atStartOfDay(zone).toInstant().toEpochMilli();
      var grid = Grid.covering(at, at + 1, Durations.WEEK, 0, zone);
      assertThat(Instant.ofEpochMilli(grid.time(0)).atZone(zone).toLocalDate())
          .isEqualTo(LocalDate.parse("2025-10-27"));
    }
  }

  @Test
  void aMeanOfTheLargestNumbersIsThere() {
    add("huge", MetricKind.GAUGE, 10_000, 10 * MIN, t -> 1.7e308);
    for (var q :
        List.of(
            "huge",
            "huge then mean every 1m",
            "huge then times 1 then mean over 5m",
            "huge then mean")) {
      assertThat(values(q, 0, 10 * MIN, MIN)[7]).as(q).isEqualTo(1.7e308, within(1e294));
    }
    assertThat(values("huge then sum every 1m", 0, 10 * MIN, MIN)).containsOnly(Double.NaN);
  }

  @Test
  void aFallByRoundingIsNoReset() {
    add("c", MetricKind.COUNTER, 10_000, 10 * MIN, t -> 1e6 - (t / 10_000 % 2) * 1e-7);
    assertThat(values("c then increase every 1m", 0, 5 * MIN, MIN)[2]).isLessThan(1);
  }

  @Test
  void bucketsAndGroupsInOneStepAreTwoSteps() {
    assertThat(Printer.print(Parser.parse("m then mean every 1m by host")))
        .isEqualTo("m then mean every 1m then mean by host");
    assertThat(Printer.print(Parser.parse("m then count over 5m without host then top 2")))
        .isEqualTo("m then count over 5m then sum without host then top 2");
    assertThatThrownBy(() -> Parser.parse("m then p95 every 1m by host"))
        .hasMessageContaining("p95 every 1m then max by host");
    assertThatThrownBy(() -> Parser.parse("m then avg")).hasMessageContaining("did you mean mean?");
  }

  @Test
  void theRestHasTheSignOfTheDividend() {
    add("m", MetricKind.GAUGE, 10_000, MIN, t -> -7);
    assertThat(values("m % 3", 0, MIN, MIN)).containsExactly(-1);
    assertThat(values("7 % -3 + m * 0", 0, MIN, MIN)).containsExactly(1);
    assertThat(values("m * 0 - 2 ^ 2", 0, MIN, MIN))
        .as("a power binds tighter")
        .containsExactly(-4);
  }
}
