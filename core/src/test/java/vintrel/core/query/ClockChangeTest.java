package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.time.ZoneId;
import java.util.Arrays;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Buckets shifted by days around the days on which clocks change; first buckets that are cut. */
class ClockChangeTest {
  private static final long MINUTE = 60_000;
  private static final ZoneId BERLIN = ZoneId.of("Europe/Berlin");
  private final MemorySource source = new MemorySource();

  private static long at(String time) {
    return Instant.parse(time).toEpochMilli();
  }

  /** A sample every five minutes, whose value is its time in minutes. */
  private void minutes(String from, String to) {
    int n = (int) ((at(to) - at(from)) / (5 * MINUTE));
    var times = new long[n];
    Arrays.setAll(times, i -> at(from) + i * 5 * MINUTE);
    var values = Arrays.stream(times).mapToDouble(t -> t / (double) MINUTE).toArray();
    source.add("m", MetricKind.GAUGE, "", Labels.NONE, Samples.of(times, values));
  }

  private SeriesSet ask(String text, String from, String to, ZoneId zone) {
    var request = Request.range(at(from), at(to), 5 * MINUTE).at(zone);
    return new Evaluator(source, Limits.DEFAULT)
        .evaluate(Parser.parse(text), request)
        .lines()
        .getFirst()
        .set();
  }

  @ParameterizedTest
  @CsvSource({"1h", "30m", "15m"})
  void toAnHourThatTheClockLeftOutNothingCorresponds(String width) {
    minutes("2026-03-27T00:00:00Z", "2026-04-01T00:00:00Z");
    var set =
        ask(
            "m then last every " + width + " then shift 1d",
            "2026-03-29T22:00:00Z",
            "2026-03-30T04:00:00Z",
            BERLIN);
    var values = set.rows().getFirst().values();
    var grid = Sets.grid(set);
    for (int i = 0; i < values.length; i++) {
      // 29 March has no 02:00 to 03:00 in Berlin: on the 30th that is from 00:00 to 01:00 UTC.
      boolean leftOut =
          grid.time(i) >= at("2026-03-30T00:00:00Z") && grid.time(i) < at("2026-03-30T01:00:00Z");
      assertThat(Double.isNaN(values[i]))
          .as("%s at %s", width, Instant.ofEpochMilli(grid.time(i)))
          .isEqualTo(leftOut);
    }
  }

  @ParameterizedTest
  @CsvSource({
    "Europe/Berlin, 2026-03-29T22:00:00Z, 2026-03-30T01:00:00Z",
    "Europe/Berlin, 2026-03-29T20:00:00Z, 2026-03-30T00:00:00Z",
    "Europe/Berlin, 2026-10-25T00:00:00Z, 2026-10-26T01:00:00Z",
    "Europe/Berlin, 2026-10-26T00:00:00Z, 2026-10-26T02:00:00Z",
    "Europe/Lisbon, 2026-03-29T23:00:00Z, 2026-03-30T01:00:00Z",
    "Europe/Lisbon, 2026-10-25T23:00:00Z, 2026-10-26T01:30:00Z"
  })
  void noBucketLiesOutsideTheRange(String zone, String from, String to) {
    minutes(
        from.startsWith("2026-03") ? "2026-03-25T00:00:00Z" : "2026-10-20T00:00:00Z",
        from.startsWith("2026-03") ? "2026-04-01T00:00:00Z" : "2026-10-28T00:00:00Z");
    for (var shift : new String[] {"1d", "2d", "1w"}) {
      var set = ask("m then last every 30m then shift " + shift, from, to, ZoneId.of(zone));
      var grid = Sets.grid(set);
      assertThat(grid.time(0)).as(shift).isBetween(at(from) - 30 * MINUTE + 1, at(from));
      assertThat(grid.time(grid.count() - 1)).as(shift).isLessThan(at(to));
      assertThat(grid.end()).as(shift).isGreaterThanOrEqualTo(at(to));
    }
  }

  @Test
  void cellsCountTheFirstBucketAsBinsDo() {
    minutes("2026-03-27T00:00:00Z", "2026-03-27T04:00:00Z");
    var from = "2026-03-27T01:07:00Z";
    var to = "2026-03-27T03:00:00Z";
    assertThat(counted(ask("m then last every 10m then cells 7 by 5", from, to, BERLIN)))
        .isEqualTo(counted(ask("m then last every 10m then bins 5", from, to, BERLIN)))
        .isEqualTo(12);
  }

  private static double counted(SeriesSet set) {
    var counts = (Column.Number) ((SeriesSet.Table) set).frame().column("count");
    return Arrays.stream(counts.values()).sum();
  }
}
