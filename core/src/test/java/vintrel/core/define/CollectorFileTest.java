package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.collect.CollectorConfig;

class CollectorFileTest {
  private static CollectorFile parse(String text) {
    return CollectorFile.parse(text, "nq-db-1");
  }

  @Test
  void kindAndNameMayBeLeftOut() {
    var file =
        parse(
            """
            labels: {site: north-quay}
            inputs:
            - input: host
            - input: command
              run: [/usr/bin/true]
              every: 1m
            """);
    assertThat(file.faults()).isEmpty();
    assertThat(file.config().name()).isEqualTo("nq-db-1");
    assertThat(file.config().inputs())
        .extracting(i -> i.name() + " " + i.every())
        .containsExactly("host-1 10000", "command-2 60000");
    assertThat(file.config().fetch()).isEqualTo(CollectorConfig.Fetch.OFF);
  }

  @Test
  void everyFaultHasItsLine() {
    var file =
        parse(
            """
            name: nq-db-1
            every: soon
            inputs:
            - input: hots
            - input: sql
              url: jdbc:postgresql://localhost/manifest

              timout: 5s
            - input: tail
              files: [/var/log/*.log]
              run: [ls]
              pattern: '('
            - input: mqtt
              url: tcp://quay
            """);
    assertThat(file.config()).isNull();
    assertThat(file.faults())
        .extracting(Object::toString)
        .containsExactly(
            "line 2: every: must be a duration such as 30s or 5m, not 'soon'",
            "line 4: inputs[0].input: must be one of host, http, check, scrape, command, sql, mqtt,"
                + " tail, speed, not 'hots'",
            "line 8: inputs[1].timout: unknown key; did you mean timeout?",
            "line 12: inputs[2].pattern: is not a valid pattern: error parsing regexp: missing"
                + " closing ): `(`");
    // What belongs to other inputs, or is missing, is said once the rest is right.
    file =
        parse(
            """
            inputs:
            - input: tail
              files: [/var/log/*.log]
              run: [ls]
            - input: mqtt
              url: tcp://quay
            """);
    assertThat(file.faults())
        .extracting(Object::toString)
        .containsExactly(
            "line 4: inputs[0].run: does not belong to the input tail",
            "line 5: inputs[1].topics: is missing for the input mqtt");
  }

  /** Every probe is written as it was read, with its own fields, and refuses those of others. */
  @Test
  void checksAreInputsToo() {
    var text =
        """
        kind: collector
        name: isles
        inputs:
        - {input: http, name: a, url: 'http://gate.example/', days-left: 7, max-duration: 1s}
        - {input: check, name: b, title: Gate, http: 'http://gate.example/', method: head}
        - {input: check, name: c, tcp: '[::1]:443', timeout: 2s, labels: {site: mid-isles}}
        - {input: check, name: d, dns: gate.example, record: mx, answer: '10 post.example.'}
        - {input: check, name: e, tls: gate.example, days-left: 21}
        """;
    var read = parse(text);
    assertThat(read.faults()).isEmpty();
    assertThat(read.config().inputs())
        .extracting(i -> ((CollectorConfig.Probing) i.source()).probe().kind())
        .containsExactly("http", "http", "tcp", "dns", "tls");
    var again =
        parse(Bundle.Document.of(new Definition.OfCollector(read.config())).text()).config();
    assertThat(again).usingRecursiveComparison().isEqualTo(read.config());
    var faults =
        parse(
                """
                inputs:
                - {input: check, name: a}
                - {input: check, name: b, tcp: 'a:1', dns: a}
                - {input: check, name: c, tcp: 'a:1', record: mx}
                - {input: check, name: d, tcp: 'a:70000'}
                - {input: http, name: e, url: 'http://a/', tcp: 'a:1'}
                """)
            .faults();
    assertThat(faults)
        .extracting(Object::toString)
        .containsExactly(
            "line 2: inputs[0]: needs one of http, tcp, dns and tls for the input check",
            "line 3: inputs[1]: needs one of http, tcp, dns and tls for the input check",
            "line 4: inputs[2].record: does not belong to checks of tcp",
            "line 5: inputs[3].tcp: the port must be from 1 to 65,535",
            "line 6: inputs[4].tcp: does not belong to the input http");
  }

  @Test
  void brokenYamlHasItsLineToo() {
    assertThat(parse("inputs:\n- input: [host\n").faults().getFirst().line()).isPositive();
    assertThat(parse("a: 1\na: 2\n").faults()).hasSize(1);
    assertThat(parse("- 1\n").faults()).hasSize(1);
    assertThat(parse("").faults()).hasSize(1);
    assertThat(parse("inputs: &a [*a]\n").config()).isNull();
  }

  @Test
  void aSecretInTheFileIsPointedOut() {
    var file =
        parse(
            """
            token: vt_abcdef
            inputs:
            - input: sql
              url: jdbc:h2:mem:a
              statement: select 1
              metric: one
              password: quay-word
            - input: scrape
              url: http://localhost/
              headers: {Authorization: Bearer x, Accept: text/plain}
            - input: scrape
              url: http://localhost/
              headers: {Authorization: 'Bearer ${GATE_TOKEN}'}
            """);
    assertThat(file.warnings()).extracting(CollectorFile.Fault::line).containsExactly(1, 7, 10);
    assertThat(file.warnings().toString()).doesNotContain("quay-word", "vt_abcdef");
  }

  /** Whatever a file holds, it is read or its faults are told. */
  @Test
  void noFileIsAnAccident() {
    var random = new Random(12);
    var text = Documents.text(new CollectorKind().example());
    for (int i = 0; i < 10_000; i++) {
      var bytes = new StringBuilder(text);
      for (int k = random.nextInt(4); k >= 0; k--) {
        int at = random.nextInt(bytes.length());
        switch (random.nextInt(4)) {
          case 0 -> bytes.deleteCharAt(at);
          case 1 -> bytes.insert(at, (char) (32 + random.nextInt(95)));
          case 2 -> bytes.insert(at, "\n");
          default -> bytes.setCharAt(at, "{}[]:-&*!|>'\"%@`\t\u0000".charAt(random.nextInt(18)));
        }
      }
      var file = parse(bytes.toString());
      assertThat(file.config() == null).as(bytes.toString()).isEqualTo(!file.faults().isEmpty());
      file.faults()
          .forEach(
              f -> assertThat(f.line()).isBetween(1, bytes.toString().split("\n", -1).length + 1));
    }
  }

  @Test
  void anAddressThatIsNoneIsNamed() {
    var faults = new java.util.TreeMap<String, Boolean>();
    for (var each :
        List.of(
            "http url=not a url",
            "scrape url=nq-gate-1:9100",
            "scrape url=http://nq-gate-1:9100/metrics",
            "scrape url=${GATE}/metrics",
            "mqtt url=nq-queue-1",
            "mqtt url=tcp://nq-queue-1:1883",
            "sql url=postgresql://nq-db-1/x",
            "sql url=jdbc:postgresql://nq-db-1/x",
            "speed download=ftp://nq-app-1/a",
            "speed upload=http://nq-app-1/a")) {
      var parts = each.split("[ =]", 3);
      var more =
          switch (parts[0]) {
            case "mqtt" -> "\n  topics: [a]\n  metric: m";
            case "sql" -> "\n  statement: select 1\n  metric: m";
            default -> "";
          };
      var file = "inputs:\n- input: %s\n  %s: %s%s\n".formatted(parts[0], parts[1], parts[2], more);
      faults.put(each, parse(file).faults().toString().contains("is not an address"));
    }
    assertThat(faults.entrySet().stream().filter(Map.Entry::getValue).map(Map.Entry::getKey))
        .containsExactlyInAnyOrder(
            "http url=not a url",
            "scrape url=nq-gate-1:9100",
            "mqtt url=nq-queue-1",
            "sql url=postgresql://nq-db-1/x",
            "speed download=ftp://nq-app-1/a");
  }
}
