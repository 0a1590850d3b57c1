package vintrel.collector;

import java.io.IOException;
import java.net.InetAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Reads this host at an interval and sends it to Vintrel. */
@Command(
    name = "vintrel-collector",
    mixinStandardHelpOptions = true,
    description = "Sends this host's metrics to Vintrel. The token is read from VINTREL_TOKEN.")
public final class Collector implements Callable<Integer> {
  /** Requests that wait while the server can't be reached: an hour at ten seconds. */
  static final int MAX_WAITING = 360;

  @Option(names = "--server", description = "Vintrel's address (default: ${DEFAULT-VALUE})")
  String server = "http://localhost:8420";

  @Option(names = "--every", description = "Seconds between readings (default: ${DEFAULT-VALUE})")
  int every = 10;

  @Option(names = "--label", description = "Label added to all series, for example site=north-quay")
  Map<String, String> labels = new TreeMap<>();

  @Option(names = "--once", description = "Read and send once, then end")
  boolean once;

  private final List<Input> inputs;
  private final ArrayDeque<String> waiting = new ArrayDeque<>();
  private final HttpClient http =
      HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
  private long dropped;

  public Collector() {
    this(List.of(new HostInput()));
  }

  Collector(List<Input> inputs) {
    this.inputs = inputs;
  }

  public static void main(String[] args) {
    System.exit(new CommandLine(new Collector()).execute(args));
  }

  @Override
  public Integer call() throws InterruptedException, IOException {
    var token = System.getenv("VINTREL_TOKEN");
    if (token == null || token.isBlank()) {
      System.err.println("vintrel-collector: set VINTREL_TOKEN to a token with scope ingest");
      return 2;
    }
    labels.putIfAbsent("host", InetAddress.getLocalHost().getHostName());
    Thread.sleep(1000);
    while (true) {
      read(System.currentTimeMillis());
      boolean sent = send(token);
      if (once) {
        return sent ? 0 : 1;
      }
      Thread.sleep(every * 1000L - Math.floorMod(System.currentTimeMillis(), every * 1000L));
    }
  }

  /** Reads all inputs into the queue; the oldest request gives way if it is full. */
  void read(long time) {
    var readings = inputs.stream().flatMap(i -> i.read().stream()).toList();
    waiting.addLast(OtlpJsonText.request(readings, labels, time));
    while (waiting.size() > MAX_WAITING) {
      waiting.removeFirst();
      dropped++;
    }
  }

  int waiting() {
    return waiting.size();
  }

  long dropped() {
    return dropped;
  }

  /** Sends what waits, oldest first; true if all was taken. */
  boolean send(String token) throws InterruptedException {
    while (!waiting.isEmpty()) {
      try {
        var request =
            HttpRequest.newBuilder(URI.create(server + "/v1/metrics"))
                .timeout(Duration.ofSeconds(10))
                .header("Authorization", "Bearer " + token)
                .header("User-Agent", "vintrel-collector/0.1")
                .header("Content-Type", "application/json")
                .POST(HttpRequest.BodyPublishers.ofString(waiting.peekFirst()))
                .build();
        int status = http.send(request, HttpResponse.BodyHandlers.discarding()).statusCode();
        if (status == 429 || status >= 500) {
          System.err.println("vintrel-collector: server returned " + status + "; retrying");
          return false;
        }
        if (status != 200) {
          System.err.println("vintrel-collector: the server rejected a request: " + status);
        }
        waiting.removeFirst();
      } catch (IOException e) {
        System.err.println("vintrel-collector: the server can't be reached: " + e.getMessage());
        return false;
      }
    }
    return true;
  }
}
