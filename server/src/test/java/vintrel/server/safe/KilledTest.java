package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.http.HttpRequest;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import vintrel.server.RunningServer;

/**
 * Killed again and again while samples, alerts, acknowledgements and deliveries go on: what was
 * answered as done is done, and everybody is told of every alert.
 *
 * <p>{@code -Dvintrel.kills=30} kills more often.
 */
class KilledTest {
  private static final int KILLS = Integer.getInteger("vintrel.kills", 2);
  private static final Pattern TOKEN = Pattern.compile("name=\"_csrf\" value=\"([^\"]+)\"");
  private static final Pattern COOKIE = Pattern.compile("vintrel-csrf=[^;]+");

  @TempDir Path data;
  private Child child;

  /** Samples that were answered as kept, by series; alerts that were answered as acknowledged. */
  private final Set<String> kept = ConcurrentHashMap.newKeySet();

  private final Set<Long> acknowledged = ConcurrentHashMap.newKeySet();

  /** By series, how often each was told as raised. */
  private final Map<String, Integer> told = new ConcurrentSkipListMap<>();

  private HttpServer room() throws IOException {
    var room = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    room.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
    room.createContext(
        "/",
        x -> {
          var event =
              JsonMapper.shared()
                  .readTree(new String(x.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
          if (event.path("type").asString("").endsWith("raised")) {
            told.merge(event.path("data").path("series").asString(""), 1, Integer::sum);
          }
          x.sendResponseHeaders(204, -1);
          x.close();
        });
    room.start();
    return room;
  }

  private static Iterable<JsonNode> alerts(Child child) {
    try {
      return JsonMapper.shared().readTree(child.send(child.to("/api/v1/alerts")).body());
    } catch (IOException e) {
      return JsonMapper.shared().createArrayNode();
    }
  }

  private void write(Child child, AtomicInteger next) throws IOException {
    // Of five writes one makes a series: what is watched grows slower than what is written.
    int n = next.getAndIncrement();
    var series = "s" + n / 5;
    var answer =
        child.post(
            "/api/v1/samples",
            "application/x-www-form-urlencoded",
            "metric=killed.m&value=9&n=" + series);
    if (answer.body().contains("\"accepted\":1")) {
      kept.add(series);
    }
  }

  /** As a person does it, on the page. */
  private void acknowledge(Child child) throws IOException {
    var page = child.send(HttpRequest.newBuilder(child.uri("/signin")));
    var token = TOKEN.matcher(page.body());
    var cookie = COOKIE.matcher(page.headers().allValues("Set-Cookie").toString());
    assertThat(token.find() && cookie.find()).isTrue();
    for (var alert : alerts(child)) {
      long id = alert.path("id").asLong();
      if (alert.path("state").asString("").equalsIgnoreCase("raised")) {
        int status =
            child.status(
                HttpRequest.newBuilder(child.uri("/watch/alerts/" + id + "/acknowledge"))
                    .header("Cookie", cookie.group())
                    .header("X-CSRF-TOKEN", token.group(1))
                    .POST(HttpRequest.BodyPublishers.noBody()));
        if (status == 200) {
          acknowledged.add(id);
        }
      }
    }
  }

  private interface Work {
    void once() throws IOException;
  }

  /** Again and again until the end of a round, whatever the other side says or fails to say. */
  private static Thread again(AtomicBoolean over, long pause, Work work) {
    return Thread.startVirtualThread(
        () -> {
          while (!over.get()) {
            try {
              work.once();
            } catch (IOException | RuntimeException | AssertionError e) {
              // Killed in the middle of an answer, or a connection to who was killed before.
            }
            LockSupport.parkNanos(pause * 1_000_000);
          }
        });
  }

  @AfterEach
  void leaveNothingBehind() throws InterruptedException {
    child.kill();
  }

  @Test
  void whatWasAnsweredAsDoneIsDoneAndEverybodyIsToldOfEveryAlert() throws Exception {
    var room = room();
    // In the demo nobody signs in: its editor acknowledges.
    child = new Child(data, "512m", "--vintrel.demo=true", "--vintrel.watch.max-series=50000");
    var next = new AtomicInteger();
    child.start();
    var defined =
        child.post(
            "/api/v1/definitions",
            "application/yaml",
            """
            kind: recipient
            name: duty
            channels: [{webhook: 'http://127.0.0.1:%d/'}]
            ---
            kind: routing
            name: main
            routes: [{name: all, to: [duty]}]
            ---
            kind: rule
            name: killed
            query: killed.m
            every: 5s
            behind: 0s
            missing: hold
            limits: [{above: 5, priority: high}]
            """
                .formatted(room.getAddress().getPort()));
    assertThat(defined.statusCode()).as(defined.body()).isEqualTo(200);
    for (int i = 0; i < KILLS; i++) {
      int before = acknowledged.size();
      var over = new AtomicBoolean();
      var writer = again(over, 40, () -> write(child, next));
      var person = again(over, 40, () -> acknowledge(child));
      RunningServer.await(
          "some acknowledgements", () -> acknowledged.size() > before + 20 || !child.alive());
      child.kill();
      over.set(true);
      writer.join();
      person.join();
      child.start();
    }
    RunningServer.await(
        "all series are raised",
        () -> {
          int standing = 0;
          for (var alert : alerts(child)) {
            standing += alert.path("raised").isNull() ? 0 : 1;
          }
          return standing >= kept.size();
        });
    var lost = new java.util.TreeSet<>(acknowledged);
    for (var alert : alerts(child)) {
      if (alert.path("state").asString("").equalsIgnoreCase("acknowledged")) {
        lost.remove(alert.path("id").asLong());
      }
    }
    assertThat(lost).as("answered as acknowledged, and not").isEmpty();
    RunningServer.await(
        "everybody is told", () -> kept.stream().allMatch(s -> told.containsKey("n " + s)));
    System.out.printf(
        "%d kills: %d series kept, %d acknowledged, %d told, %d of them more than once%n",
        KILLS,
        kept.size(),
        acknowledged.size(),
        told.size(),
        told.values().stream().filter(n -> n > 1).count());
    room.stop(0);
  }
}
