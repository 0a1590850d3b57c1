package vintrel.bench;

import com.microsoft.playwright.Browser;
import com.microsoft.playwright.BrowserType;
import com.microsoft.playwright.Playwright;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * From nothing to the first page, with the demo's week of data; and a dashboard until all is drawn.
 */
final class StartBench {
  private static final String DRAWN =
      "() => { const f = [...document.querySelectorAll('.figure[data-panel]')];"
          + " return f.length > 0 && f.every(x => x.dataset.done) && performance.now(); }";

  private final Path home;

  StartBench(Path home) {
    this.home = home;
  }

  void run() throws Exception {
    var data = Files.createTempDirectory("vintrel-bench");
    fillWithDemo(data);
    var jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
    System.out.println("| start of the process to the first dashboard served, demo data | s |");
    System.out.println("|---|---|");
    System.out.printf("| plain, best and worst of 3 | %s |%n", starts(jar, data, List.of()));
    var scratch = Files.createTempDirectory("vintrel-train");
    var cache = scratch.resolve("vintrel.aot");
    call(
        List.of(
            "-XX:AOTCacheOutput=" + cache,
            "-Xlog:aot*=off",
            "-Xlog:cds*=off",
            "--enable-native-access=ALL-UNNAMED",
            "--sun-misc-unsafe-memory-access=allow",
            "-jar",
            jar.toString(),
            "--server.port=0",
            "--vintrel.data=" + scratch.resolve("data"),
            "--vintrel.train=true",
            "--vintrel.demo=true"));
    var jvm = List.of("-XX:AOTCache=" + cache, "-Xlog:aot*=error", "-Xlog:cds*=error");
    System.out.printf("| with the AOT cache, best and worst of 3 | %s |%n", starts(jar, data, jvm));
    System.out.println();
    page(jar, data, jvm);
  }

  private void fillWithDemo(Path data) throws IOException, InterruptedException {
    var output = Files.createTempFile("vintrel-demo", ".log");
    var builder =
        new ProcessBuilder(
                home.resolve("vintrel").toString(),
                "demo",
                "--port",
                "" + Vintrel.PORT,
                "--data",
                data.toString())
            .redirectErrorStream(true)
            .redirectOutput(output.toFile());
    builder.environment().put("VINTREL_AOT", "off");
    builder.environment().put("VINTREL_GRPC_PORT", "0");
    var demo = builder.start();
    while (!Files.readString(output).contains("vintrel: ready on")) {
      if (!demo.isAlive()) {
        throw new IllegalStateException(Files.readString(output));
      }
      Thread.sleep(200);
    }
    Files.readAllLines(output).stream()
        .filter(l -> l.contains("of history sent"))
        .forEach(l -> System.out.println(l.replace("vintrel: ", "Demo: ") + "\n"));
    demo.destroy();
    demo.waitFor();
  }

  private static void call(List<String> arguments) throws IOException, InterruptedException {
    var command = new java.util.ArrayList<>(List.of(Vintrel.java().toString()));
    command.addAll(arguments);
    new ProcessBuilder(command)
        .redirectErrorStream(true)
        .redirectOutput(ProcessBuilder.Redirect.DISCARD)
        .start()
        .waitFor();
  }

  private static String starts(Path jar, Path data, List<String> jvm) throws Exception {
    var seconds = new double[3];
    for (int i = 0; i < seconds.length; i++) {
      long started = System.nanoTime();
      try (var server = Vintrel.start(jar, data, jvm, "--vintrel.demo=true")) {
        server.await("/dashboards/boarding");
        seconds[i] = (System.nanoTime() - started) / 1e9;
      }
    }
    Arrays.sort(seconds);
    return "%.1f, %.1f".formatted(seconds[0], seconds[2]);
  }

  private static void page(Path jar, Path data, List<String> jvm) throws Exception {
    var arguments =
        Set.of(
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync");
    try (var server = Vintrel.start(jar, data, jvm, "--vintrel.demo=true");
        var playwright =
            Playwright.create(
                new Playwright.CreateOptions()
                    .setEnv(Map.of("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1")));
        var browser =
            playwright
                .chromium()
                .launch(
                    new BrowserType.LaunchOptions()
                        .setExecutablePath(Path.of("/usr/bin/chromium"))
                        .setArgs(arguments.stream().collect(Collectors.toList())))) {
      server.await("/dashboards/fleet");
      var page =
          browser.newContext(new Browser.NewContextOptions().setViewportSize(1280, 800)).newPage();
      System.out.println(
          "| fleet dashboard of 12 panels, navigation to all drawn | ms, best and worst of 10 |");
      System.out.println("|---|---|");
      for (var range : List.of("-1h", "-1d", "-1w")) {
        var millis = new double[10];
        for (int i = -2; i < millis.length; i++) {
          page.navigate(
              "http://localhost:" + Vintrel.PORT + "/dashboards/fleet?from=" + range + "&to=now");
          double took = ((Number) page.waitForFunction(DRAWN).jsonValue()).doubleValue();
          if (i >= 0) {
            millis[i] = took;
          }
        }
        Arrays.sort(millis);
        System.out.printf(
            "| range of %s | %.0f, %.0f |%n", range.substring(1), millis[0], millis[9]);
      }
    }
  }
}
