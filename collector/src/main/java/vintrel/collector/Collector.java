package vintrel.collector;

import java.io.IOException;
import java.net.http.HttpClient;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import vintrel.core.collect.Check;
import vintrel.core.collect.CollectorConfig;

/** Reads this host and its neighbours at intervals and sends that to Vintrel. */
@Command(
    name = "vintrel-collector",
    mixinStandardHelpOptions = true,
    version = "vintrel-collector " + Collector.VERSION,
    description =
        "Sends this host's metrics to Vintrel. The token is read from VINTREL_TOKEN. Without a"
            + " file, it reads processors, memory, disks and network of this host.")
public final class Collector implements Callable<Integer> {
  static final String VERSION = "0.2";

  private static final int USAGE = 2;

  @Option(names = "--server", description = "Vintrel's address (default: ${DEFAULT-VALUE})")
  String server = "http://localhost:8420";

  @Option(names = "--every", description = "Interval in seconds (default: ${DEFAULT-VALUE})")
  int every = 10;

  @Option(names = "--label", description = "Label added to all series, for example site=north-quay")
  Map<String, String> labels = new TreeMap<>();

  @Option(names = "--once", description = "Read and send once, then end")
  boolean once;

  @Option(
      names = "--data",
      description = "Folder of the queue (default: ~/.local/state/vintrel-collector)")
  Path data;

  private final Map<String, String> environment;

  public Collector() {
    this(System.getenv());
  }

  Collector(Map<String, String> environment) {
    this.environment = environment;
  }

  public static void main(String[] args) {
    Locale.setDefault(Locale.ENGLISH);
    // JNA, within OSHI, calls native code; the manifest of the jar allows it.
    System.exit(new CommandLine(new Collector()).execute(args));
  }

  private Path data() {
    return data != null
        ? data
        : Path.of(System.getProperty("user.home"), ".local", "state", "vintrel-collector");
  }

  @Override
  public Integer call() throws InterruptedException, IOException {
    if (every < 1) {
      System.err.println("vintrel-collector: --every must be at least 1");
      return USAGE;
    }
    return run(Settings.usual(server, every * 1000L, labels), null, once);
  }

  @Command(
      description = "Checks a file and prints each error with its line",
      mixinStandardHelpOptions = true)
  int check(@Parameters(paramLabel = "FILE") Path file) throws IOException {
    var read = Settings.read(file);
    read.faults().forEach(f -> System.err.println(file + ": " + f));
    read.warnings().forEach(w -> System.err.println(file + ": warning: " + w));
    if (read.config() == null) {
      return 1;
    }
    var names = new Environment(environment);
    new SecretNames(names).visit(read.config());
    for (var name : names.missing()) {
      System.err.println(file + ": warning: " + name + " is not set in this environment");
    }
    System.out.println(
        file
            + ": "
            + vintrel.core.unit.Counts.of(read.config().inputs().size(), "input")
            + ", valid");
    return 0;
  }

  @Command(
      description = "Reads each input once and prints it; sends nothing",
      mixinStandardHelpOptions = true)
  int once(@Parameters(paramLabel = "FILE") Path file) throws IOException, InterruptedException {
    var read = Settings.read(file);
    if (read.config() == null) {
      read.faults().forEach(f -> System.err.println(file + ": " + f));
      return 1;
    }
    var temporary = Files.createTempDirectory("vintrel-collector");
    var inputs = new Inputs(http(), new Environment(environment), temporary, "here");
    boolean whole = true;
    for (var each : read.config().inputs()) {
      System.out.println("# " + each.name());
      try (var input = inputs.of(each)) {
        input.read();
        if (!(each.source() instanceof CollectorConfig.Command)) {
          // Shares, messages and lines need some time to have passed.
          Thread.sleep(each.source() instanceof CollectorConfig.Scrape ? 0 : 500);
          input.read().forEach(r -> System.out.println(line(r)));
        } else {
          input.read().forEach(r -> System.out.println(line(r)));
        }
        input.events().forEach(e -> System.out.println("event " + e.level() + " " + e.text()));
      } catch (InputException | RuntimeException e) {
        System.out.println("# failed: " + e.getMessage());
        whole = false;
      }
    }
    return whole ? 0 : 1;
  }

  private static String line(Reading r) {
    var labels = new StringBuilder();
    new TreeMap<>(r.labels()).forEach((k, v) -> labels.append(' ').append(k).append('=').append(v));
    return r.metric() + labels + " " + r.value() + (r.unit().isEmpty() ? "" : " " + r.unit());
  }

  @Command(description = "Reads and sends until it is stopped", mixinStandardHelpOptions = true)
  int run(
      @Parameters(paramLabel = "FILE") Path file,
      @Option(names = "--data", description = "Folder of the queue") Path folder)
      throws IOException, InterruptedException {
    data = folder == null ? data : folder;
    var text = Files.readString(file);
    var read = Settings.read(file);
    read.faults().forEach(f -> System.err.println(file + ": " + f));
    read.warnings().forEach(w -> System.err.println(file + ": warning: " + w));
    if (read.config() == null) {
      return 1;
    }
    return run(new Settings(read.config(), Settings.hash(text)), file, false);
  }

  private static HttpClient http() {
    return HttpClient.newBuilder()
        .version(HttpClient.Version.HTTP_1_1)
        .connectTimeout(Duration.ofSeconds(5))
        .build();
  }

  private int run(Settings settings, Path file, boolean single)
      throws InterruptedException, IOException {
    var names = new Environment(environment);
    var token = names.apply(settings.config().token());
    if (token.isBlank()) {
      System.err.println(
          "vintrel-collector: set VINTREL_TOKEN to a token that may send metrics and events");
      return USAGE;
    }
    var to = names.apply(settings.config().to());
    try (var agent =
        new Agent(
            settings,
            to.isBlank() ? server : to,
            token,
            data(),
            http(),
            new Environment(environment))) {
      return single ? agent.once() : agent.run();
    }
  }

  /** Asks for every name that a configuration needs. */
  private record SecretNames(Environment names) {
    void visit(CollectorConfig config) {
      var texts = new ArrayList<String>();
      texts.add(config.token());
      if (!config.to().equals(CollectorConfig.TO)) {
        texts.add(config.to());
      }
      for (var input : config.inputs()) {
        switch (input.source()) {
          case CollectorConfig.Sql s -> {
            texts.add(s.url());
            texts.add(s.user());
            texts.add(s.password());
          }
          case CollectorConfig.Mqtt m -> {
            texts.add(m.url());
            texts.add(m.user());
            texts.add(m.password());
          }
          case CollectorConfig.Scrape s -> {
            texts.add(s.url());
            texts.addAll(s.headers().values());
          }
          case CollectorConfig.Probing(var title, Check.Http h, var max) -> {
            texts.add(h.url());
            texts.addAll(h.headers().values());
          }
          case CollectorConfig.Command c -> texts.addAll(c.run());
          case CollectorConfig.Speed s -> {
            texts.add(s.download());
            texts.add(s.upload());
          }
          default -> {
            // Has no names.
          }
        }
      }
      texts.forEach(names::apply);
    }
  }
}
