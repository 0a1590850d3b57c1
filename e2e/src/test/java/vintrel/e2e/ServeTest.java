package vintrel.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/**
 * {@code ./vintrel serve}: a server that ends by a fault is started again, one that is stopped is
 * not.
 */
class ServeTest {
  private static final Path ROOT = Path.of("").toAbsolutePath().getParent();

  @TempDir Path folder;
  private Process script;
  private Path output;

  @AfterEach
  void leaveNothingBehind() {
    script.descendants().forEach(ProcessHandle::destroyForcibly);
    script.destroyForcibly();
  }

  private static boolean ready(int port) {
    try {
      var request =
          HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/health/ready"));
      var answer =
          HttpClient.newHttpClient().send(request.build(), HttpResponse.BodyHandlers.discarding());
      return answer.statusCode() == 200;
    } catch (IOException e) {
      return false;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    }
  }

  private void await(String what, BooleanSupplier condition) throws IOException {
    long end = System.nanoTime() + TimeUnit.MINUTES.toNanos(2);
    while (!condition.getAsBoolean()) {
      assertThat(System.nanoTime()).as(what + "\n" + Files.readString(output)).isLessThan(end);
      LockSupport.parkNanos(100_000_000);
    }
  }

  private boolean says(String text) {
    try {
      return Files.readString(output).contains(text);
    } catch (IOException e) {
      return false;
    }
  }

  private ProcessHandle server() {
    return script
        .children()
        .filter(p -> p.info().command().orElse("").endsWith("java"))
        .findFirst()
        .orElse(null);
  }

  @Test
  void aServerThatIsKilledIsStartedAgainAndOneThatIsStoppedIsNot() throws Exception {
    int port;
    try (var socket = new ServerSocket(0)) {
      port = socket.getLocalPort();
    }
    output = folder.resolve("output");
    var command =
        new ProcessBuilder(
                ROOT.resolve("vintrel").toString(),
                "serve",
                "--port",
                "" + port,
                "--listen",
                "127.0.0.1",
                "--data",
                folder.resolve("data").toString())
            .redirectErrorStream(true)
            .redirectOutput(output.toFile());
    command.environment().put("VINTREL_AOT", "off");
    command.environment().put("VINTREL_GRPC_PORT", "0");
    script = command.start();
    // The script has to have seen it too: before that a failed server is a failed start.
    await("ready", () -> ready(port) && server() != null && says("vintrel: ready on"));
    var first = server();
    assertThat(first.info().arguments().orElseThrow())
        .as("a full heap ends the process")
        .contains("-XX:+ExitOnOutOfMemoryError");
    first.destroyForcibly();
    await("again", () -> ready(port) && server() != null && server().pid() != first.pid());
    var second = server();
    script.destroy();
    assertThat(script.waitFor(30, TimeUnit.SECONDS)).isTrue();
    assertThat(script.exitValue()).isZero();
    assertThat(second.isAlive()).isFalse();
    assertThat(Files.readString(output))
        .contains("restarting in 1 s", "vintrel: stopped")
        .doesNotContain("WARN", "ERROR");
  }
}
