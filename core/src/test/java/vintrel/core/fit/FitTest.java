package vintrel.core.fit;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.BooleanSupplier;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.panel.Need;
import vintrel.core.query.Evaluator;
import vintrel.core.query.MemorySource;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Shapes that people have, kinds that they want, and what Fit proposes; each proposal is run. */
class FitTest {
  private static final long MINUTE = 60_000;
  private static final long TO = 60 * MINUTE;

  private final MemorySource source = new MemorySource();
  private final ExternalSource outside = new Outside();
  private final Random random = new Random(7);

  FitTest() {
    for (int h = 0; h < 24; h++) {
      var site = List.of("north-quay", "mid-isles", "south-reach").get(h % 3);
      gauge("cpu", "%", "host", "h-" + h, "site", site);
      counter("net.bytes", "By", "host", "h-" + h, "site", site, "direction", "in");
      counter("net.bytes", "By", "host", "h-" + h, "site", site, "direction", "out");
    }
    for (int g = 0; g < 11; g++) {
      for (var result : List.of("passed", "refused")) {
        counter("scans", "", "gate", "gate-" + g, "result", result);
      }
    }
    for (var status : List.of("200", "404", "500")) {
      counter("requests", "", "status", status);
    }
    counter("bookings", "");
    gauge("temperature", "Cel");
    for (var le : List.of("0.1", "0.5", "1", "+Inf")) {
      for (var service : List.of("booking", "boarding")) {
        for (var host : List.of("a", "b")) {
          counter("latency.bucket", "", "service", service, "host", host, "le", le);
        }
      }
    }
    for (int k = 0; k < 60; k++) {
      gauge("depth", "m", "buoy", "b-" + k);
    }
    for (var way : List.of("read", "write")) {
      for (var disk : List.of("sda", "sdb")) {
        gauge("disk.wait", "s", "disk", disk, "way", way);
      }
    }
  }

  private void gauge(String metric, String unit, String... labels) {
    var times = new long[120];
    var values = new double[times.length];
    for (int i = 0; i < times.length; i++) {
      times[i] = i * MINUTE / 2;
      values[i] = 10 + 50 * random.nextDouble();
    }
    source.add(metric, MetricKind.GAUGE, unit, Labels.of(labels), Samples.of(times, values));
  }

  private void counter(String metric, String unit, String... labels) {
    var times = new long[120];
    var values = new double[times.length];
    double at = 0;
    for (int i = 0; i < times.length; i++) {
      times[i] = i * MINUTE / 2;
      values[i] = at += random.nextInt(1, 20);
    }
    source.add(metric, MetricKind.COUNTER, unit, Labels.of(labels), Samples.of(times, values));
  }

  /** Log records of two hosts, and a database with bookings. */
  private static final class Outside implements ExternalSource {
    private static final List<String> LEVELS = List.of("info", "info", "warning", "error");

    @Override
    public Frame events(
        String store,
        Condition where,
        long from,
        long to,
        long max,
        BooleanSupplier cancelled,
        vintrel.core.store.MemoryClaim memory) {
      var times = new long[120];
      Arrays.setAll(times, i -> i * MINUTE / 2);
      return new Frame(
          "events",
          List.of(
              new Column.Time("time", times),
              texts("level", i -> LEVELS.get(i % 4)),
              texts("text", i -> "ticket " + i),
              texts("host", i -> i % 2 == 0 ? "a" : "b"),
              texts("fields", i -> "{}")));
    }

    private static Column.Text texts(String name, java.util.function.IntFunction<String> each) {
      var out = new String[120];
      Arrays.setAll(out, each);
      return new Column.Text(name, out);
    }

    @Override
    public Map<Labels, long[]> eventTimes(
        String store,
        Condition where,
        long from,
        long to,
        long max,
        BooleanSupplier cancelled,
        vintrel.core.store.MemoryClaim memory) {
      var out = new LinkedHashMap<Labels, long[]>();
      Frames.toSeries(events(store, where, from, to, max, cancelled, memory))
          .rows()
          .forEach(r -> out.put(r.labels(), r.raw().times()));
      return out;
    }

    @Override
    public Frame sql(
        String store,
        String statement,
        long from,
        long to,
        long step,
        BooleanSupplier cancelled,
        vintrel.core.store.MemoryClaim memory) {
      return switch (statement) {
        case "by hour" ->
            new Frame(
                "",
                List.of(
                    new Column.Time("at", new long[] {0, 0, MINUTE, MINUTE}),
                    new Column.Text("status", new String[] {"paid", "open", "paid", "open"}),
                    Column.Number.of("n", "", new double[] {4, 1, 6, 2})));
        case "by route" ->
            new Frame(
                "",
                List.of(
                    new Column.Text("route", new String[] {"north", "isles"}),
                    Column.Number.of("passengers", "", new double[] {120, 310})));
        default -> new Frame("", List.of(Column.Number.of("n", "", new double[] {42})));
      };
    }
  }

  private static Arguments of(String what, String query, Need need, String... first) {
    return Arguments.of(what, query, need, List.of(first));
  }

  /** What somebody has, what it shall become, and the steps of the proposals, best first. */
  static Stream<Arguments> cases() {
    return Stream.of(
        of(
            "many hosts to a ranking",
            "cpu",
            Need.NAMED_NUMBERS,
            "group by host: last value | sort by value descending | limit 15",
            "group by host: max value | sort by value descending | limit 15",
            "group by site: max value | sort by value descending"),
        of(
            "counters to totals for each label, sorted, the first 15",
            "net.bytes where direction = 'in'",
            Need.NAMED_NUMBERS,
            "increase | group by host: sum value | sort by value descending | limit 15"),
        of(
            "counters with two labels to totals",
            "scans",
            Need.NAMED_NUMBERS,
            "increase | group by gate, result: sum value | sort by value descending | limit 15",
            "increase | group by gate, result: max value | sort by value descending | limit 15",
            "increase | group by gate: sum value | sort by value descending"),
        of(
            "a table that nobody sorted",
            "sql 'shop' \"\"\"by route\"\"\"",
            Need.NAMED_NUMBERS,
            "sort by passengers descending"),
        of(
            "rates to a ranking of what they are now",
            "scans where result = 'refused' then rate per minute",
            Need.NAMED_NUMBERS,
            "group by gate: last value | sort by value descending",
            "group by gate: max value | sort by value descending"),
        of("one counter to a rate", "bookings", Need.SERIES, "rate"),
        of("counters to rates", "scans where result = 'refused'", Need.SERIES, "rate", "increase"),
        of("too many counters to rates by site", "net.bytes", Need.SERIES, "rate | sum by host"),
        of(
            "status counts to a named series for each status",
            "requests then increase",
            Need.SERIES,
            "label as 'status {status}'"),
        of(
            "counters of a status to named series",
            "requests",
            Need.SERIES,
            "rate | label as 'status {status}'",
            "increase | label as 'status {status}'"),
        of("too many series to the highest", "depth", Need.SERIES, "top 10 by max", "mean"),
        of(
            "a histogram to quantiles",
            "latency.bucket",
            Need.SERIES,
            "rate | quantile 0.95 by host, service"),
        of(
            "rates of a histogram to quantiles",
            "latency.bucket then rate then sum by service, le",
            Need.SERIES,
            "quantile 0.95 by service",
            "quantile 0.5 by service"),
        of(
            "a histogram without other labels to a quantile",
            "latency.bucket then rate then sum by le",
            Need.SERIES,
            "quantile 0.95"),
        of(
            "a histogram to a number",
            "latency.bucket then rate then sum by le",
            Need.NUMBER,
            "quantile 0.95"),
        of(
            "a histogram to a ranking of services",
            "latency.bucket then rate then sum by service, le",
            Need.NAMED_NUMBERS,
            "quantile 0.95 by service | group by service: last value | sort by value descending"),
        of("events to counts by level", "events", Need.SERIES, "count every 1m | sum by level"),
        of(
            "events to a ranking of levels",
            "events",
            Need.NAMED_NUMBERS,
            "group by level: count text | sort by text descending"),
        of("events to one number", "events", Need.NUMBER, "count every 1m | sum"),
        of("percentages to one number", "cpu", Need.NUMBER, "mean", "max"),
        of(
            "percentages of one site to one number",
            "cpu where site = 'mid-isles'",
            Need.NUMBER,
            "mean",
            "max"),
        of("counters to one number", "net.bytes", Need.NUMBER, "rate | sum"),
        of("counts to one number", "scans then increase every 5m", Need.NUMBER, "sum", "max"),
        of(
            "a table of times, texts and numbers to series",
            "sql 'shop' \"\"\"by hour\"\"\" then where n > 0",
            Need.SERIES,
            "columns"),
        of(
            "a table with times to a ranking",
            "sql 'shop' \"\"\"by hour\"\"\" then where n > 0",
            Need.NAMED_NUMBERS,
            "group by status: sum n | sort by n descending"),
        of(
            "a table of rows to a number",
            "sql 'shop' \"\"\"by hour\"\"\" then where status = 'paid'",
            Need.NUMBER,
            "columns"),
        of(
            "a table of names to one number",
            "cpu then group by host: max value",
            Need.NUMBER,
            "sort by value descending | limit 1"),
        of("series to bins", "cpu", Need.BINS, "bins 20"),
        of("counters to bins", "scans", Need.BINS, "rate | bins 20", "increase | bins 20"),
        of("series to cells", "cpu then mean by site", Need.CELLS, "cells 24 by 30"),
        of("buckets to cells", "latency.bucket", Need.CELLS, "increase | cells 24 by 30"),
        of("buckets to bins", "latency.bucket", Need.BINS, "increase | bins 20"),
        of(
            "increases of buckets to cells",
            "latency.bucket then increase then sum by le",
            Need.CELLS,
            "cells 24 by 30"),
        of(
            "ratios by two labels to a ranking",
            "disk.wait",
            Need.NAMED_NUMBERS,
            "group by disk, way: last value | sort by value descending"),
        of(
            "the shares of gates to a ranking",
            "scans then rate then sum by gate then share",
            Need.NAMED_NUMBERS,
            "group by gate: last value | sort by value descending"),
        of(
            "the last shown line that does not fit",
            "a: cpu then mean\nhidden b: bookings\nc: bookings",
            Need.SERIES,
            "rate"),
        of(
            "arithmetic of lines to a number",
            "hidden r: scans where result = 'refused' then rate then sum by gate\n"
                + "hidden all: scans then rate then sum by gate\n"
                + "share: r / all * 100",
            Need.NUMBER,
            "mean",
            "max"),
        of("a chain with a step that is off", "bookings then off rate", Need.SERIES, "rate"));
  }

  private Answer run(String query) {
    return new Evaluator(source, outside, Limits.DEFAULT)
        .evaluate(Parser.parse(query), Request.range(0, TO, MINUTE));
  }

  private Fit.Result fit(String query, Need need) {
    return Fit.of(Parser.parse(query), run(query), need, 0, TO);
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("cases")
  void proposesTheShortestChains(String what, String query, Need need, List<String> first) {
    var result = fit(query, need);
    assertThat(result.proposals().stream().map(p -> String.join(" | ", p.steps())).toList())
        .startsWith(first.toArray(String[]::new));
    assertThat(result.proposals()).hasSizeLessThanOrEqualTo(Fit.MAX);
    assertThat(result.proposals().stream().map(Fit.Proposal::text)).doesNotHaveDuplicates();
    for (var p : result.proposals()) {
      var lines = run(p.query()).lines();
      var line =
          lines.stream().filter(l -> l.name().equals(result.line())).findFirst().orElseThrow();
      assertMeets(Frames.of(line), need, p.query());
      // What is applied fits, and is not proposed again.
      var again = fit(p.query(), need);
      assertThat(again.fits()).as(p.query()).isTrue();
      assertThat(again.proposals()).as(p.query()).isEmpty();
    }
  }

  /** The same of the real result, without Fit's own notion of a shape. */
  private static void assertMeets(Frame frame, Need need, String query) {
    var numbers = frame.numbers();
    switch (need) {
      case SERIES -> {
        assertThat(frame.drawable()).as(query).isTrue();
        assertThat(numbers.size()).as(query).isBetween(1, 30);
      }
      case NUMBER -> assertThat(numbers).as(query).hasSize(1);
      case NAMED_NUMBERS -> {
        assertThat(frame.time()).as(query).isNull();
        assertThat(frame.rows()).as(query).isBetween(1, 15);
        assertThat(numbers).as(query).hasSize(1);
        var values = numbers.getFirst().values();
        for (int i = 1; i < values.length; i++) {
          assertThat(values[i]).as(query).isLessThanOrEqualTo(values[i - 1]);
        }
        var names = new ArrayList<List<String>>();
        for (int i = 0; i < frame.rows(); i++) {
          var name = new ArrayList<String>();
          for (var c : frame.columns()) {
            if (c instanceof Column.Text t) {
              name.add(t.values()[i]);
            }
          }
          names.add(name);
        }
        assertThat(names).as(query).doesNotHaveDuplicates();
      }
      case BINS, CELLS ->
          assertThat(frame.rows())
              .as(query)
              .isGreaterThanOrEqualTo(query.startsWith("latency") ? 4 : 8);
      case ROWS, NOTHING -> {}
    }
  }

  @Test
  void proposesNothingForWhatFits() {
    for (var query :
        List.of(
            "cpu",
            "temperature",
            "scans then rate",
            "requests then rate then label as 'x {status}'")) {
      assertThat(fit(query, Need.SERIES).fits()).as(query).isTrue();
      assertThat(fit(query, Need.SERIES).proposals()).as(query).isEmpty();
    }
    assertThat(fit("sql 'shop' \"\"\"by route\"\"\"", Need.NAMED_NUMBERS).fits()).isTrue();
    assertThat(fit("sql 'shop' \"\"\"one\"\"\"", Need.NUMBER).fits()).isTrue();
    assertThat(fit("temperature", Need.NUMBER).fits()).isTrue();
    assertThat(fit("events", Need.ROWS).fits()).isTrue();
    assertThat(fit("cpu", Need.NOTHING).fits()).isTrue();
  }

  @Test
  void knowsNoWayForWhatHasNoTimes() {
    var result = fit("sql 'shop' \"\"\"by route\"\"\"", Need.SERIES);
    assertThat(result.fits()).isFalse();
    assertThat(result.proposals()).isEmpty();
  }

  @Test
  void neverAddsWhatDoesNotAddUp() {
    for (var need : Need.values()) {
      for (var query :
          List.of("cpu", "latency.bucket", "disk.wait", "scans then rate then share")) {
        for (var p : fit(query, need).proposals()) {
          assertThat(p.query()).doesNotContain("sum value", "mean of percent");
          assertThat(run(p.query()).advice()).as(p.query()).isEmpty();
        }
      }
    }
  }

  @Test
  void saysWhatALineGives() {
    assertThat(fit("scans", Need.SERIES).gives()).isEqualTo("22 series × 60 points, counters");
    assertThat(fit("events", Need.SERIES).gives()).isEqualTo("events, table 120 × 5");
    assertThat(fit("latency.bucket", Need.SERIES).gives()).endsWith(", histogram buckets");
    assertThat(fit("cpu", Need.NUMBER).gives()).isEqualTo("24 series × 60 points");
  }

  @Test
  void keepsOtherLinesAndTheirNames() {
    var result = fit("a: cpu then mean\nhidden b: bookings\nc: bookings", Need.SERIES);
    assertThat(result.line()).isEqualTo("c");
    assertThat(result.proposals().getFirst().query())
        .isEqualTo("a: cpu then mean\nhidden b: bookings\nc: bookings then rate");
  }
}
