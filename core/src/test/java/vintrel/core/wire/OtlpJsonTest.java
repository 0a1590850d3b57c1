package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.yaml.snakeyaml.Yaml;

class OtlpJsonTest {
  private final RecordingIntake intake = new RecordingIntake();

  private void read(String json) {
    OtlpJson.read((Map<?, ?>) new Yaml().load(json), intake);
  }

  private static String request(String metric) {
    return """
    {"resourceMetrics": [{"resource": {"attributes": [{"key": "service.name", "value": {"stringValue": "booking"}}]},
      "scopeMetrics": [{"metrics": [%s]}]}]}\
    """
        .formatted(metric);
  }

  @Test
  void aGaugeAndASumAreTaken() {
    read(
        request(
            "{\"name\": \"g\", \"unit\": \"s\", \"gauge\": {\"dataPoints\": [{\"timeUnixNano\":"
                + " \"1500000000\", \"asDouble\": 2.5}]}}"));
    read(
        request(
            "{\"name\": \"c\", \"sum\": {\"isMonotonic\": true, \"aggregationTemporality\": 2,"
                + " \"dataPoints\": [{\"timeUnixNano\": \"2000000000\", \"asInt\": \"7\","
                + " \"attributes\": [{\"key\": \"code\", \"value\": {\"intValue\":"
                + " \"200\"}}]}]}}"));
    assertThat(intake.samples)
        .containsExactly(
            "g{service booking} gauge s @1500 = 2.5",
            "c{code 200, service booking} counter @2000 = 7.0");
  }

  @Test
  void aHistogramBecomesCumulativeBuckets() {
    read(
        request(
            "{\"name\": \"h\", \"histogram\": {\"aggregationTemporality\": 2, \"dataPoints\":"
                + " [{\"timeUnixNano\": \"1000000\", \"count\": \"6\", \"sum\": 9.5,"
                + " \"bucketCounts\": [\"1\", \"2\", \"3\"], \"explicitBounds\": [0.5, 1]}]}}"));
    assertThat(intake.samples)
        .containsExactly(
            "h.count{service booking} histogram @1 = 6.0",
            "h.sum{service booking} histogram @1 = 9.5",
            "h.bucket{le 0.5, service booking} histogram @1 = 1.0",
            "h.bucket{le 1, service booking} histogram @1 = 3.0",
            "h.bucket{le +Inf, service booking} histogram @1 = 6.0");
  }

  @Test
  void differencesAreAddedUp() {
    var point = "{\"timeUnixNano\": \"%d\", \"asInt\": 5}";
    read(
        request(
            "{\"name\": \"c\", \"sum\": {\"isMonotonic\": true, \"aggregationTemporality\": 1,"
                + " \"dataPoints\": ["
                + point.formatted(1_000_000)
                + ","
                + point.formatted(2_000_000)
                + "]}}"));
    assertThat(intake.samples).element(1).asString().endsWith("@2 = 10.0");
  }

  @Test
  void whatIsFaultyIsRefusedAndItsNeighbourTaken() {
    read(
        request(
            "{\"name\": \"g\", \"gauge\": {\"dataPoints\": [{\"asDouble\": 1}, {\"timeUnixNano\":"
                + " \"1000000\"}, {\"timeUnixNano\": \"1000000\", \"asDouble\": 3}]}}"));
    assertThat(intake.samples).hasSize(1);
    assertThat(intake.refusals)
        .isEqualTo(List.of("g: a data point without a time", "g: a data point without a value"));
  }

  @Test
  void whatIsNotARequestIsAnError() {
    assertThatThrownBy(() -> read("{\"resourceMetrics\": 5}")).isInstanceOf(WireException.class);
    assertThatThrownBy(
            () ->
                read(
                    request(
                        "{\"name\": \"g\", \"gauge\": {\"dataPoints\": [{\"timeUnixNano\":"
                            + " \"soon\"}]}}")))
        .isInstanceOf(WireException.class);
  }

  @Test
  void onlyTotalsHaveAStart() {
    var points =
        "\"dataPoints\": [{\"startTimeUnixNano\": \"1000000000\", \"timeUnixNano\":"
            + " \"2000000000\", \"asInt\": 5}]";
    read(request("{\"name\": \"g\", \"gauge\": {" + points + "}}"));
    read(
        request(
            "{\"name\": \"d\", \"sum\": {\"isMonotonic\": true, \"aggregationTemporality\": 1,"
                + points
                + "}}"));
    read(
        request(
            "{\"name\": \"c\", \"sum\": {\"isMonotonic\": true, \"aggregationTemporality\": 2,"
                + points
                + "}}"));
    assertThat(intake.samples)
        .containsExactly(
            "g{service booking} gauge @2000 = 5.0",
            "d{service booking} counter @2000 = 5.0",
            "c{service booking} counter since 1000 at 2000",
            "c{service booking} counter @2000 = 5.0");
  }

  @Test
  void twoScopesWithTheSameMetricAreTwoSeries() {
    var metric =
        "{\"name\": \"calls\", \"gauge\": {\"dataPoints\": [{\"timeUnixNano\": \"1000000\","
            + " \"asInt\": 1, \"attributes\": [{\"key\": \"scope\", \"value\": {\"stringValue\":"
            + " \"mine\"}}]}]}}";
    read(
        """
        {"resourceMetrics": [{"resource": {"attributes": [{"key": "scope", "value": {"stringValue": "r"}}]},
          "scopeMetrics": [
            {"scope": {"name": "io.tickets", "version": "1.2"}, "metrics": [%s]},
            {"scope": {"name": "io.gates", "attributes": [{"key": "a", "value": {"intValue": "7"}}]}, "metrics": [%s]}]}]}
        """
            .formatted(metric, metric));
    assertThat(intake.series)
        .containsExactly(
            "calls{resource.scope r, scope mine, scope.scope io.tickets, scope.version 1.2} gauge",
            "calls{a 7, resource.scope r, scope mine, scope.scope io.gates} gauge");
  }

  @Test
  void listsAndMapsBecomeTexts() {
    read(
        request(
            """
            {"name": "g", "gauge": {"dataPoints": [{"timeUnixNano": "1000000", "asInt": 1, "attributes": [
              {"key": "list", "value": {"arrayValue": {"values": [{"stringValue": "a"}, {"intValue": "2"}]}}},
              {"key": "map", "value": {"kvlistValue": {"values": [{"key": "k", "value": {"boolValue": true}}]}}},
              {"key": "bytes", "value": {"bytesValue": "AQI="}}]}]}}\
            """));
    assertThat(intake.series)
        .containsExactly("g{bytes AQI=, list [\"a\",2], map {\"k\":true}, service booking} gauge");
  }

  @Test
  void aSummaryKeepsItsQuantilesCountAndSum() {
    read(
        request(
            """
            {"name": "s", "unit": "milliseconds", "description": "Waiting", "summary": {"dataPoints": [{"timeUnixNano": "1000000", "count": "4",
              "sum": 9, "quantileValues": [{"quantile": 0.5, "value": 2}, {"quantile": 0.99, "value": 5}]}]}}\
            """));
    assertThat(intake.samples)
        .containsExactly(
            "s.count{service booking} histogram @1 = 4.0",
            "s.sum{service booking} histogram ms @1 = 9.0",
            "s{quantile 0.5, service booking} gauge ms @1 = 2.0",
            "s{quantile 0.99, service booking} gauge ms @1 = 5.0");
    assertThat(intake.described).containsOnlyKeys("s", "s.count", "s.sum");
  }

  @Test
  void minAndGreatestOfAHistogramAreKept() {
    read(
        request(
            """
            {"name": "h", "description": "Size", "histogram": {"aggregationTemporality": 2, "dataPoints": [{"timeUnixNano": "1000000",
              "count": "1", "min": 0.25, "max": 4, "exemplars": [{"asDouble": 4}], "bucketCounts": ["1"]}]}}\
            """));
    assertThat(intake.samples)
        .contains(
            "h.min{service booking} gauge @1 = 0.25", "h.max{service booking} gauge @1 = 4.0");
    assertThat(intake.exemplars).isEqualTo(1);
    assertThat(intake.described)
        .containsKeys("h.bucket", "h.count", "h.sum")
        .doesNotContainKey("h");
  }

  @Test
  void differencesOfAnExponentialHistogramGoOnToBoundsThatAPointDoesNotReach() {
    var form =
        """
        {"name": "e", "exponentialHistogram": {"aggregationTemporality": 1, "dataPoints": [{"timeUnixNano": "%d000000",
          "count": "%d", "scale": 0, "zeroCount": "1", "positive": {"offset": %d, "bucketCounts": %s}}]}}\
        """;
    read(request(form.formatted(1, 6, 0, "[\"2\", \"3\"]")));
    read(request(form.formatted(2, 2, 0, "[\"1\"]")));
    assertThat(intake.samples.stream().filter(x -> x.contains("@2")))
        .containsExactly(
            "e.count{service booking} histogram @2 = 8.0",
            "e.bucket{le 0, service booking} histogram @2 = 2.0",
            "e.bucket{le 1, service booking} histogram @2 = 2.0",
            "e.bucket{le 2, service booking} histogram @2 = 5.0",
            "e.bucket{le 4, service booking} histogram @2 = 8.0",
            "e.bucket{le +Inf, service booking} histogram @2 = 8.0");
  }

  @Test
  void anUpDownDifferenceIsSummed() {
    var point = "{\"timeUnixNano\": \"%d\", \"asInt\": %d}";
    read(
        request(
            "{\"name\": \"q\", \"sum\": {\"aggregationTemporality\": 1, \"dataPoints\": ["
                + point.formatted(1_000_000, 5)
                + ","
                + point.formatted(2_000_000, -2)
                + "]}}"));
    assertThat(intake.samples)
        .containsExactly("q{service booking} gauge @1 = 5.0", "q{service booking} gauge @2 = 3.0");
  }

  @Test
  void boundsThatAreRememberedAreBounded() {
    var form =
        """
        {"name": "e", "exponentialHistogram": {"aggregationTemporality": 1, "dataPoints": [{"timeUnixNano": "1000000",
          "count": "1", "scale": 0, "positive": {"offset": %d, "bucketCounts": [%s "1"]}}]}}\
        """;
    for (int i = 0; i < 9; i++) {
      read(request(form.formatted(-1000 + 200 * i, "\"0\",".repeat(400))));
    }
    assertThat(intake.bounds).hasSizeLessThanOrEqualTo(2 * Distribution.MAX_BUCKETS + 2);
    read(request(form.formatted(0, "\"0\",".repeat(3000))));
    assertThat(intake.refusals)
        .containsExactly("e: an exponential histogram with more than 2000 buckets");
  }
}
