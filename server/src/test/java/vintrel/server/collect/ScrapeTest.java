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
        () -> jobs.health().stream().allMatch(h -> h.at() > 0) && jobs.health().size() == 3);
    assertThat(jobs.health())
        .extracting(h -> h.target().replace(url, "") + " " + h.up() + " " + h.fault())
        .containsExactly(
            "/empty true ", "/metrics true ", "/nothing false the target returned HTTP 404");
    assertThat(
            server
                .query(
                    "scans_total where site = 'north-quay' and job = 'gates' then last every 1h",
                    "-1h",
                    "now")
                .body())
        .contains("17.0");
    assertThat(server.query("scrape.up then min every 1h", "-1h", "now").body())
        .contains("/nothing");
    target.stop(0);
  }
}
