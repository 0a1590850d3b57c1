package vintrel.collector;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * Whoever may edit the server's definitions does not learn what is secret on a collector's host.
 */
class FetchedInputsTest {
  @TempDir Path folder;

  private final List<String> called = new CopyOnWriteArrayList<>();
  private volatile String inputs = "";

  private static void await(BooleanSupplier condition) {
    long end = System.nanoTime() + 20_000_000_000L;
    while (!condition.getAsBoolean() && System.nanoTime() < end) {
      Thread.onSpinWait();
    }
    assertThat(condition.getAsBoolean()).isTrue();
  }

  private HttpServer server() throws Exception {
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/",
        exchange -> {
          called.add(exchange.getRequestURI().toString());
          var body =
              exchange.getRequestURI().getPath().startsWith("/api/")
                  ? inputs.getBytes(StandardCharsets.UTF_8)
                  : new byte[0];
          exchange.sendResponseHeaders(200, body.length == 0 ? -1 : body.length);
          exchange.getResponseBody().write(body);
          exchange.close();
        });
    server.start();
    return server;
  }

  private CollectorProcess start(HttpServer server, String more) throws Exception {
    var file = folder.resolve("collector.yaml");
    Files.writeString(
        file,
        "name: isles\nevery: 1s\nfetch: inputs\n"
            + more
            + "inputs:\n- {input: host, parts: [system]}\n");
    return CollectorProcess.start(
        file,
        folder.resolve("data"),
        "http://127.0.0.1:" + server.getAddress().getPort(),
        "t",
        Map.of("DB_PASSWORD", "deep-secret", "VINTREL_TOKEN", "token-secret", "GATE", "north-1"));
  }

  private static String http(HttpServer server, String path) {
    return """
    kind: collector
    name: isles
    every: 1s
    inputs:
    - {input: http, name: ask, url: "http://127.0.0.1:%d%s"}
    """
        .formatted(server.getAddress().getPort(), path);
  }

  @Test
  void variablesThatTheFileDoesNotNameAreRefused() throws Exception {
    var server = server();
    inputs = http(server, "/leak/${DB_PASSWORD}");
    try (var collector = start(server, "")) {
      await(() -> collector.told().contains("uses ${DB_PASSWORD}"));
      assertThat(collector.told()).contains("`variables` in this collector's file does not name");
    } finally {
      server.stop(0);
    }
    assertThat(called).noneMatch(c -> c.contains("leak"));
  }

  /** Not even those that are hidden from a look at the text, nor the collector's own token. */
  @Test
  void whatIsNotNamedHasNoValue() throws Exception {
    var server = server();
    inputs = http(server, "/leak/x\\u0024{DB_PASSWORD}/${VINTREL_TOKEN}/${GATE}");
    try (var collector = start(server, "variables: [GATE]\n")) {
      await(() -> called.stream().anyMatch(c -> c.startsWith("/leak/")));
    } finally {
      server.stop(0);
    }
    assertThat(called).anyMatch(c -> c.equals("/leak/x//north-1"));
    assertThat(called).noneMatch(c -> c.contains("secret"));
  }
}
