package vintrel.collector;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.http.HttpClient;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class DiskQueueTest {
  @TempDir Path folder;

  private static String text(DiskQueue.Entry entry) throws IOException {
    return unpacked(entry.read());
  }

  private static String unpacked(byte[] packed) throws IOException {
    return new String(new GZIPInputStream(new ByteArrayInputStream(packed)).readAllBytes());
  }

  @Test
  void whatWaitsSurvivesARestartInItsOrder() throws IOException {
    var queue = new DiskQueue(folder, 1_000_000);
    for (int i = 0; i < 30; i++) {
      queue.add(("request " + i).getBytes(), 1_000 + i);
    }
    queue.remove(queue.first());
    // A kill while a request is written leaves a part of it.
    Files.writeString(folder.resolve("0000000000000000001-5.otlp.gz.new"), "half");
    Files.writeString(folder.resolve("notes.otlp.gz"), "not of the queue");
    var again = new DiskQueue(folder, 1_000_000);
    assertThat(again.size()).isEqualTo(29);
    assertThat(again.bytes()).isEqualTo(queue.bytes());
    long last = 0;
    for (int i = 1; i < 30; i++) {
      var first = again.first();
      assertThat(text(first)).isEqualTo("request " + i);
      assertThat(first.at()).isEqualTo(1_000 + i);
      assertThat(first.number()).isGreaterThan(last);
      last = first.number();
      again.remove(first);
    }
    assertThat(again.first()).isNull();
    // Numbers of taken requests are never used again.
    again.add("new".getBytes(), 1);
    assertThat(again.first().number()).isGreaterThan(last);
  }

  @Test
  void theOldestGivesWayAndIsCounted() throws IOException {
    var random = new Random(7);
    var queue = new DiskQueue(folder, 5_000);
    var bytes = new byte[400];
    for (int i = 0; i < 40; i++) {
      random.nextBytes(bytes);
      queue.add(bytes, i);
      assertThat(queue.bytes()).isLessThanOrEqualTo(5_000);
    }
    assertThat(queue.dropped()).isEqualTo(40 - queue.size());
    assertThat(queue.first().at()).isEqualTo(queue.dropped());
    queue.add(
        random
            .ints(9_000)
            .collect(java.io.ByteArrayOutputStream::new, (o, v) -> o.write(v), (a, b) -> {})
            .toByteArray(),
        99);
    assertThat(queue.size()).as("larger than all that may wait").isZero();
  }

  /** Refuses, fails, and drops answers at random; in the end each request was taken, in order. */
  @Test
  void everyRequestIsTakenInOrderWhateverTheServerDoes() throws Exception {
    var random = new Random(3);
    var taken = new ArrayList<String>();
    var batches = new ArrayList<String>();
    var calls = new AtomicInteger();
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/v1/metrics",
        x -> {
          calls.incrementAndGet();
          var body = unpacked(x.getRequestBody().readAllBytes());
          var batch = x.getRequestHeaders().getFirst("Vintrel-Batch");
          int luck = random.nextInt(6);
          int status = luck == 0 ? 503 : luck == 1 ? 429 : luck == 2 ? 401 : 200;
          if (status == 200 && !batches.contains(batch)) {
            batches.add(batch);
            taken.add(body);
          }
          if (luck == 3) {
            // Taken, but the answer is lost.
            x.close();
            return;
          }
          x.sendResponseHeaders(status, -1);
          x.close();
        });
    server.start();
    var queue = new DiskQueue(folder, 1_000_000);
    var expected = new ArrayList<String>();
    for (int i = 0; i < 60; i++) {
      queue.add(("r" + i).getBytes(), i);
      expected.add("r" + i);
    }
    var sender =
        new Sender(
            HttpClient.newHttpClient(),
            queue,
            "/v1/metrics",
            "nq",
            "http://127.0.0.1:" + server.getAddress().getPort(),
            "t");
    long now = 0;
    int rounds = 0;
    while (!sender.sendAll(now)) {
      now += 60_000;
      assertThat(++rounds).isLessThan(2_000);
    }
    server.stop(0);
    assertThat(taken).isEqualTo(expected);
    assertThat(queue.dropped()).isZero();
    // No rush: at most five requests in a round.
    assertThat(calls.get()).isLessThanOrEqualTo(Sender.AT_ONCE * (rounds + 1));
  }

  @Test
  void whatTheServerRejectsForGoodHoldsBackNothing() throws Exception {
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    var taken = new ArrayList<String>();
    server.createContext(
        "/v1/metrics",
        x -> {
          var body = unpacked(x.getRequestBody().readAllBytes());
          boolean bad = body.equals("bad");
          if (!bad) {
            taken.add(body);
          }
          x.sendResponseHeaders(bad ? 400 : 200, -1);
          x.close();
        });
    server.start();
    var queue = new DiskQueue(folder, 1_000_000);
    for (var text : List.of("a", "bad", "b")) {
      queue.add(text.getBytes(), 1);
    }
    var sender =
        new Sender(
            HttpClient.newHttpClient(),
            queue,
            "/v1/metrics",
            "nq",
            "http://127.0.0.1:" + server.getAddress().getPort(),
            "t");
    assertThat(sender.sendAll(0)).isTrue();
    server.stop(0);
    assertThat(taken).containsExactly("a", "b");
    assertThat(sender.rejected()).isEqualTo(1);
    assertThat(queue.dropped()).isEqualTo(1);
  }
}
