package vintrel.server.define;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.http.HttpRequest;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.define.KindExamples;
import vintrel.server.RunningServer;

/** A secret stands in the field that it was entered in, and nowhere else. */
class SecretUseTest {
  private static final Pattern REFERENCE = Pattern.compile("[0-9a-f]{16}");

  @RegisterExtension static final RunningServer server = new RunningServer();

  private static String id;

  @BeforeAll
  static void aJobWithASecret() {
    var saved = put("job", "secretive", job("targets: ['http://127.0.0.1:1/m']"));
    assertThat(saved).startsWith("20");
    var text = server.send(server.to("/api/v1/definitions/job/secretive")).body();
    assertThat(text).doesNotContain("s3cret").doesNotContain("12345678");
    var m = REFERENCE.matcher(text);
    assertThat(m.find()).isTrue();
    id = m.group();
  }

  private static String job(String rest) {
    return """
    kind: job
    name: secretive
    headers: {Authorization: Bearer s3cret, X-Number: 12345678, X-True: true}
    paused: true
    %s
    """
        .formatted(rest);
  }

  private static String put(String kind, String name, String yaml) {
    var answer =
        server.send(
            server
                .to("/api/v1/definitions/" + kind + "/" + name)
                .header("Content-Type", "application/yaml")
                .PUT(HttpRequest.BodyPublishers.ofString(yaml)));
    return answer.statusCode() + " " + answer.body();
  }

  /** The document with the text at one place replaced, for every text in it. */
  @SuppressWarnings("unchecked")
  private static List<Object> variants(Object value, String with) {
    var out = new ArrayList<Object>();
    switch (value) {
      case Map<?, ?> map ->
          map.forEach(
              (k, v) -> {
                for (var changed : variants(v, with)) {
                  var copy = new LinkedHashMap<>((Map<Object, Object>) map);
                  copy.put(k, changed);
                  out.add(copy);
                }
              });
      case List<?> list -> {
        for (int i = 0; i < list.size(); i++) {
          for (var changed : variants(list.get(i), with)) {
            var copy = new ArrayList<Object>(list);
            copy.set(i, changed);
            out.add(copy);
          }
        }
      }
      case String text -> out.add(with);
      case null, default -> {}
    }
    return out;
  }

  @Test
  void aReferenceElsewhereIsRefusedInEveryFieldOfEveryKind() {
    int tried = 0;
    for (var example : KindExamples.all()) {
      for (var with :
          List.of(
              "secret://header/" + id,
              "http://secret-" + id + "@127.0.0.1:1/m",
              "http://127.0.0.1:1/m?token=secret-" + id)) {
        for (var variant : variants(example, with)) {
          var answer =
              server.post(
                  "/api/v1/definitions",
                  "application/json",
                  JsonMapper.shared().writeValueAsString(variant));
          assertThat(answer.statusCode()).as(variant.toString()).isNotEqualTo(200);
          tried++;
        }
      }
    }
    assertThat(tried).isGreaterThan(100);
  }

  @Test
  void anotherFieldOrHostOfTheSameJobIsElsewhereToo() {
    var kept = "headers: {Authorization: 'secret://header/%s'}\npaused: true\n".formatted(id);
    var head = "kind: job\nname: secretive\n";
    assertThat(put("job", "secretive", head + kept + "targets: ['http://127.0.0.1:1/other']"))
        .startsWith("200");
    for (var elsewhere :
        List.of(
            head + kept + "targets: ['http://127.0.0.1:2/m']",
            head + kept + "targets: ['http://127.0.0.1:2?@127.0.0.1:1/m']",
            head + kept + "targets: ['http://127.0.0.1:2#@127.0.0.1:1/m']",
            head
                + "paused: true\nheaders: {X-Other: 'secret://header/%s'}\n".formatted(id)
                + "targets: ['http://127.0.0.1:1/m']",
            head + "paused: true\ntargets: ['http://secret-%s@127.0.0.1:1/m']\n".formatted(id))) {
      assertThat(put("job", "secretive", elsewhere)).as(elsewhere).startsWith("422");
    }
  }

  @Test
  void headersOfSeveralLinesAreRefusedAndSecretsInAddressesNotRepeated() {
    assertThat(
            put(
                "job",
                "lines",
                "kind: job\nname: lines\npaused: true\ntargets: ['http://127.0.0.1:1/']\n"
                    + "headers: {X-A: \"s3cret\\nX-B: c\"}"))
        .startsWith("422")
        .contains("line breaks")
        .doesNotContain("s3cret");
    for (var url :
        List.of("http://u:p/s3cret@host/", "http://u:s3cret@ho st/", "http://a?b=s3cret#x")) {
      assertThat(
              put("job", "odd", "kind: job\nname: odd\npaused: true\ntargets: ['" + url + "']\n"))
          .startsWith("422")
          .doesNotContain("s3cret");
    }
    assertThat(
            put(
                "job",
                "query",
                "kind: job\nname: query\npaused: true\n"
                    + "targets: ['http://127.0.0.1:1/m?a=1&token=s3cret&b=2']\n"))
        .startsWith("201");
    assertThat(server.send(server.to("/api/v1/definitions/job/query")).body())
        .contains("a=1&token=secret-")
        .contains("b=2")
        .doesNotContain("s3cret");
  }

  @Test
  void versionsOfAnEarlierProgramLoseTheirSecretsAndKeepTheirTexts() {
    for (int version = 1; version <= 3; version++) {
      put(
          "job",
          "aged",
          "kind: job\nname: aged\npaused: true\ntargets: ['http://127.0.0.1:1/m?v=%d']\n"
              .formatted(version));
    }
    // As a program wrote them that did not look at the query of an address.
    server
        .bean(vintrel.server.database.Database.class)
        .run(
            s -> {
              for (var entity : List.of("Definition", "Revision")) {
                s.createMutationQuery(
                        "update "
                            + entity
                            + " set text = replace(text, '?v=', '?token=s3cret&v=')"
                            + " where name = 'aged'")
                    .executeUpdate();
              }
            });
    server.stop();
    server.start();
    var history = server.send(server.to("/api/v1/definitions/job/aged/history")).body();
    assertThat(history)
        .contains("v=1", "v=2", "v=3")
        .contains("token=secret-")
        .doesNotContain("s3cret");
  }
}
