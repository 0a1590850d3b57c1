package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

/** Behind a proxy that ends TLS, and without one. */
class ProxyTest {
  @RegisterExtension
  static final RunningServer behind =
      new RunningServer(
          "--vintrel.proxies=127\\.0\\.0\\.1",
          "--vintrel.address=https://vintrel.marrowsound.example");

  @RegisterExtension static final RunningServer plain = new RunningServer();

  /** The head of an answer; the JDK's client sets no Host of one's own. */
  private static String ask(RunningServer server, String path, String host, String... headers)
      throws IOException {
    var base = URI.create(server.base());
    try (var socket = new Socket("127.0.0.1", base.getPort())) {
      var request =
          "GET "
              + path
              + " HTTP/1.1\r\nHost: "
              + host
              + "\r\nAccept: text/html, */*\r\nConnection: close\r\n"
              + String.join("", headers)
              + "\r\n";
      socket.getOutputStream().write(request.getBytes(StandardCharsets.ISO_8859_1));
      var all = new String(socket.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
      return all.substring(0, Math.max(0, all.indexOf("\r\n\r\n")));
    }
  }

  @Test
  void behindTlsCookiesAreSecureAndBrowsersStayThere() throws IOException {
    var https = "X-Forwarded-Proto: https\r\n";
    var head = ask(behind, "/signin", "vintrel.marrowsound.example", https);
    assertThat(head).contains("Strict-Transport-Security", "; Secure", "HttpOnly", "SameSite=Lax");
    assertThat(ask(behind, "/bench", "vintrel.marrowsound.example", https))
        .contains(" 302", "/signin?to=%2Fbench");
  }

  @Test
  void nobodyElsesForwardedHeadersAreBelieved() throws IOException {
    var head =
        ask(
            plain,
            "/signin",
            "localhost",
            "X-Forwarded-Proto: https\r\n",
            "X-Forwarded-For: 198.51.100.7\r\n",
            "Forwarded: proto=https;host=evil.example\r\n");
    assertThat(head).doesNotContain("Strict-Transport-Security", "; Secure", "evil");
  }

  @Test
  void pagesAreAnsweredUnderTheServersOwnNamesAlone() throws IOException {
    assertThat(ask(behind, "/signin", "evil.example")).contains(" 421");
    for (var own : new String[] {"vintrel.marrowsound.example", "127.0.0.1", "localhost:8420"}) {
      assertThat(ask(behind, "/signin", own)).as(own).contains(" 200");
    }
    assertThat(ask(behind, "/health/ready", "10.1.2.3.internal.example")).contains(" 200");
    assertThat(ask(behind, "/api/v1/series", "internal.example")).contains(" 401");
    assertThat(ask(plain, "/bench", "evil.example")).as("links stay here").contains("/signin");
  }
}
