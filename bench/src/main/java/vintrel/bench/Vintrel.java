package vintrel.bench;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/** A server process under measurement. */
final class Vintrel implements AutoCloseable {
  static final String TOKEN = "bench";
  static final int PORT = 19420;
  static final HttpClient HTTP = HttpClient.newHttpClient();

  final Process process;

  private Vintrel(Process process) {
    this.process = process;
  }

  static Path java() {
    return Path.of(System.getProperty("java.home"), "bin", "java");
  }

  static Vintrel start(Path jar, Path data, List<String> jvm, String... settings)
      throws IOException {
    var command =
        new ArrayList<>(
            List.of(java().toString(), "-Xmx1g", "-XX:+UseG1GC", "-XX:G1HeapRegionSize=4m"));
    command.addAll(
        List.of("--enable-native-access=ALL-UNNAMED", "--sun-misc-unsafe-memory-access=allow"));
    command.addAll(jvm);
    // To compare settings of the machine.
    var more = System.getProperty("vintrel.jvm", "");
    command.addAll(more.isEmpty() ? List.of() : List.of(more.split(" ")));
    command.addAll(
        List.of("-jar", jar.toString(), "--server.port=" + PORT, "--vintrel.data=" + data));
    command.addAll(List.of("--vintrel.bootstrap-token=" + TOKEN));
    command.addAll(List.of(settings));
    var process =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.DISCARD)
            .start();
    return new Vintrel(process);
  }

  /** Asks for a page until it is served. */
  void await(String path) throws InterruptedException {
    while (status(path) != 200) {
      if (!process.isAlive()) {
        throw new IllegalStateException("the server died");
      }
      Thread.sleep(5);
    }
  }

  private static int status(String path) throws InterruptedException {
    try {
      var request = HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + PORT + path)).build();
      return HTTP.send(request, HttpResponse.BodyHandlers.discarding()).statusCode();
    } catch (IOException e) {
      return 0;
    }
  }

  static HttpResponse<String> post(String path, String type, byte[] body)
      throws IOException, InterruptedException {
    return HTTP.send(
        HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + PORT + path))
            .header("Authorization", "Bearer " + TOKEN)
            .header("Content-Type", type)
            .POST(HttpRequest.BodyPublishers.ofByteArray(body))
            .build(),
        HttpResponse.BodyHandlers.ofString());
  }

  /** What the process holds in memory. */
  double residentMegabytes() throws IOException {
    return Files.readAllLines(Path.of("/proc/" + process.pid() + "/status")).stream()
        .filter(l -> l.startsWith("VmRSS"))
        .mapToDouble(l -> Double.parseDouble(l.replaceAll("\\D+", "")) / 1024)
        .findFirst()
        .orElse(Double.NaN);
  }

  @Override
  public void close() throws InterruptedException {
    process.destroy();
    process.waitFor();
  }
}
