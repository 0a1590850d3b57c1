package vintrel.collector;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.concurrent.ThreadLocalRandom;

/**
 * Sends what waits, oldest first. After an outage it comes again after a while that grows and
 * differs from collector to collector, and then sends at most so many requests a second, so that
 * many collectors that come back are no flood. One thread.
 */
final class Sender {
  private static final Duration PATIENCE = Duration.ofSeconds(20);
  private static final long FIRST_PAUSE_MS = 1_000;
  private static final long LAST_PAUSE_MS = 60_000;

  /** Requests of one call of {@link #sendAll} while there is a backlog. */
  static final int AT_ONCE = 5;

  private final HttpClient http;
  private final DiskQueue queue;
  private final String path;
  private final String instance;
  private final String to;
  private final String token;
  private long pause;
  private long notBefore;
  private String fault = "";
  private long rejected;

  /**
   * @param path of the server that takes these requests
   * @param instance the collector's own name for its requests
   */
  Sender(HttpClient http, DiskQueue queue, String path, String instance, String to, String token) {
    this.http = http;
    this.queue = queue;
    this.path = path;
    this.instance = instance;
    this.to = to.replaceAll("/+$", "");
    this.token = token;
  }

  /** Why the last request was not taken; empty if it was. */
  String fault() {
    return fault;
  }

  /** Requests that the server has refused for good. */
  long rejected() {
    return rejected;
  }

  /**
   * Sends what waits, at most {@link #AT_ONCE} requests.
   *
   * @param now ms since the epoch
   * @return true if nothing waits any more
   */
  boolean sendAll(long now) throws InterruptedException, IOException {
    for (int i = 0; i < AT_ONCE && now >= notBefore; i++) {
      var first = queue.first();
      if (first == null) {
        return true;
      }
      if (!send(first, now)) {
        return false;
      }
    }
    return queue.first() == null;
  }

  private boolean send(DiskQueue.Entry entry, long now) throws InterruptedException, IOException {
    HttpResponse<String> answer;
    try {
      var request =
          HttpRequest.newBuilder(URI.create(to + path))
              .timeout(PATIENCE)
              .header("Authorization", "Bearer " + token)
              .header("User-Agent", "vintrel-collector/" + Collector.VERSION)
              .header("Content-Type", "application/x-protobuf")
              .header("Content-Encoding", "gzip")
              .header("Vintrel-Batch", instance + path + "/" + entry.number())
              .POST(HttpRequest.BodyPublishers.ofByteArray(entry.read()))
              .build();
      answer = http.send(request, HttpResponse.BodyHandlers.ofString());
    } catch (java.nio.file.NoSuchFileException e) {
      queue.remove(entry);
      return true;
    } catch (IOException | IllegalArgumentException e) {
      later("the server can't be reached: " + words(e), now);
      return false;
    }
    int status = answer.statusCode();
    if (status / 100 == 2) {
      queue.remove(entry);
      tell("");
      pause = 0;
      return true;
    }
    if (status == 401 || status == 403 || status == 404 || status == 429 || status >= 500) {
      // Nothing is lost while somebody mends the token, the address or the server.
      later("the server returned " + status + ": " + cut(answer.body()), now);
      return false;
    }
    tell("the server rejected a request: " + status + ": " + cut(answer.body()));
    rejected++;
    queue.drop(entry);
    return true;
  }

  private static String words(Exception e) {
    return e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
  }

  private static String cut(String text) {
    var line = text.replaceAll("[^\\x20-\\x7e]+", " ");
    return line.length() > 200 ? line.substring(0, 200) + "…" : line;
  }

  private void later(String why, long now) {
    tell(why);
    pause = Math.clamp(2 * pause, FIRST_PAUSE_MS, LAST_PAUSE_MS);
    notBefore = now + pause / 2 + ThreadLocalRandom.current().nextLong(pause / 2 + 1);
  }

  /** Once for each new reason. */
  private void tell(String why) {
    if (!why.equals(fault) && !why.isEmpty()) {
      System.err.println("vintrel-collector: " + why);
    }
    if (why.isEmpty() && !fault.isEmpty()) {
      System.err.println("vintrel-collector: server is reachable again");
    }
    fault = why;
  }
}
