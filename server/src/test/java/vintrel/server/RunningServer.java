package vintrel.server;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.extension.AfterAllCallback;
import org.junit.jupiter.api.extension.BeforeAllCallback;
import org.junit.jupiter.api.extension.ExtensionContext;
import org.springframework.boot.builder.SpringApplicationBuilder;
import org.springframework.boot.web.server.context.WebServerApplicationContext;
import org.springframework.context.ConfigurableApplicationContext;
import org.springframework.util.FileSystemUtils;

/** The real application on a free port and a data directory of its own, for a test class. */
public final class RunningServer implements BeforeAllCallback, AfterAllCallback {
  public static final String TOKEN = "test-token-with-all-rights";

  private final String[] settings;
  private Class<?>[] sources = {VintrelServer.class};
  private final HttpClient http = HttpClient.newHttpClient();
  private Path data;
  private ConfigurableApplicationContext context;

  public RunningServer(String... settings) {
    this.settings = settings;
  }

  /** With beans of the test's own in place of the application's. */
  public RunningServer with(Class<?> configuration) {
    sources = new Class<?>[] {VintrelServer.class, configuration};
    return this;
  }

  @Override
  public void beforeAll(ExtensionContext extension) throws IOException {
    startIn(Files.createTempDirectory("vintrel-test"));
  }

  /** Starts with a data directory of one's own. */
  public void startIn(Path folder) {
    data = folder;
    start();
  }

  public void start() {
    var arguments =
        new ArrayList<>(
            List.of(
                "--server.port=0",
                "--vintrel.data=" + data,
                "--vintrel.bootstrap-token=" + TOKEN,
                "--vintrel.outbound.loopback=true",
                "--vintrel.host=false",
                "--logging.level.vintrel=WARN"));
    arguments.addAll(List.of(settings));
    if (arguments.stream().noneMatch(a -> a.startsWith("--vintrel.grpc-port"))) {
      arguments.add("--vintrel.grpc-port=0");
    }
    context = new SpringApplicationBuilder(sources).run(arguments.toArray(String[]::new));
  }

  public void stop() {
    context.close();
  }

  @Override
  public void afterAll(ExtensionContext extension) throws IOException {
    stop();
    FileSystemUtils.deleteRecursively(data);
  }

  /** The data directory. */
  public Path data() {
    return data;
  }

  public ConfigurableApplicationContext context() {
    return context;
  }

  public <T> T bean(Class<T> type) {
    return context.getBean(type);
  }

  public String base() {
    return "http://127.0.0.1:" + ((WebServerApplicationContext) context).getWebServer().getPort();
  }

  public HttpRequest.Builder to(String path) {
    return HttpRequest.newBuilder(URI.create(base() + path))
        .header("Authorization", "Bearer " + TOKEN);
  }

  public HttpResponse<String> send(HttpRequest.Builder request) {
    return send(request, HttpResponse.BodyHandlers.ofString());
  }

  public <T> HttpResponse<T> send(
      HttpRequest.Builder request, HttpResponse.BodyHandler<T> handler) {
    try {
      return http.send(request.build(), handler);
    } catch (IOException e) {
      throw new IllegalStateException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException(e);
    }
  }

  public HttpResponse<String> post(String path, String type, String body) {
    return send(
        to(path).header("Content-Type", type).POST(HttpRequest.BodyPublishers.ofString(body)));
  }

  public HttpResponse<String> query(String query, String from, String to) {
    return post(
        "/api/v1/query",
        "application/json",
        "{\"query\": \"%s\", \"from\": \"%s\", \"to\": \"%s\"}".formatted(query, from, to));
  }

  /** What a query found; without the time it took, whose digits could be taken for values. */
  public String found(String query, String from, String to) {
    return query(query, from, to).body().replaceAll("\"(ms|planning)\":[0-9.Ee-]+,?", "");
  }

  /**
   * Waits while a clock runs twenty times as fast: for what happens every few seconds.
   *
   * @param clock the server's
   */
  public static void await(String what, SettableClock clock, BooleanSupplier condition) {
    long[] moved = {System.nanoTime()};
    await(
        what,
        () -> {
          if (condition.getAsBoolean()) {
            return true;
          }
          if (System.nanoTime() - moved[0] > QUARTER_NANOS) {
            moved[0] = System.nanoTime();
            clock.forward(FIVE_SECONDS);
          }
          return false;
        });
  }

  private static final long QUARTER_NANOS = 250_000_000;
  private static final java.time.Duration FIVE_SECONDS = java.time.Duration.ofSeconds(5);

  public static void await(String what, BooleanSupplier condition) {
    // Test classes run two at a time on two processors, and some load both.
    long deadline = System.nanoTime() + 90_000_000_000L;
    while (!condition.getAsBoolean()) {
      if (System.nanoTime() > deadline) {
        throw new AssertionError("waited 90 s for: " + what);
      }
      try {
        Thread.sleep(20);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new IllegalStateException(e);
      }
    }
  }
}
