package vintrel.collector.input;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.http.HttpClient;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.DriverManager;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeSet;
import java.util.function.UnaryOperator;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.collector.Input;
import vintrel.collector.InputException;
import vintrel.collector.Reading;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.collect.RewriteText;
import vintrel.core.define.CollectorFile;
import vintrel.core.series.Event;

class InputsTest {
  private static final UnaryOperator<String> AS_IT_IS = s -> s;

  @TempDir Path folder;

  private static CollectorConfig.Input input(String text) {
    var file = CollectorFile.parse("inputs:\n- " + text.replace("\n", "\n  "), "nq");
    assertThat(file.faults()).isEmpty();
    return file.config().inputs().getFirst();
  }

  private static List<String> texts(List<Reading> readings) {
    return readings.stream()
        .map(r -> r.metric() + " " + new java.util.TreeMap<>(r.labels()) + " " + r.value())
        .toList();
  }

  private static List<String> texts(Input input) throws InputException {
    return texts(input.read());
  }

  private static CommandInput command(String text) {
    var config = input(text);
    return new CommandInput(config, (CollectorConfig.Command) config.source(), AS_IT_IS);
  }

  @Test
  void aCommandHasItsCodeAndItsNumbers() throws InputException {
    var all =
        texts(
            command(
                """
                input: command
                name: backup
                labels: {site: north-quay}
                run: [/bin/sh, -c, 'echo backup.age 3.5 disk=a b=; echo 7; echo text here; echo backup.size 1e3']
                format: numbers
                metric: backup.files\
                """));
    assertThat(all)
        .contains(
            "command.exit {command=backup, site=north-quay} 0.0",
            "backup.age {disk=a, site=north-quay} 3.5",
            "backup.files {site=north-quay} 7.0",
            "backup.size {site=north-quay} 1000.0",
            "collector.unreadable {input=backup, site=north-quay} 1.0")
        .hasSize(6);
    // No shell is between: what looks like one is an argument.
    assertThat(texts(command("input: command\nrun: [/bin/echo, '1; echo 2']\nformat: numbers")))
        .hasSize(3);
    assertThat(texts(command("input: command\nname: a\nrun: [/bin/sh, -c, 'exit 3']")))
        .contains("command.exit {command=a} 3.0");
    assertThat(
            texts(
                command(
                    """
                    input: command
                    run: [/bin/echo, '{"queue": {"length": 4, "open": true}, "name": "x"}']
                    format: json
                    values: {q.length: $.queue.length, q.open: queue.open, q.name: name, q.gone: gone}\
                    """)))
        .contains("q.length {} 4.0", "q.open {} 1.0")
        .hasSize(4);
  }

  @Test
  void aCommandKeepsItsNumbersWhateverItsCode() throws InputException {
    assertThat(
            texts(
                command(
                    "input: command\nname: a\nformat: numbers\n"
                        + "run: [/bin/sh, -c, 'echo queue.length 4; exit 3']")))
        .contains("queue.length {} 4.0", "command.exit {command=a} 3.0");
  }

  @Test
  void textsInQuotesMayHoldBlanks() {
    assertThat(CommandInput.words("a 1 q=\"a b\" p=\"say \\\"x\\\" \\\\\""))
        .containsExactly("a", "1", "q=a b", "p=say \"x\" \\");
    assertThat(CommandInput.words("a 1 q=\"a b")).isNull();
    assertThat(CommandInput.words("  ")).isEmpty();
    assertThat(CommandInput.words("a 1 q=\"\" r=C:\\x")).containsExactly("a", "1", "q=", "r=C:\\x");
  }

  @Test
  void aCommandThatHangsOrFloodsEnds() throws InputException {
    assertThatThrownBy(
            command("input: command\ntimeout: 300ms\nrun: [/bin/sh, -c, 'sleep 60 & sleep 60']")
                ::read)
        .hasMessage("did not end within 300 ms");
    assertThat(
            texts(
                command(
                    "input: command\nname: f\nrun: [/bin/sh, -c, 'head -c 5000000 /dev/zero']")))
        .contains("command.exit {command=f} 0.0");
    assertThatThrownBy(command("input: command\nrun: [/no/such/program]")::read)
        .hasMessageContaining("can't be run");
  }

  @Test
  void rowsBecomeSeries() throws Exception {
    try (var database = DriverManager.getConnection("jdbc:h2:mem:quay", "sa", "word")) {
      database
          .createStatement()
          .execute(
              "create table sessions(state varchar(9), site varchar(9), n int, seconds double);"
                  + "insert into sessions values ('open', 'mid', 3, 1.5), ('idle', null, 4, null)");
      var config =
          input(
              """
              input: sql
              url: jdbc:h2:mem:quay
              user: sa
              password: ${QUAY}
              statement: select state, site, n, seconds from sessions
              metric: sessions\
              """);
      try (var sql =
          new SqlInput(
              config, (CollectorConfig.Sql) config.source(), s -> s.replace("${QUAY}", "word"))) {
        for (int i = 0; i < 2; i++) {
          assertThat(texts(sql))
              .containsExactly(
                  "sessions.n {site=mid, state=open} 3.0",
                  "sessions.seconds {site=mid, state=open} 1.5",
                  "sessions.n {state=idle} 4.0");
        }
      }
      var wrong = input("input: sql\nurl: jdbc:h2:mem:quay\nstatement: select gone\nmetric: a");
      assertThatThrownBy(new SqlInput(wrong, (CollectorConfig.Sql) wrong.source(), AS_IT_IS)::read)
          .isInstanceOf(InputException.class);
    }
  }

  private HttpServer serve() throws IOException {
    var server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/",
        x -> {
          x.getRequestBody().readAllBytes();
          var path = x.getRequestURI().getPath();
          var body =
              path.equals("/metrics")
                  ? "# TYPE scans counter\nscans_total{gate=\"n\"} 4\nheap 2\n# EOF\n".getBytes()
                  : new byte[200_000];
          x.sendResponseHeaders(path.equals("/gone") ? 404 : 200, body.length);
          x.getResponseBody().write(body);
          x.close();
        });
    server.start();
    return server;
  }

  @Test
  void aPageIsReadAndRewritten() throws Exception {
    var server = serve();
    var at = "http://127.0.0.1:" + server.getAddress().getPort();
    var config =
        input(
            "input: scrape\nname: gates\nurl: "
                + at
                + "/metrics\nrewrite: [rename gate to berth, drop where metric = 'heap']");
    var page = new ScrapeInput(config, (CollectorConfig.Scrape) config.source(), AS_IT_IS);
    var read = page.read();
    assertThat(texts(read)).containsExactly("scans_total {berth=n, job=gates} 4.0");
    assertThat(read.getFirst().counter()).isTrue();
    var gone = new CollectorConfig.Scrape(at + "/gone", Map.of(), RewriteText.parseAll(""));
    assertThatThrownBy(new ScrapeInput(config, gone, AS_IT_IS)::read)
        .hasMessage("the target returned HTTP 404; check the path");
    server.stop(0);
  }

  @Test
  void aSpeedIsOfBoundedBytes() throws Exception {
    var server = serve();
    var at = "http://127.0.0.1:" + server.getAddress().getPort();
    var config =
        input(
            "input: speed\nname: quay\ndownload: %s/a\nupload: %s/b\nmax-bytes: 50000"
                .formatted(at, at));
    var speed =
        new SpeedInput(
            HttpClient.newHttpClient(), config, (CollectorConfig.Speed) config.source(), AS_IT_IS);
    var read = speed.read();
    assertThat(read)
        .extracting(Reading::metric)
        .containsExactly("net.speed.download", "net.speed.upload");
    assertThat(read).allMatch(r -> r.value() > 0 && r.unit().equals("By/s"));
    server.stop(0);
  }

  private TailInput tail(String text) {
    var config = input(text.replace("LOGS", folder.resolve("logs").toString()));
    return new TailInput(config, (CollectorConfig.Tail) config.source(), folder.resolve("state"));
  }

  private void log(String file, String text) throws IOException {
    Files.createDirectories(folder.resolve("logs"));
    var path = folder.resolve("logs").resolve(file);
    Files.writeString(
        path,
        text,
        java.nio.file.StandardOpenOption.CREATE,
        java.nio.file.StandardOpenOption.APPEND);
  }

  private static List<String> taken(TailInput tail, boolean stored) throws InputException {
    tail.read();
    var out = tail.events().stream().map(Event::text).toList();
    if (stored) {
      tail.confirmation().run();
    }
    return out;
  }

  /** Written by one writer while the collector looks now and then, is killed, and goes on. */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12})
  void eachLineIsReadOnceHoweverFilesAreRotated(long seed) throws Exception {
    var random = new Random(seed);
    // Rotated files match too, or not.
    var files = seed % 2 == 0 ? "[LOGS/a*]" : "[LOGS/a.log]";
    var text = "input: tail\nname: r\nfiles: " + files;
    var logs = folder.resolve("logs");
    log("a.log", "before\n");
    var tail = tail(text);
    assertThat(taken(tail, true)).isEmpty();
    var found = new ArrayList<String>();
    int line = 0;
    int rotated = 0;
    for (int step = 0; step < 300; step++) {
      int what = random.nextInt(12);
      if (what < 3) {
        // Seen once between two rotations, and then written to.
        found.addAll(taken(tail, true));
        for (int n = random.nextInt(3); n >= 0; n--) {
          log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
        }
      }
      switch (what) {
        case 0 -> {
          var old = logs.resolve("a.log." + ++rotated);
          Files.move(logs.resolve("a.log"), old);
          log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
        }
        case 1 -> {
          var copy = logs.resolve("a.log." + ++rotated);
          Files.copy(logs.resolve("a.log"), copy);
          Files.writeString(
              logs.resolve("a.log"), "line %d at %d\n".formatted(line++, random.nextInt()));
        }
        case 2 -> {
          // The collector has it open when it is deleted.
          found.addAll(taken(tail, true));
          log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
          Files.delete(logs.resolve("a.log"));
          log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
          // Before it is killed: what was deleted meanwhile is gone for good.
          found.addAll(taken(tail, true));
        }
        case 3 -> {
          // A kill: what was not confirmed is read again.
          tail.read();
          tail = tail(text);
          found.addAll(taken(tail, true));
        }
        case 4 -> {
          if (seed % 2 == 1) {
            // Renamed and packed while the collector does not run.
            found.addAll(taken(tail, true));
            log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
            var pack = logs.resolve("a.log." + ++rotated + ".gz");
            try (var out = new java.util.zip.GZIPOutputStream(Files.newOutputStream(pack))) {
              Files.copy(logs.resolve("a.log"), out);
            }
            Files.delete(logs.resolve("a.log"));
            log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
            tail = tail(text);
            found.addAll(taken(tail, true));
          }
        }
        case 5, 6 -> found.addAll(taken(tail, true));
        default -> {
          for (int n = random.nextInt(40); n >= 0; n--) {
            log("a.log", "line %d at %d\n".formatted(line++, random.nextInt()));
          }
        }
      }
    }
    found.addAll(taken(tail, true));
    found.addAll(taken(tail, true));
    var numbers = found.stream().map(l -> Integer.valueOf(l.split(" ")[1])).toList();
    assertThat(numbers).doesNotHaveDuplicates();
    assertThat(numbers).containsAll(IntStream.range(0, line).boxed().toList());
  }

  @Test
  void linesAreReadOnceOverRotationAndRestart() throws Exception {
    var text = "input: tail\nname: m\nfiles: [LOGS/*.log, LOGS/*.log.1]";
    log("a.log", "old\n");
    assertThat(taken(tail(text), true)).as("what was there before").isEmpty();
    log("a.log", "one\ntwo\nhal");
    var tail = tail(text);
    assertThat(taken(tail, false)).containsExactly("one", "two");
    assertThat(taken(tail, false)).as("read once").isEmpty();
    // A kill before they were stored: read again.
    tail = tail(text);
    assertThat(taken(tail, true)).containsExactly("one", "two");
    log("a.log", "f\n");
    // Rotated with a line that nobody has read yet.
    var logs = folder.resolve("logs");
    Files.move(logs.resolve("a.log"), logs.resolve("a.log.1"));
    log("a.log", "three\n");
    tail = tail(text);
    assertThat(taken(tail, true)).containsExactlyInAnyOrder("half", "three");
    assertThat(taken(tail, true)).isEmpty();
    // Cut to begin anew.
    Files.writeString(logs.resolve("a.log"), "x\n");
    assertThat(taken(tail, true)).containsExactly("x");
    // A file that appears is new from its first line.
    log("b.log", "first\n");
    assertThat(taken(tail, true)).containsExactly("first");
  }

  @Test
  void recordsMayHaveSeveralLines() throws Exception {
    var tail = tail("input: tail\nfiles: [LOGS/a.log]\nstarts: '^[0-9]{4}-'");
    log("a.log", "");
    taken(tail, true);
    log("a.log", "2026-11-26 refused\n  at gate 3\n  at quay\n2026-11-26 open\n");
    assertThat(taken(tail, true)).containsExactly("2026-11-26 refused\n  at gate 3\n  at quay");
    log("a.log", "  more of it\n2026-11-27 next\n");
    assertThat(taken(tail, true)).containsExactly("2026-11-26 open\n  more of it");
  }

  @Test
  void fieldsComeFromJsonAndFromPatterns() throws Exception {
    var json = tail("input: tail\nname: j\nformat: json\nfiles: [LOGS/j.log]");
    log("j.log", "");
    taken(json, true);
    log(
        "j.log",
        "{\"time\":\"2026-11-26T10:00:00Z\",\"level\":\"WARN\",\"message\":\"ticket"
            + " refused\",\"gate\":3}\n"
            + "not json\n");
    json.read();
    var events = json.events();
    assertThat(events).extracting(Event::text).containsExactly("ticket refused", "not json");
    assertThat(events.getFirst().level()).isEqualTo("warn");
    assertThat(events.getFirst().fields()).isEqualTo("{\"gate\":3}");
    assertThat(events.getFirst().time())
        .isEqualTo(java.time.Instant.parse("2026-11-26T10:00:00Z").toEpochMilli());
    var pattern =
        tail(
            "input: tail\n"
                + "name: p\n"
                + "files: [LOGS/p.log]\n"
                + "pattern: '^(?P<level>\\w+) (?P<text>.*) gate=(?P<gate>\\d+)$'");
    log("p.log", "");
    taken(pattern, true);
    log("p.log", "ERROR ticket refused gate=3\n");
    pattern.read();
    var event = pattern.events().getFirst();
    assertThat(event.level() + event.text() + event.fields())
        .isEqualTo("errorticket refused{\"gate\":\"3\"}");
  }

  @Test
  void messagesOfABrokerBecomeReadings() throws Exception {
    try (var broker = new SmallBroker()) {
      var config =
          input(
              """
              input: mqtt
              url: mqtt://127.0.0.1:%d
              qos: 0
              topics: [quay/+/scanner/#]
              topic: quay/{gate}/scanner/#
              labels: {site: north-quay}
              values: {scanner.battery: battery.level, scanner.scans: scans}\
              """
                  .formatted(broker.port()));
      try (var mqtt = mqtt(config)) {
        assertThat(mqtt.read()).isEmpty();
        assertThat(broker.awaitTopics()).containsExactly("quay/+/scanner/#");
        broker.publish("quay/north-1/scanner/status", "{\"battery\":{\"level\":81.5},\"scans\":4}");
        broker.publish("quay/north-2/scanner/status", "no json");
        broker.publish("quay/north-2/scanner/status", "{\"battery\":{\"level\":\"full\"}}");
        broker.publish("quay/north-2/scanner/status", "{\"scans\":5}");
        var read = new ArrayList<Reading>();
        double unreadable = 0;
        long end = System.nanoTime() + 10_000_000_000L;
        while ((read.size() < 3 || unreadable < 2) && System.nanoTime() < end) {
          for (var r : mqtt.read()) {
            if (r.metric().equals("collector.unreadable")) {
              unreadable += r.value();
            } else {
              read.add(r);
            }
          }
          Thread.onSpinWait();
        }
        assertThat(unreadable).isEqualTo(2);
        assertThat(texts(read))
            .containsExactly(
                "scanner.battery {gate=north-1, site=north-quay} 81.5",
                "scanner.scans {gate=north-1, site=north-quay} 4.0",
                "scanner.scans {gate=north-2, site=north-quay} 5.0");
      }
    }
    var config = input("input: mqtt\ntimeout: 1s\nurl: tcp://127.0.0.1:1\ntopics: [a]");
    assertThatThrownBy(mqtt(config)::read).hasMessageStartingWith("the broker can't be reached");
  }

  private MqttInput mqtt(CollectorConfig.Input config) {
    return new MqttInput(config, (CollectorConfig.Mqtt) config.source(), AS_IT_IS, folder);
  }

  /**
   * A collector that is killed at any point, a broker that is cut off: each message is there, those
   * that a kill met in the middle perhaps twice.
   */
  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4})
  void noMessageOfASessionIsLost(long seed) throws Exception {
    var random = new Random(seed);
    try (var broker = new SmallBroker()) {
      var config =
          input(
              "input: mqtt\ntimeout: 3s\nurl: mqtt://127.0.0.1:%d\ntopics: [n]"
                  .formatted(broker.port()));
      var seen = new TreeSet<Double>();
      var taken = new ArrayList<Double>();
      int sent = 0;
      var mqtt = mqtt(config);
      mqtt.read();
      assertThat(broker.awaitTopics()).containsExactly("n");
      for (int step = 0; step < 60; step++) {
        switch (random.nextInt(4)) {
          case 0 -> {
            // A kill: what was read and not confirmed is forgotten.
            mqtt.close();
            taken.clear();
            mqtt = mqtt(config);
          }
          case 1 -> {
            taken.addAll(numbers(mqtt));
            if (random.nextBoolean()) {
              mqtt.confirmation().run();
              seen.addAll(taken);
              taken.clear();
            }
          }
          case 2 -> broker.cut();
          default -> {
            for (int n = random.nextInt(5); n >= 0; n--) {
              broker.publish("n", String.valueOf(sent++), 1);
            }
          }
        }
      }
      mqtt.close();
      mqtt = mqtt(config);
      long end = System.nanoTime() + 20_000_000_000L;
      while (seen.size() < sent && System.nanoTime() < end) {
        seen.addAll(numbers(mqtt));
        mqtt.confirmation().run();
        Thread.onSpinWait();
      }
      assertThat(seen).hasSize(sent);
      while (broker.waiting() > 0 && System.nanoTime() < end) {
        Thread.onSpinWait();
      }
      assertThat(broker.waiting()).isZero();
      mqtt.confirmation().run();
      mqtt.close();
    }
    try (var files = Files.list(folder)) {
      assertThat(files.filter(f -> f.toString().endsWith(".messages"))).isEmpty();
    }
  }

  private static List<Double> numbers(MqttInput mqtt) {
    try {
      return mqtt.read().stream().map(Reading::value).toList();
    } catch (InputException e) {
      return List.of();
    }
  }

  @Test
  void topicsGiveLabels() {
    var pattern = TopicPattern.of("quay/{gate}/+/{part}");
    assertThat(pattern.labels("quay/n1/x/battery"))
        .isEqualTo(Map.of("gate", "n1", "part", "battery"));
    assertThat(pattern.labels("ship/n1/x/battery")).isEmpty();
    assertThat(pattern.labels("quay/n1/x")).isEmpty();
    assertThat(pattern.labels("quay/n1/x/battery/y")).isEmpty();
    assertThat(TopicPattern.of("").labels("a/b")).isEmpty();
  }
}
