package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

class ScrapeTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  @Test
  void aTargetIsReadAndItsHealthIsTold() throws IOException {
    var target = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    target.createContext(
        "/metrics",
        x -> {
          var page = "# TYPE scans counter\nscans_total{gate=\"north-1\"} 17\n# EOF\n".getBytes();
          x.sendResponseHeaders(200, page.length);
          x.getResponseBody().write(page);
          x.close();
        });
    target.createContext(
        "/empty",
        x -> {
          x.sendResponseHeaders(200, 6);
          x.getResponseBody().write("# EOF\n".getBytes());
          x.close();
        });
    target.start();
    var url = "http://127.0.0.1:" + target.getAddress().getPort();
    var answer =
        server.post(
            "/api/v1/definitions",
            "application/yaml",
            "kind: job\nname: gates\nevery: 1s\ntargets: [%s/metrics, %s/nothing, %s/empty]\nlabels: {site: north-quay}"
                .formatted(url, url, url));
    assertThat(answer.body()).contains("\"what\":\"made\"");
    var jobs = server.bean(ScrapeJobs.class);
    RunningServer.await(
        "all targets read",
        () -> gates(jobs).stream().allMatch(h -> h.at() > 0) && gates(jobs).size() == 3);
    assertThat(gates(jobs))
        .extracting(h -> h.target().url().replace(url, "") + " " + h.up() + " " + h.fault())
        .containsExactly(
            "/empty true ",
            "/metrics true ",
            "/nothing false the target returned HTTP 404; check the path");
    assertThat(
            server
                .query(
                    "scans_total where site = 'north-quay' and job = 'gates' then last every 1h",
                    "-1h",
                    "now")
                .body())
        .contains("17.0");
    assertThat(server.found("scrape.up then min every 1h", "-1h", "now")).contains("/nothing");
    target.stop(0);
  }

  @Test
  void whatVanishesFromAPageOrWithItsTargetEndsAtOnce() throws IOException {
    var lines = new java.util.concurrent.atomic.AtomicReference<>("berth 1\nramp 2\n");
    var target = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    target.createContext(
        "/metrics",
        x -> {
          var page = (lines.get() + "# EOF\n").getBytes();
          x.sendResponseHeaders(200, page.length);
          x.getResponseBody().write(page);
          x.close();
        });
    target.start();
    var url = "http://127.0.0.1:" + target.getAddress().getPort() + "/metrics";
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: job\nname: quay\nevery: 1s\ntargets: [%s]".formatted(url));
    RunningServer.await("both are there", () -> now("berth").contains("1.0") && has("ramp"));
    lines.set("berth 1\n");
    RunningServer.await("the ramp has ended", () -> !has("ramp"));
    assertThat(has("berth")).isTrue();
    assertThat(server.found("ramp then last every 1h", "-1h", "now")).contains("2.0");
    lines.set("berth 1\nramp 3\n");
    RunningServer.await("it is back", () -> has("ramp"));
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: job\nname: quay\npaused: true\nevery: 1s\ntargets: [%s]".formatted(url));
    RunningServer.await("a job that is paused ends all", () -> !has("ramp") && !has("berth"));
    target.stop(0);
  }

  private static boolean has(String metric) {
    return !now(metric).contains("null");
  }

  private static String now(String metric) {
    return server
        .post(
            "/api/v1/query",
            "application/json",
            "{\"query\": \"%s\", \"at\": \"now\"}".formatted(metric))
        .body();
  }

  private static java.util.List<ScrapeJobs.Health> gates(ScrapeJobs jobs) {
    return jobs.health().stream().filter(h -> h.job().equals("gates")).toList();
  }

  @Test
  void aSecretGoesOnlyWhereItWentBefore() {
    var text =
        "kind: job\n"
            + "name: sealed\n"
            + "every: 1h\n"
            + "headers: {Authorization: Bearer gate-word}\n"
            + "targets: [http://127.0.0.1:9/metrics]";
    assertThat(server.post("/api/v1/definitions", "application/yaml", text).statusCode())
        .isEqualTo(200);
    var stored = server.send(server.to("/api/v1/definitions?kind=job")).body();
    assertThat(stored).doesNotContain("gate-word").contains("secret://header/");
    var reference = stored.replaceAll("(?s).*(secret://header/[0-9a-f]{16}).*", "$1");
    var same = text.replace("Bearer gate-word", reference);
    assertThat(server.post("/api/v1/definitions", "application/yaml", same).statusCode())
        .isEqualTo(200);
    for (var other :
        java.util.List.of(
            same.replace("127.0.0.1:9/", "127.0.0.1:10/"),
            same.replace("sealed", "other"),
            same.replace("http://127", "https://127"),
            same + "\nfile: list.txt",
            same.replace("/metrics]", "/metrics, http://evil.example/metrics]"))) {
      var answer = server.post("/api/v1/definitions", "application/yaml", other);
      assertThat(answer.statusCode()).as(other).isEqualTo(422);
      assertThat(answer.body()).contains("enter it again");
    }
  }
}
