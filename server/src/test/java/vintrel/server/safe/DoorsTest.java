package vintrel.server.safe;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpRequest;
import java.nio.charset.StandardCharsets;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.panel.Note;
import vintrel.server.RunningServer;

/** Doors that stood open, or answered with somebody else's words. */
class DoorsTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  /** What is sent back for a raw request. */
  private static String raw(String request) throws IOException {
    var at = URI.create(server.base());
    try (var socket = new Socket(at.getHost(), at.getPort())) {
      socket.setSoTimeout(5_000);
      socket.getOutputStream().write(request.getBytes(StandardCharsets.UTF_8));
      return new String(socket.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  @Test
  void aForeignHostNameIsNotInTheAnswer() throws IOException {
    for (var path : new String[] {"/", "/dashboards", "/watch/rules", "/signin"}) {
      var answer =
          raw("GET " + path + " HTTP/1.1\r\nHost: evil.example\r\nConnection: close\r\n\r\n");
      assertThat(answer).as(path).startsWith("HTTP/1.1 ").doesNotContain("evil.example");
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"/dashboards/%00", "/docs/%22", "/docs/%2e%2e%2f", "/a;b=c", "/%ff", "/docs/\"x"})
  void whatTheWebServerRefusesHasOurFormAndHeaders(String path) throws IOException {
    var answer =
        raw("GET %s HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n".formatted(path));
    assertThat(answer).as(path).doesNotContain("Apache").doesNotContain("Tomcat");
    assertThat(answer.toLowerCase()).as(path).contains("x-content-type-options: nosniff");
  }

  private static int ask(String controls) {
    return server
        .post(
            "/api/v1/query",
            "application/json",
            "{\"query\": \"doors.m where host matches $p\", \"controls\": %s}".formatted(controls))
        .statusCode();
  }

  @Test
  void controlsThatAreNoTextsOrNoPatternsAreRefusedInWords() {
    server.post(
        "/api/v1/samples", "application/x-www-form-urlencoded", "metric=doors.m&value=9&host=a");
    assertThat(ask("{\"p\": [\"a\"]}")).isEqualTo(200);
    for (var controls :
        new String[] {
          "{\"p\": null}", "{\"p\": [null]}", "{\"p\": [\"(\"]}", "{\"p\": [\"a{9999}\"]}"
        }) {
      assertThat(ask(controls)).as(controls).isEqualTo(400);
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {">", "- ", "*", "[", "_", "1. ", "![", "`", "|-"})
  void textsThatNestWithoutEndAreShownSomehow(String part) {
    assertThat(Note.html(part.repeat(10_000 / part.length()) + " a")).contains("a");
  }

  @Test
  void aTokenThatWouldHaveExpiredBeforeItWasMadeIsRefused() {
    var answer =
        server.send(
            server.to("/api/v1/tokens?name=old&days=-5").POST(HttpRequest.BodyPublishers.noBody()));
    assertThat(answer.statusCode()).isEqualTo(400);
    assertThat(answer.body()).contains("days must be");
  }
}
