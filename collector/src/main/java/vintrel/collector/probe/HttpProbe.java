package vintrel.collector.probe;

import java.io.IOException;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.function.UnaryOperator;
import org.apache.hc.core5.http.ClassicHttpResponse;
import org.apache.hc.core5.http.HttpException;
import org.apache.hc.core5.http.config.Http1Config;
import org.apache.hc.core5.http.impl.io.DefaultBHttpClientConnection;
import org.apache.hc.core5.http.message.BasicClassicHttpRequest;
import vintrel.core.collect.Check;
import vintrel.core.collect.Finding;

/** One request with its redirects. Any thread. */
final class HttpProbe {
  /** Of a body, what is read to look for texts. */
  private static final int MAX_BODY = 1_000_000;

  private static final int MAX_LINE = 16_000;
  private static final int MAX_HEADERS = 200;

  private final Prober prober;

  HttpProbe(Prober prober) {
    this.prober = prober;
  }

  /**
   * @param reveal gives a text with the secret that it refers to
   */
  void run(
      Check.Http probe,
      long timeout,
      UnaryOperator<String> reveal,
      Finding finding,
      Deadline deadline) {
    URI url;
    try {
      url = URI.create(reveal.apply(probe.url()));
    } catch (IllegalArgumentException | IllegalStateException e) {
      finding.failed(Connection.NAME, "the address is not valid");
      return;
    }
    boolean own = true;
    for (int hop = 0; ; hop++) {
      var next = request(probe, url, own, timeout, reveal, finding, deadline);
      if (next == null || hop >= probe.redirects()) {
        return;
      }
      finding.redirected();
      // Secrets go to the host that they are meant for alone.
      own &= sameHost(url, next);
      url = next;
    }
  }

  private static boolean sameHost(URI a, URI b) {
    return a.getHost().equalsIgnoreCase(b.getHost())
        && port(a) == port(b)
        && a.getScheme().equals(b.getScheme());
  }

  private static int port(URI url) {
    return url.getPort() > 0 ? url.getPort() : url.getScheme().equals("https") ? 443 : 80;
  }

  /** Makes one request; where it redirects to, or null if it does not, or failed. */
  private URI request(
      Check.Http probe,
      URI url,
      boolean own,
      long timeout,
      UnaryOperator<String> reveal,
      Finding finding,
      Deadline deadline) {
    boolean secure = "https".equals(url.getScheme());
    var host = url.getHost().replaceAll("^\\[|]$", "");
    try (var connection = prober.connection(finding, deadline)) {
      if (!connection.open(prober.resolver(), host, port(url), timeout)
          || secure && !connection.secure(host, port(url), timeout)) {
        return null;
      }
      var phase = "first byte";
      var config =
          Http1Config.custom().setMaxLineLength(MAX_LINE).setMaxHeaderCount(MAX_HEADERS).build();
      try (var http = new DefaultBHttpClientConnection(config)) {
        http.bind(connection.socket());
        long started = System.nanoTime();
        http.sendRequestHeader(header(probe, url, own, reveal));
        http.flush();
        var response = http.receiveResponseHeader();
        finding.phase(phase, Connection.since(started));
        started = System.nanoTime();
        phase = "rest";
        var type = response.getFirstHeader("Content-Type");
        clock(response.getFirstHeader("Date"), finding);
        finding.response(response.getCode(), type == null ? "" : type.getValue());
        if (!probe.method().equals("head")) {
          http.receiveResponseEntity(response);
          body(response, finding);
        }
        finding.phase(phase, Connection.since(started));
        return redirect(response, url);
      } catch (IOException | HttpException e) {
        finding.failed(phase, connection.words(e, timeout));
        return null;
      }
    }
  }

  private static BasicClassicHttpRequest header(
      Check.Http probe, URI url, boolean own, UnaryOperator<String> reveal) {
    var path = url.getRawPath() == null || url.getRawPath().isEmpty() ? "/" : url.getRawPath();
    var query = url.getRawQuery() == null ? "" : "?" + url.getRawQuery();
    var request =
        new BasicClassicHttpRequest(
            probe.method().toUpperCase(java.util.Locale.ROOT), path + query);
    request.addHeader("Host", url.getHost() + (url.getPort() > 0 ? ":" + url.getPort() : ""));
    request.addHeader("User-Agent", "Vintrel");
    request.addHeader("Connection", "close");
    request.addHeader("Accept", "*/*");
    if (probe.method().equals("post")) {
      request.addHeader("Content-Length", "0");
    }
    if (own) {
      if (url.getUserInfo() != null) {
        var who = url.getUserInfo().getBytes(StandardCharsets.UTF_8);
        request.addHeader("Authorization", "Basic " + Base64.getEncoder().encodeToString(who));
      }
      probe.headers().forEach((n, v) -> request.setHeader(n, reveal.apply(v)));
    }
    return request;
  }

  /** RFC 9110, 6.6.1: a date in whole seconds, so half a second late on average. */
  private static void clock(org.apache.hc.core5.http.Header date, Finding finding) {
    if (date != null) {
      try {
        var theirs =
            java.time.ZonedDateTime.parse(
                date.getValue(), java.time.format.DateTimeFormatter.RFC_1123_DATE_TIME);
        finding.clock(theirs.toInstant().toEpochMilli() + 500 - System.currentTimeMillis());
      } catch (java.time.format.DateTimeParseException e) {
        // What is no date says nothing of a clock.
      }
    }
  }

  private static void body(ClassicHttpResponse response, Finding finding) throws IOException {
    if (response.getEntity() == null) {
      return;
    }
    var bytes = response.getEntity().getContent().readNBytes(MAX_BODY);
    finding.body(new String(bytes, StandardCharsets.UTF_8), bytes.length);
  }

  /** Where a response sends on to, or null. */
  private static URI redirect(ClassicHttpResponse response, URI from) {
    int code = response.getCode();
    var location = response.getFirstHeader("Location");
    if (code < 301 || code > 308 || code == 304 || location == null) {
      return null;
    }
    try {
      var to = from.resolve(location.getValue());
      boolean valid =
          to.getHost() != null && ("http".equals(to.getScheme()) || "https".equals(to.getScheme()));
      return valid ? to : null;
    } catch (IllegalArgumentException e) {
      return null;
    }
  }
}
