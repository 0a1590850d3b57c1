package vintrel.e2e;

import com.microsoft.playwright.Browser;
import com.microsoft.playwright.BrowserContext;
import com.microsoft.playwright.BrowserType;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.Playwright;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Queue;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.extension.BeforeAllCallback;
import org.junit.jupiter.api.extension.ExtensionContext;
import org.junit.jupiter.api.extension.ExtensionContext.Namespace;

/** One `./vintrel demo`, as a user starts it, for all test classes. */
public final class RunningDemo implements BeforeAllCallback, AutoCloseable {
  static final int PORT = 18420;
  private static final Path ROOT = Path.of("").toAbsolutePath().getParent();
  private static final List<String> ARGUMENTS =
      List.of(
          "--no-sandbox",
          "--disable-gpu",
          "--disable-quic",
          "--no-first-run",
          "--disable-background-networking",
          "--disable-component-update",
          "--disable-sync");

  /** A browser for each thread that runs tests: it is driven by one thread only. */
  private static final ThreadLocal<Browser> BROWSER = ThreadLocal.withInitial(RunningDemo::launch);

  private static final Queue<Playwright> LAUNCHED = new ConcurrentLinkedQueue<>();

  private Process process;
  private Path data;

  @Override
  public void beforeAll(ExtensionContext context) {
    context
        .getRoot()
        .getStore(Namespace.GLOBAL)
        .getOrComputeIfAbsent(
            RunningDemo.class,
            k -> {
              start();
              return this;
            });
  }

  private void start() {
    try {
      data = Files.createTempDirectory("vintrel-e2e");
      var log = ROOT.resolve("e2e/target/demo.log");
      Files.createDirectories(log.getParent());
      var builder =
          new ProcessBuilder(
                  ROOT.resolve("vintrel").toString(),
                  "demo",
                  "--port",
                  "" + PORT,
                  "--data",
                  data + "/store")
              .redirectErrorStream(true)
              .redirectOutput(log.toFile());
      builder.environment().put("VINTREL_AOT", "off");
      builder.environment().put("VINTREL_GRPC_PORT", "0");
      process = builder.start();
      long deadline = System.nanoTime() + TimeUnit.MINUTES.toNanos(4);
      while (!Files.readString(log).contains("vintrel: ready on")) {
        if (!process.isAlive() || System.nanoTime() > deadline) {
          throw new IllegalStateException("the demo did not start:\n" + Files.readString(log));
        }
        Thread.sleep(200);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException(e);
    }
  }

  private static Browser launch() {
    var options =
        new Playwright.CreateOptions().setEnv(Map.of("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1"));
    var playwright = Playwright.create(options);
    LAUNCHED.add(playwright);
    return playwright
        .chromium()
        .launch(
            new BrowserType.LaunchOptions()
                .setExecutablePath(Path.of("/usr/bin/chromium"))
                .setArgs(ARGUMENTS));
  }

  /** A page with its own cookies, and the messages of its console. */
  record Sheet(BrowserContext context, Page page, List<String> complaints)
      implements AutoCloseable {
    Sheet go(String path) {
      page.navigate(base() + path);
      return this;
    }

    @Override
    public void close() {
      context.close();
    }
  }

  static Sheet open(String path) {
    var context =
        BROWSER
            .get()
            .newContext(
                new Browser.NewContextOptions()
                    .setViewportSize(1280, 800)
                    .setTimezoneId("Europe/London"));
    var page = context.newPage();
    page.setDefaultTimeout(15_000);
    var complaints = new ArrayList<String>();
    page.onConsoleMessage(
        m -> {
          if (m.type().equals("error") || m.type().equals("warning")) {
            complaints.add(m.text());
          }
        });
    page.onPageError(complaints::add);
    return new Sheet(context, page, complaints).go(path);
  }

  static String base() {
    return "http://localhost:" + PORT;
  }

  static String standIns() {
    return "http://localhost:" + (PORT + 1);
  }

  static Path root() {
    return ROOT;
  }

  @Override
  public void close() throws IOException, InterruptedException {
    // All tests have ended: nobody drives them any more.
    LAUNCHED.forEach(Playwright::close);
    process.destroy();
    if (!process.waitFor(30, TimeUnit.SECONDS)) {
      process.destroyForcibly();
      throw new IllegalStateException("the demo did not stop within 30 s of SIGTERM");
    }
    try (var files = Files.walk(data)) {
      files.sorted(java.util.Comparator.reverseOrder()).forEach(f -> f.toFile().delete());
    }
  }
}
