package vintrel.bench;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Random;
import vintrel.core.index.LabelIndex;
import vintrel.core.query.syntax.Parser;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;

/** How things grow from a thousand to a million series: the index alone, and the whole server. */
final class GrowthBench {
  private static final int[] SIZES = {1_000, 10_000, 100_000, 1_000_000};

  private final Path jar;

  GrowthBench(Path home) {
    this.jar = home.resolve("server/target/vintrel-server-0.1.0.jar");
  }

  void run() throws Exception {
    System.out.println(
        "| series × 6 labels | index built | three equalities | with a pattern over 10,000 values |"
            + " heap |");
    System.out.println("|---|---|---|---|---|");
    for (int n : SIZES) {
      index(n);
    }
    System.out.println();
    System.out.println(
        "| series in the server | first samples of all | start after a kill | resident |");
    System.out.println("|---|---|---|---|");
    for (int n : SIZES) {
      server(n);
    }
  }

  static Labels labels(int i, Random random) {
    return Labels.of(
        "host", "h" + i % 10_000,
        "site", "s" + i % 12,
        "service", "v" + i % 40,
        "path", "p" + i / 10_000,
        "state", "x" + random.nextInt(4),
        "version", "1." + i % 7);
  }

  private static void index(int n) {
    var random = new Random(1);
    var all = new Series[n];
    for (int i = 0; i < n; i++) {
      all[i] = new Series(i, new SeriesKey("m", labels(i, random)), MetricKind.GAUGE, "");
    }
    System.gc();
    long before = used();
    long started = System.nanoTime();
    var index = new LabelIndex();
    for (var s : all) {
      index.add(s);
    }
    double built = (System.nanoTime() - started) / 1e6;
    System.gc();
    double heap = (used() - before) / 1e6;
    var equal = Parser.parseCondition("site = 's3' and service = 'v7' and version = '1.2'");
    var pattern =
        Parser.parseCondition(
            "site = 's3' and service = 'v7' and version = '1.2' and host matches 'h.*[13]'");
    System.out.printf(
        "| %,d | %.0f ms | %.3f ms | %.2f ms | %.0f MB |%n",
        n,
        built,
        best(() -> index.select("", "m", equal)),
        best(() -> index.select("", "m", pattern)),
        heap);
  }

  private static double best(Runnable work) {
    double best = Double.MAX_VALUE;
    for (int i = 0; i < 50; i++) {
      long started = System.nanoTime();
      work.run();
      best = Math.min(best, (System.nanoTime() - started) / 1e6);
    }
    return best;
  }

  private static long used() {
    return Runtime.getRuntime().totalMemory() - Runtime.getRuntime().freeMemory();
  }

  private void server(int n) throws Exception {
    var data = Files.createTempDirectory("vintrel-growth");
    var csv = data.resolve("samples.csv");
    long now = System.currentTimeMillis();
    try (var out = Files.newBufferedWriter(csv)) {
      for (int t = 0; t < 3; t++) {
        for (int i = 0; i < n; i++) {
          out.write(i + "," + (now - 30_000 + t * 10_000L) + "," + (i % 1000) + "\n");
        }
      }
    }
    var settings =
        new String[] {
          "--vintrel.ingest.max-series-per-metric=2000000",
          "--vintrel.ingest.max-new-series-per-hour=2000000"
        };
    double sent;
    var server = Vintrel.start(jar, data.resolve("d"), List.of("-Xmx4g"), settings);
    server.await("/health/ready");
    sent = new Load(Data.METRICS).send(csv);
    server.process.destroyForcibly().waitFor();
    long started = System.nanoTime();
    try (var again = Vintrel.start(jar, data.resolve("d"), List.of("-Xmx4g"), settings)) {
      again.await("/health/ready");
      double seconds = (System.nanoTime() - started) / 1e9;
      System.out.printf(
          "| %,d | %.1f s | %.1f s | %.0f MB |%n", n, sent, seconds, again.residentMegabytes());
    }
  }
}
