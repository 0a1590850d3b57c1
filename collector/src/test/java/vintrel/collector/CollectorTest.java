package vintrel.collector;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class CollectorTest {
  private final Input one =
      () -> List.of(new Input.Reading("host.net.sent", true, "By", 5, Map.of("interface", "e\"0")));

  @Test
  void readingsBecomeAnOtlpRequest() {
    assertThat(OtlpJsonText.request(one.read(), Map.of("host", "nq-app-1"), 1500))
        .isEqualTo(
            "{\"resourceMetrics\":[{\"resource\":{\"attributes\":[{\"key\":\"host.name\",\"value\":{\"stringValue\":\"nq-app-1\"}}]},"
                + "\"scopeMetrics\":[{\"metrics\":[{\"name\":\"host.net.sent\",\"unit\":\"By\",\"sum\":{\"isMonotonic\":true,\"aggregationTemporality\":2,"
                + "\"dataPoints\":[{\"timeUnixNano\":\"1500000000\",\"asDouble\":5.0,\"attributes\":[{\"key\":\"interface\",\"value\":{\"stringValue\":\"e\\\"0\"}}]}]}}]}]}]}");
  }

  @Test
  void whatCannotBeSentWaitsAndIsSentInOrder() throws Exception {
    var collector = new Collector(List.of(one));
    collector.server = "http://127.0.0.1:1";
    collector.read(1);
    collector.read(2);
    assertThat(collector.send("t")).isFalse();
    assertThat(collector.waiting()).isEqualTo(2);
    var taken = new ArrayList<String>();
    var server = listen(taken);
    collector.server = "http://127.0.0.1:" + server.getAddress().getPort();
    assertThat(collector.send("t")).isTrue();
    assertThat(taken).hasSize(2);
    assertThat(taken.getFirst()).contains("\"1000000\"");
    server.stop(0);
  }

  @Test
  void theQueueIsBoundedAndTheOldestGivesWay() {
    var collector = new Collector(List.of(one));
    for (int i = 0; i < Collector.MAX_WAITING + 5; i++) {
      collector.read(i);
    }
    assertThat(collector.waiting()).isEqualTo(Collector.MAX_WAITING);
    assertThat(collector.dropped()).isEqualTo(5);
  }

  @Test
  void thisHostCanBeRead() {
    var input = new HostInput();
    var readings = input.read();
    // Shares need some processor time to have passed since the reading before.
    while (readings.stream().noneMatch(r -> r.metric().equals("host.cpu.busy"))) {
      readings = input.read();
    }
    assertThat(readings)
        .extracting(Input.Reading::metric)
        .contains("host.cpu.busy", "host.cpu.mode", "host.memory.used", "host.disk.used");
    assertThat(readings).allMatch(r -> Double.isFinite(r.value()));
    var modes = readings.stream().filter(r -> r.metric().equals("host.cpu.mode"));
    assertThat(modes.mapToDouble(Input.Reading::value).sum())
        .isCloseTo(100, org.assertj.core.api.Assertions.within(1e-6));
  }

  private static HttpServer listen(List<String> taken) throws IOException {
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/v1/metrics",
        x -> {
          taken.add(new String(x.getRequestBody().readAllBytes()));
          x.sendResponseHeaders(200, -1);
          x.close();
        });
    server.start();
    return server;
  }
}
