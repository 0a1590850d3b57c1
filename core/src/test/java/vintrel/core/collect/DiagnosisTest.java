package vintrel.core.collect;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.collect.Diagnosis.Station;

class DiagnosisTest {
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "/v1/metrics|text/plain|415|send protobuf|# TYPE a gauge|CONTENT|Received OpenMetrics text",
        "/v1/metrics|text/plain|415|send protobuf|a_total{x=\"1\"} 4|CONTENT|Received OpenMetrics"
            + " text",
        "/v1/metrics|text/html|415|send protobuf|<!DOCTYPE html>|CONTENT|A web page came",
        "/v1/metrics|application/x-protobuf|400|bad|hello world|CONTENT|Text came, not protobuf",
        "/v1/metrics|application/json|400|the body is not JSON||CONTENT|Unsupported content",
        "/v1/traces|application/x-protobuf|404|nothing||CONTENT|Received traces",
        "/v1/metric|application/x-protobuf|404|nothing||CONTENT|The address is wrong",
        "/v1/metrics|application/json|401|no token: send||TOKEN|The request had no token",
        "/v1/metrics|application/json|401|the token is not known||TOKEN|Token rejected",
        "/v1/metrics|application/json|403|only from||TOKEN|Token lacks",
        "/v1/metrics|application/json|413|too large||CONTENT|The request is too large",
        "/v1/metrics|application/json|429|too many||STORED|Rate limit",
        "/v1/metrics|application/json|503|disk||STORED|The server is busy",
        "/v1/metrics|application/json|500|oops||STORED|The request failed",
      })
  void theFirstStationThatFailedIsNamed(
      String path, String type, int status, String reason, String head, Station at, String title) {
    var d = Diagnosis.of(path, type, status, reason, head == null ? "" : head);
    assertThat(d.station()).isEqualTo(at);
    assertThat(d.title()).startsWith(title);
    assertThat(d.text()).endsWith(".");
    assertThat(d.remedy()).endsWith(".");
  }

  @Test
  void hostileHeadsAreNoTrouble() {
    var long1 = "a{".repeat(200);
    assertThat(Diagnosis.of("/v1/metrics", "text/plain", 415, "", long1).station())
        .isEqualTo(Station.CONTENT);
  }
}
