package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.File;
import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;

/** A server in a process of its own, to be killed without warning and started again. */
final class Child {
  static final String TOKEN = "child-token";
  final HttpClient http = HttpClient.newHttpClient();
  private final Path data;
  private final String memory;
  private final List<String> settings;
  private final int port;
  private Process process;

  Child(Path data, String memory, String... settings) throws IOException {
    this.data = data;
    this.memory = memory;
    this.settings = List.of(settings);
    try (var socket = new ServerSocket(0)) {
      this.port = socket.getLocalPort();
    }
  }

  void start() throws IOException {
    var command =
        new ArrayList<>(
            List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx" + memory,
                "-XX:+ExitOnOutOfMemoryError",
                "-XX:TieredStopAtLevel=1",
                "-cp",
                System.getProperty("java.class.path"),
                "vintrel.server.VintrelServer",
                "--server.port=" + port,
                "--vintrel.data=" + data,
                "--vintrel.bootstrap-token=" + TOKEN,
                "--vintrel.outbound.loopback=true"));
    command.addAll(settings);
    process =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.appendTo(new File(data.toFile(), "child.log")))
            .start();
    // A minute more than usual: machines that run tests may be busy.
    for (int i = 0; i < 600 && process.isAlive() && !ready(); i++) {
      LockSupport.parkNanos(100_000_000);
    }
    assertThat(ready()).as("the child is ready").isTrue();
  }

  boolean alive() {
    return process.isAlive();
  }

  /** SIGKILL. */
  void kill() throws InterruptedException {
    process.destroyForcibly().waitFor(10, TimeUnit.SECONDS);
  }

  boolean ready() {
    return status(HttpRequest.newBuilder(uri("/health/ready"))) == 200;
  }

  URI uri(String path) {
    return URI.create("http://127.0.0.1:" + port + path);
  }

  HttpRequest.Builder to(String path) {
    return HttpRequest.newBuilder(uri(path))
        .timeout(Duration.ofSeconds(20))
        .header("Authorization", "Bearer " + TOKEN);
  }

  HttpResponse<String> send(HttpRequest.Builder request) throws IOException {
    try {
      return http.send(request.build(), HttpResponse.BodyHandlers.ofString());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException(e);
    }
  }

  /** The status, or 0 if no answer came. */
  int status(HttpRequest.Builder request) {
    try {
      return send(request).statusCode();
    } catch (IOException e) {
      return 0;
    }
  }

  HttpResponse<String> post(String path, String type, String body) throws IOException {
    return send(
        to(path).header("Content-Type", type).POST(HttpRequest.BodyPublishers.ofString(body)));
  }
}
