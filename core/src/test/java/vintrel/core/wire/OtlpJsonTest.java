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
        .isEqualTo(List.of("a data point without a time", "a data point without a value"));
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
}
