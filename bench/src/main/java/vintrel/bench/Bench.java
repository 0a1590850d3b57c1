package vintrel.bench;

import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.List;

/** Runs the parts that are named, or all. */
public final class Bench {
  private static final List<String> PARTS =
      List.of(
          "codec", "ingest", "ask", "events", "start", "growth", "index", "safe", "peers",
          "collect", "watch", "rules");

  public static void main(String[] args) throws Exception {
    var wanted = args.length == 0 ? PARTS : Arrays.asList(args);
    var home = Path.of(System.getProperty("vintrel.home", "."));
    System.out.println("Measured " + LocalDate.now() + " on " + machine());
    for (var part : wanted) {
      System.out.println();
      switch (part) {
        case "codec" -> CodecBench.run();
        case "ask" -> new AskBench(home).run();
        case "events" -> new EventsBench(home).run();
        case "index" -> IndexBench.run();
        case "ingest" -> new IngestBench(home).run();
        case "collect" -> new CollectBench(home).run(System.getProperty("vintrel.part", ""));
        case "growth" -> new GrowthBench(home).run();
        case "peers" -> new PeersBench(home, Integer.getInteger("vintrel.hours", 6)).run();
        case "safe" -> new SafeBench(home).run();
        case "watch" -> WatchBench.run();
        case "rules" -> new RulesBench(home).run();
        case "start" -> new StartBench(home).run();
        default -> {
          System.err.println("bench: parts are " + String.join(", ", PARTS));
          System.exit(2);
        }
      }
    }
  }

  private static String machine() throws Exception {
    var cpu =
        Files.readAllLines(Path.of("/proc/cpuinfo")).stream()
            .filter(l -> l.startsWith("model name"))
            .findFirst()
            .map(l -> l.substring(l.indexOf(':') + 1).strip())
            .orElse("an unknown processor");
    return "%s, %d cores, Java %s, Linux %s"
        .formatted(
            cpu,
            Runtime.getRuntime().availableProcessors(),
            Runtime.version(),
            System.getProperty("os.version"));
  }
}
