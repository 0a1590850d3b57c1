package vintrel.collector.probe;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import com.sun.net.httpserver.HttpsConfigurator;
import com.sun.net.httpserver.HttpsServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.nio.file.Path;
import java.security.KeyStore;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Executors;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManagerFactory;
import javax.net.ssl.X509ExtendedTrustManager;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;
import vintrel.core.collect.Verdict;

class ProberTest {
  private static final char[] WORD = "changeit".toCharArray();
  private static final long MINUTE = 60_000;

  @TempDir Path folder;
  private final List<HttpServer> servers = new ArrayList<>();
  private final List<String> authorizations = new ArrayList<>();

  private static InetAddress[] local(String host) {
    if (host.equals("forbidden.example")) {
      throw new IllegalArgumentException("forbidden.example is not allowed");
    }
    return new InetAddress[] {InetAddress.getLoopbackAddress()};
  }

  private final Prober prober = new Prober(ProberTest::local, null, "", null);

  @AfterEach
  void stop() {
    servers.forEach(s -> s.stop(0));
  }

  private HttpServer serve(HttpServer server) {
    server.createContext(
        "/",
        x -> {
          authorizations.add(String.valueOf(x.getRequestHeaders().getFirst("Authorization")));
          var path = x.getRequestURI().getPath();
          if (path.startsWith("/to")) {
            x.getResponseHeaders()
                .add(
                    "Location",
                    new String(java.util.Base64.getUrlDecoder().decode(path.substring(4))));
            x.sendResponseHeaders(302, -1);
          } else if (path.equals("/again")) {
            x.getResponseHeaders().add("Location", "/again");
            x.sendResponseHeaders(307, -1);
          } else if (path.equals("/stuck")) {
            x.sendResponseHeaders(200, 10);
            x.getResponseBody().write('a');
            x.getResponseBody().flush();
            return;
          } else {
            var body = "Sailings of today".getBytes();
            x.sendResponseHeaders(path.equals("/gone") ? 404 : 200, body.length);
            x.getResponseBody().write(body);
          }
          x.close();
        });
    server.setExecutor(Executors.newVirtualThreadPerTaskExecutor());
    server.start();
    servers.add(server);
    return server;
  }

  private HttpServer plain() throws IOException {
    return serve(HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0));
  }

  private static Check.Http http(String url) {
    return new Check.Http(
        url, "get", Map.of("Authorization", "secret"), Check.Http.ANY_2XX, "", null, 3, 0);
  }

  private static String place(HttpServer server) {
    return "127.0.0.1:" + server.getAddress().getPort();
  }

  private Finding run(Check.Probe probe) {
    return prober.run(probe, MINUTE, s -> s.equals("secret") ? "Bearer word" : s);
  }

  private static String to(HttpServer server, String url) {
    return "http://"
        + place(server)
        + "/to/"
        + java.util.Base64.getUrlEncoder().encodeToString(url.getBytes());
  }

  @Test
  void aRequestHasItsPhasesStatusAndBody() throws IOException {
    var found = run(http("http://" + place(plain()) + "/"));
    assertThat(found.fault()).isEmpty();
    assertThat(found.status()).isEqualTo(200);
    assertThat(found.body()).isEqualTo("Sailings of today");
    assertThat(found.phases())
        .extracting(Finding.Phase::name)
        .containsExactly("name", "connect", "first byte", "rest");
    assertThat(authorizations).containsExactly("Bearer word");
  }

  @Test
  void redirectsAreFollowedToTheirNumberAndSecretsStayWithTheirHost() throws IOException {
    var first = plain();
    var second = plain();
    var found = run(http(to(first, "http://" + place(second) + "/")));
    assertThat(found.status()).isEqualTo(200);
    assertThat(found.redirects()).isEqualTo(1);
    assertThat(authorizations).containsExactly("Bearer word", "null");
    authorizations.clear();
    found = run(http("http://" + place(first) + "/again"));
    assertThat(found.status()).isEqualTo(307);
    assertThat(found.redirects()).isEqualTo(3);
    assertThat(authorizations).hasSize(4);
    found = run(http(to(first, "http://forbidden.example/")));
    assertThat(found.fault()).isEqualTo("forbidden.example is not allowed");
    assertThat(found.failedPhase()).isEqualTo("name");
    // What is no web address is not followed.
    assertThat(run(http(to(first, "file:///etc/passwd"))).status()).isEqualTo(302);
  }

  @Test
  void whatHangsEndsAtItsTimeout() throws IOException {
    try (var silent = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      var place = "127.0.0.1:" + silent.getLocalPort();
      var found = prober.run(http("http://" + place + "/"), 200, s -> s);
      assertThat(found.fault()).isEqualTo("no response within 200 ms");
      assertThat(found.failedPhase()).isEqualTo("first byte");
      found = prober.run(new Check.Tls("127.0.0.1", silent.getLocalPort(), 0), 200, s -> s);
      assertThat(found.failedPhase()).as(found.fault()).isEqualTo("TLS");
    }
    var found = prober.run(http("http://" + place(plain()) + "/stuck"), 2_000, s -> s);
    assertThat(found.failedPhase()).isEqualTo("rest");
    assertThat(found.fault()).isEqualTo("no response within 2 s");
  }

  @Test
  void aConnectionIsMadeOrRefused() throws IOException {
    int port;
    try (var listening = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      port = listening.getLocalPort();
      assertThat(run(new Check.Tcp("gate.example", port)).fault()).isEmpty();
    }
    var found = run(new Check.Tcp("gate.example", port));
    assertThat(found.fault()).startsWith("connection refused");
    assertThat(found.failedPhase()).isEqualTo("connect");
  }

  private Path store(String name, String... more) throws Exception {
    var file = folder.resolve(name + ".p12");
    var command =
        new ArrayList<>(
            List.of(
                Path.of(System.getProperty("java.home"), "bin", "keytool").toString(),
                "-genkeypair",
                "-alias",
                "a",
                "-keyalg",
                "EC",
                "-dname",
                "CN=" + name,
                "-keystore",
                file.toString(),
                "-storepass",
                "changeit",
                "-ext",
                "san=dns:" + name));
    command.addAll(Arrays.asList(more));
    var process = new ProcessBuilder(command).redirectErrorStream(true).start();
    var said = new String(process.getInputStream().readAllBytes());
    assertThat(process.waitFor()).as(said).isZero();
    return file;
  }

  private HttpServer secure(Path file) throws Exception {
    var keys = KeyStore.getInstance(file.toFile(), WORD);
    var factory = KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
    factory.init(keys, WORD);
    var context = SSLContext.getInstance("TLS");
    context.init(factory.getKeyManagers(), null, null);
    var server = HttpsServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.setHttpsConfigurator(new HttpsConfigurator(context));
    return serve(server);
  }

  private static X509ExtendedTrustManager trusting(Path file) throws Exception {
    // A store of keys names no trusted certificate: its certificate goes into one that does.
    var trusted = KeyStore.getInstance("PKCS12");
    trusted.load(null, null);
    trusted.setCertificateEntry("a", KeyStore.getInstance(file.toFile(), WORD).getCertificate("a"));
    var factory = TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
    factory.init(trusted);
    return (X509ExtendedTrustManager) factory.getTrustManagers()[0];
  }

  @Test
  void aTrustedCertificateTellsItsDays() throws Exception {
    var file = store("booking.example", "-validity", "30");
    int port = secure(file).getAddress().getPort();
    var trusting = new Prober(ProberTest::local, trusting(file), "", null);
    var found = trusting.run(new Check.Tls("booking.example", port, 21), MINUTE, s -> s);
    assertThat(found.fault()).isEmpty();
    var check =
        new Check(
            "c",
            "c",
            new Check.Tls("booking.example", port, 21),
            1,
            1,
            0,
            Map.of(),
            Check.HERE,
            false);
    var verdict = Verdict.of(check, found, System.currentTimeMillis());
    assertThat(verdict.passed()).isTrue();
    assertThat(verdict.daysLeft()).isBetween(29.5, 30.0);
    found = trusting.run(http("https://booking.example:" + port + "/"), MINUTE, s -> s);
    assertThat(found.status()).isEqualTo(200);
    assertThat(found.phases()).extracting(Finding.Phase::name).contains("TLS");
    found = trusting.run(http("https://other.example:" + port + "/"), MINUTE, s -> s);
    assertThat(found.fault()).isEqualTo("the certificate is for a different host name");
  }

  @Test
  void nothingIsSentToWhomeverIsNotTrusted() throws Exception {
    int port = secure(store("booking.example", "-validity", "30")).getAddress().getPort();
    var found = run(http("https://booking.example:" + port + "/"));
    assertThat(found.fault())
        .isEqualTo("the certificate is self-signed (CN=booking.example) and not trusted here");
    assertThat(found.certificateEnd()).isPositive();
    assertThat(authorizations).isEmpty();
    var old = store("old.example", "-startdate", "-40d", "-validity", "30");
    port = secure(old).getAddress().getPort();
    found = run(new Check.Tls("old.example", port, 0));
    assertThat(found.fault()).startsWith("the certificate expired on ");
    try (var plain = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      Thread.ofVirtual().start(() -> refuse(plain));
      assertThat(run(new Check.Tls("old.example", plain.getLocalPort(), 0)).fault())
          .isEqualTo("the port does not speak TLS; use http://");
    }
  }

  private static void refuse(ServerSocket plain) {
    try (var socket = plain.accept()) {
      socket.getOutputStream().write("HTTP/1.1 400 Bad Request\r\n\r\n".getBytes());
      socket.getInputStream().readAllBytes();
    } catch (IOException e) {
      // The test sees what the other side says.
    }
  }
}
