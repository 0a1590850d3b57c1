package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;
import vintrel.server.access.Tokens;
import vintrel.server.store.DurableStore;
import vintrel.server.store.NamedStores;
import vintrel.server.web.TokenCheck;

class ImportExportTest {
  @RegisterExtension
  static final RunningServer server =
      new RunningServer("--vintrel.ingest.most-series-of-metric=50");

  private static String csv(String metric, int rows) {
    var out = new StringBuilder("metric,kind,unit,time,value,host\n");
    long start = System.currentTimeMillis() / 1000 * 1000 - rows * 1000L;
    for (int i = 0; i < rows; i++) {
      out.append("%s,counter,By,%d,%d,h%d\n".formatted(metric, start + i * 1000L, i, i % 3));
    }
    return out.toString();
  }

  private static String export(String match, String format) {
    var path = "/api/v1/export?from=-7d&format=" + format + "&match=" + match;
    return server.send(server.to(path)).body();
  }

  @Test
  void samplesGoInByCsvOutByBothFormatsAndInAgain() {
    var answer = server.post("/api/v1/import?format=csv", "text/csv", csv("io.a", 120_001));
    assertThat(answer.body()).contains("\"accepted\":120001", "\"refused\":0");
    var out = export("io.a%20where%20host%3D%27h1%27", "csv");
    assertThat(out.lines().count()).isEqualTo(40_001);
    var metrics = export("io.a", "openmetrics");
    assertThat(metrics)
        .startsWith("# TYPE \"io.a\" counter\n# UNIT \"io.a\" By\n")
        .endsWith("# EOF\n");
    var again =
        server.post(
            "/api/v1/import?format=openmetrics", "text/plain", metrics.replace("io.a", "io.b"));
    assertThat(again.body()).contains("\"accepted\":120001");
    assertThat(export("io.b", "csv").replace("io.b", "io.a")).isEqualTo(export("io.a", "csv"));
  }

  @Test
  void aWrongDocumentIsRefusedInWords() {
    assertThat(server.post("/api/v1/import?format=csv", "text/csv", "a,b\n1,2\n").body())
        .contains("column metric");
    assertThat(server.post("/api/v1/import?format=xls", "text/csv", "x").statusCode())
        .isEqualTo(400);
  }

  @Test
  void aTokenThatIsBoundToAStoreMakesItAndWritesThereAlone() {
    var token =
        server.bean(Tokens.class).make("lab sensors", TokenCheck.Scope.INGEST, "lab", "test");
    var request =
        server
            .to("/api/v1/samples")
            .setHeader("Authorization", "Bearer " + token)
            .header("Content-Type", "application/x-www-form-urlencoded");
    assertThat(server.bean(NamedStores.class).get("lab")).isNull();
    var body = java.net.http.HttpRequest.BodyPublishers.ofString("metric=lab.t&value=1");
    assertThat(server.send(request.copy().POST(body)).statusCode()).isEqualTo(200);
    assertThat(server.bean(NamedStores.class).get("lab")).isNotNull();
    assertThat(server.bean(DurableStore.class).hasMetric("lab", "lab.t")).isTrue();
    assertThat(server.bean(DurableStore.class).hasMetric("main", "lab.t")).isFalse();
    var elsewhere =
        java.net.http.HttpRequest.BodyPublishers.ofString("metric=lab.t&value=1&store=main");
    var refused = server.send(request.copy().POST(elsewhere));
    assertThat(refused.statusCode()).isEqualTo(400);
    assertThat(refused.body()).contains("only to store `lab`");
    assertThat(server.found("lab.t in lab then count", "-1h", "now")).contains("1.0");
    assertThat(server.found("lab.t in main then count", "-1h", "now"))
        .contains("no metric `lab.t` in store `main`");
  }

  @Test
  void aLabelThatExplodesIsRefusedWithItsMetricsNameAndOthersGoOn() {
    var out = new StringBuilder("[");
    for (int i = 0; i < 60; i++) {
      out.append(
          "{\"metric\": \"burst\", \"value\": 1, \"labels\": {\"id\": \"%d\"}},".formatted(i));
    }
    out.append("{\"metric\": \"calm\", \"value\": 1}]");
    var answer = server.post("/api/v1/samples", "application/json", out.toString()).body();
    assertThat(answer).contains("\"accepted\":51", "\"refused\":10", "metric burst has 50 series");
  }
}
