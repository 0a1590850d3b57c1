package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.File;
import java.io.IOException;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.TimeUnit;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import vintrel.server.RunningServer;

/**
 * A child JVM takes samples, is killed without warning, starts again: all it acknowledged is there.
 * {@code -Dvintrel.crashes=20} kills more often.
 */
class CrashTest {
  private static final String TOKEN = "crash-token";
  private static final int KILLS = Integer.getInteger("vintrel.crashes", 2);
  private final HttpClient http = HttpClient.newHttpClient();
  @TempDir Path data;
  private int port;

  private Process start() throws IOException {
    var process =
        new ProcessBuilder(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx400m",
                "-XX:TieredStopAtLevel=1",
                "-cp",
                System.getProperty("java.class.path"),
                "vintrel.server.VintrelServer",
                "--server.port=" + port,
                "--vintrel.data=" + data,
                "--vintrel.bootstrap-token=" + TOKEN)
            .redirectErrorStream(true)
            .redirectOutput(new File(data.toFile(), "child.log"))
            .start();
    RunningServer.await(
        "the child to be ready", () -> status("/health/ready", null) == 200 || !process.isAlive());
    assertThat(process.isAlive()).isTrue();
    return process;
  }

  private int status(String path, String body) {
    var request =
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + path))
            .header("Authorization", "Bearer " + TOKEN)
            .header("Content-Type", "application/json");
    if (body != null) {
      request.POST(HttpRequest.BodyPublishers.ofString(body));
    }
    try {
      return http.send(request.build(), HttpResponse.BodyHandlers.discarding()).statusCode();
    } catch (IOException e) {
      return 0;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return 0;
    }
  }

  @Test
  void nothingThatWasAcknowledgedIsLostWhenTheProcessIsKilled() throws Exception {
    try (var socket = new ServerSocket(0)) {
      port = socket.getLocalPort();
    }
    var acknowledged = new ConcurrentLinkedQueue<Integer>();
    long base = System.currentTimeMillis() - 3_000_000;
    int next = 0;
    var random = new Random(17);
    for (int round = 0; round < KILLS; round++) {
      var child = start();
      int[] from = {next};
      var writers = new ArrayList<Thread>();
      for (int w = 0; w < 4; w++) {
        int lane = w;
        writers.add(Thread.startVirtualThread(() -> write(from[0], lane, base, acknowledged)));
      }
      int before = acknowledged.size();
      RunningServer.await(
          "some acknowledged samples",
          () -> acknowledged.size() > before + 100 + random.nextInt(200));
      child.destroyForcibly().waitFor(10, TimeUnit.SECONDS);
      for (var writer : writers) {
        writer.join();
      }
      next += 100_000;
    }
    spoilTheEnd();
    var child = start();
    var found = values(base);
    assertThat(acknowledged).hasSizeGreaterThan(100 * KILLS);
    assertThat(found).containsAll(acknowledged);
    child.destroyForcibly().waitFor(10, TimeUnit.SECONDS);
  }

  /** What a dying disk controller may leave behind what was written last. */
  private void spoilTheEnd() throws IOException {
    try (var files = Files.list(data.resolve("journal"))) {
      var newest = files.max(java.util.Comparator.naturalOrder()).orElseThrow();
      Files.write(newest, new byte[777], StandardOpenOption.APPEND);
    }
  }

  /** Each sample has a time and a value of its own; it counts once the answer 200 is read. */
  private void write(int from, int lane, long base, ConcurrentLinkedQueue<Integer> acknowledged) {
    for (int i = from + lane; ; i += 4) {
      var body =
          "{\"metric\": \"crash\", \"value\": %d, \"labels\": {\"lane\": \"%d\"}, \"time\": \"%d\"}"
              .formatted(i, lane, base + i);
      if (status("/api/v1/samples", body) != 200) {
        return;
      }
      acknowledged.add(i);
    }
  }

  /** All values in the store, one bucket a millisecond around if each round wrote. */
  private List<Integer> values(long base) throws IOException, InterruptedException {
    var out = new ArrayList<Integer>();
    for (int round = 0; round < KILLS; round++) {
      long from = base + round * 100_000L;
      var body =
          "{\"query\": \"crash\", \"from\": %d, \"to\": %d, \"step\": \"1ms\"}"
              .formatted(from, from + 50_000);
      var request =
          HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/api/v1/query"))
              .header("Authorization", "Bearer " + TOKEN)
              .header("Content-Type", "application/json")
              .POST(HttpRequest.BodyPublishers.ofString(body))
              .build();
      var answer = http.send(request, HttpResponse.BodyHandlers.ofString()).body();
      var numbers = Pattern.compile("\\d+\\.\\d+(E\\d)?").matcher(answer);
      int start = answer.indexOf("\"values\"");
      while (start > 0 && numbers.find(start)) {
        out.add((int) Double.parseDouble(numbers.group()));
        start = numbers.end();
      }
    }
    return out;
  }
}
