package vintrel.server.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.api.io.TempDir;
import vintrel.collector.CollectorProcess;
import vintrel.server.Pages;
import vintrel.server.RunningServer;
import vintrel.server.define.Definitions;

/** A collector with a real server behind a link that breaks. */
class CollectorsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  @TempDir Path folder;

  /** Passes requests on, unless the link is down; some answers are lost. */
  private static final class Link implements AutoCloseable {
    final AtomicBoolean down = new AtomicBoolean();
    final AtomicInteger lost = new AtomicInteger();
    final AtomicInteger passed = new AtomicInteger();
    private final HttpClient http = HttpClient.newHttpClient();
    private final HttpServer listening;

    Link() throws IOException {
      listening = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
      listening.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
      listening.createContext("/", this::pass);
      listening.start();
    }

    String url() {
      return "http://127.0.0.1:" + listening.getAddress().getPort();
    }

    private void pass(com.sun.net.httpserver.HttpExchange x) throws IOException {
      var body = x.getRequestBody().readAllBytes();
      if (down.get()) {
        x.close();
        return;
      }
      var request =
          HttpRequest.newBuilder(URI.create(server.base() + x.getRequestURI()))
              .method(x.getRequestMethod(), HttpRequest.BodyPublishers.ofByteArray(body));
      x.getRequestHeaders()
          .forEach(
              (name, values) -> {
                if (List.of(
                        "Authorization",
                        "Content-type",
                        "Content-encoding",
                        "Vintrel-batch",
                        "User-agent",
                        "If-none-match",
                        "Accept")
                    .contains(name)) {
                  request.header(name, values.getFirst());
                }
              });
      try {
        var answer = http.send(request.build(), HttpResponse.BodyHandlers.ofByteArray());
        if (passed.incrementAndGet() % 4 == 0) {
          // Stored, but the collector never hears of it.
          lost.incrementAndGet();
          x.close();
          return;
        }
        answer.headers().firstValue("ETag").ifPresent(e -> x.getResponseHeaders().add("ETag", e));
        x.sendResponseHeaders(
            answer.statusCode(), answer.body().length == 0 ? -1 : answer.body().length);
        x.getResponseBody().write(answer.body());
        x.close();
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
    }

    @Override
    public void close() {
      listening.stop(0);
    }
  }

  @Test
  void nothingIsLostOrDoubledOverAnOutage() throws Exception {
    var log = folder.resolve("gate.log");
    Files.writeString(log, "");
    var file = folder.resolve("collector.yaml");
    Files.writeString(
        file,
        """
        name: nq-gate
        every: 1s
        labels: {host: nq-gate-1, site: north-quay}
        inputs:
        - input: tail
          name: gate
          files: [%s]
        - input: command
          name: age
          run: [/bin/echo, gate.age 7]
          format: numbers
        """
            .formatted(log));
    try (var link = new Link();
        var collector =
            CollectorProcess.start(
                file, folder.resolve("state"), link.url(), RunningServer.TOKEN)) {
      RunningServer.await(
          "the file is known",
          () -> Files.exists(folder.resolve("state/nq-gate/tail-gate.properties")));
      int n = 0;
      for (int round = 0; round < 6; round++) {
        link.down.set(round % 2 == 1);
        var lines = new StringBuilder();
        for (int i = 0; i < 5; i++) {
          lines.append("scan ").append(n++).append('\n');
        }
        Files.writeString(log, lines, java.nio.file.StandardOpenOption.APPEND);
        int wanted = round;
        RunningServer.await(
            "a reading of round " + round, () -> collector.readings("age") > wanted);
      }
      link.down.set(false);
      int all = n;
      RunningServer.await(
          "all records are stored",
          () -> count("events where file = 'gate.log' then count every 1h") >= all);
      RunningServer.await("the queue is empty", collector::isSent);
      assertThat(count("events where file = 'gate.log' then count every 1h")).isEqualTo(all);
      // Each reading is stored once, and at its own time; it goes on reading meanwhile.
      long read = collector.readings("age");
      RunningServer.await(
          "all readings are stored", () -> count("gate.age then count every 1h") >= read);
      assertThat(count("gate.age then count every 1h"))
          .isLessThanOrEqualTo(collector.readings("age") + 1);
      assertThat(link.lost.get()).isPositive();
    }
    var page =
        new Pages(server, "EDITOR").text(get("/collect/collectors?collector=nq-gate-1/nq-gate"));
    assertThat(page).contains("nq-gate-1", "its own file", "age", "gate");
  }

  private static long count(String query) {
    var body = server.found(query, "-2h", "now");
    long sum = 0;
    var values =
        body.replaceFirst("(?s).*?\"values\":\\[\\[[^\\]]*]", "")
            .replaceFirst("(?s)\"partial\".*", "");
    var number = java.util.regex.Pattern.compile("\\d+\\.\\d+").matcher(values);
    while (number.find()) {
      sum += (long) Double.parseDouble(number.group());
    }
    return sum;
  }

  @Test
  void aConfigurationIsMadeInThePageAndTaken() throws Exception {
    var pages = new Pages(server, "EDITOR");
    assertThat(
            pages.text(post("/collect/collectors/check").param("text", "inputs:\n- input: hots\n")))
        .contains("line 2: inputs[0].input");
    assertThat(
            pages.text(
                post("/collect/collectors")
                    .param("name", "quay")
                    .param("text", "token: vt_abc\ninputs:\n- input: host\n")))
        .contains("a secret can't be kept here");
    var text =
        "every: 1s\n"
            + "inputs:\n"
            + "- input: command\n"
            + "  name: one\n"
            + "  run: [/bin/echo, quay.one 1]\n"
            + "  format: numbers\n";
    pages.text(post("/collect/collectors").param("name", "quay").param("text", text));
    assertThat(server.bean(Definitions.class).find("collector", "quay")).isNotNull();
    var file = folder.resolve("collector.yaml");
    var own =
        "name: quay\n"
            + "every: 1s\n"
            + "labels: {host: quay-1}\n"
            + "fetch: %s\n"
            + "inputs:\n"
            + "- input: host\n"
            + "  parts: [system]\n";
    Files.writeString(file, own.formatted("inputs"));
    try (var collector =
        CollectorProcess.start(file, folder.resolve("a"), server.base(), RunningServer.TOKEN)) {
      // Commands are not taken unless the file allows them.
      RunningServer.await(
          "it was told why", () -> collector.told().contains("runs commands (one)"));
      assertThat(collector.readings("one")).isZero();
    }
    Files.writeString(file, own.formatted("all"));
    try (var collector =
        CollectorProcess.start(file, folder.resolve("b"), server.base(), RunningServer.TOKEN)) {
      RunningServer.await("the input runs", () -> collector.readings("one") > 0);
      RunningServer.await(
          "the page knows", () -> pages.text(get("/collect/collectors")).contains("up to date"));
    }
  }
}
