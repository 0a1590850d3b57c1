package vintrel.server.web;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.net.InetAddress;
import java.net.URI;
import java.net.UnknownHostException;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.BooleanSupplier;
import org.apache.hc.client5.http.DnsResolver;
import org.apache.hc.client5.http.classic.methods.HttpUriRequestBase;
import org.apache.hc.client5.http.config.ConnectionConfig;
import org.apache.hc.client5.http.config.RequestConfig;
import org.apache.hc.client5.http.impl.classic.CloseableHttpClient;
import org.apache.hc.client5.http.impl.classic.HttpClients;
import org.apache.hc.client5.http.impl.io.PoolingHttpClientConnectionManagerBuilder;
import org.apache.hc.client5.http.ssl.DefaultClientTlsStrategy;
import org.apache.hc.core5.http.ClassicHttpResponse;
import org.apache.hc.core5.http.ContentType;
import org.apache.hc.core5.http.HttpHost;
import org.apache.hc.core5.http.io.SocketConfig;
import org.apache.hc.core5.http.io.entity.ByteArrayEntity;
import org.apache.hc.core5.util.Timeout;
import org.springframework.stereotype.Component;

/**
 * All HTTP requests to addresses that people configure. The addresses that {@link OutboundGuard}
 * checks are those that are connected to; no redirect is followed; the whole exchange has a
 * deadline, however slowly the answer drips, and the answer a limit. Any thread.
 */
@Component
public class Outgoing {
  private static final int MAX_CONNECTIONS = 400;
  private static final int MAX_OF_ONE = 40;
  private static final Timeout CONNECTING = Timeout.ofSeconds(5);
  private static final long POLL_INTERVAL_MS = 100;

  private final OutboundGuard guard;
  private final CloseableHttpClient http;
  private final ScheduledExecutorService deadlines =
      Executors.newSingleThreadScheduledExecutor(
          Thread.ofPlatform().daemon().name("deadlines of calls").factory());

  Outgoing(OutboundGuard guard, TrustedAuthorities trusted) {
    this.guard = guard;
    var tls = trusted.context();
    var connections =
        PoolingHttpClientConnectionManagerBuilder.create()
            .setTlsSocketStrategy(tls == null ? null : new DefaultClientTlsStrategy(tls))
            .setDnsResolver(new Guarded(guard))
            .setMaxConnTotal(MAX_CONNECTIONS)
            .setMaxConnPerRoute(MAX_OF_ONE)
            .setDefaultConnectionConfig(
                ConnectionConfig.custom()
                    .setConnectTimeout(CONNECTING)
                    .setSocketTimeout(Timeout.ofSeconds(60))
                    .setTimeToLive(Timeout.ofMinutes(2))
                    .build())
            .setDefaultSocketConfig(
                SocketConfig.custom().setSoTimeout(Timeout.ofSeconds(60)).build())
            .build();
    this.http =
        HttpClients.custom()
            .setConnectionManager(connections)
            .disableRedirectHandling()
            .disableAutomaticRetries()
            .disableCookieManagement()
            .disableAuthCaching()
            .disableContentCompression()
            .setUserAgent("Vintrel")
            .setDefaultRequestConfig(
                RequestConfig.custom().setConnectionRequestTimeout(CONNECTING).build())
            .build();
  }

  private record Guarded(OutboundGuard guard) implements DnsResolver {
    @Override
    public InetAddress[] resolve(String host) throws UnknownHostException {
      try {
        return guard.resolve(host);
      } catch (IllegalArgumentException e) {
        throw new UnknownHostException(e.getMessage());
      }
    }

    @Override
    public String resolveCanonicalHostname(String host) {
      return host;
    }
  }

  /**
   * A call.
   *
   * @param body null if there is none
   * @param deadlineMillis for the whole exchange, from now to the last byte
   * @param mostBytes of the answer
   * @param cancelled looked at while it is under way; true ends it
   */
  public record Call(
      String method,
      URI url,
      Map<String, String> headers,
      byte[] body,
      long deadlineMillis,
      long maxBytes,
      BooleanSupplier cancelled) {
    public Call(
        String method,
        URI url,
        Map<String, String> headers,
        byte[] body,
        long deadlineMillis,
        long maxBytes) {
      this(method, url, headers, body, deadlineMillis, maxBytes, null);
    }
  }

  /**
   * What was answered.
   *
   * @param type of the content, or empty
   */
  public record Answer(int status, byte[] body, String type) {}

  /**
   * Makes a call.
   *
   * @throws IllegalArgumentException if the address is refused
   * @throws IOException if no whole answer comes in time, or one that is too long; the message says
   *     which
   */
  public Answer call(Call call) throws IOException {
    return call(call, null);
  }

  /**
   * As above.
   *
   * @param machine the address to connect to, if the host of the URL stands for several; or null
   */
  public Answer call(Call call, InetAddress machine) throws IOException {
    guard.check(call.url().toString());
    var request = new HttpUriRequestBase(call.method(), call.url());
    call.headers().forEach(request::addHeader);
    if (call.body() != null) {
      var type = call.headers().getOrDefault("Content-Type", "application/octet-stream");
      request.removeHeaders("Content-Type");
      request.setEntity(new ByteArrayEntity(call.body(), ContentType.parse(type)));
    }
    var why = new AtomicReference<String>();
    var over =
        deadlines.schedule(
            () -> end(request, why, "no complete response within " + call.deadlineMillis() + " ms"),
            call.deadlineMillis(),
            TimeUnit.MILLISECONDS);
    var looking =
        call.cancelled() == null
            ? null
            : deadlines.scheduleAtFixedRate(
                () -> {
                  if (call.cancelled().getAsBoolean()) {
                    end(request, why, "cancelled");
                  }
                },
                POLL_INTERVAL_MS,
                POLL_INTERVAL_MS,
                TimeUnit.MILLISECONDS);
    HttpHost to = null;
    if (machine != null) {
      var url = call.url();
      guard.check(url.getHost(), machine);
      to = new HttpHost(url.getScheme(), machine, url.getHost(), url.getPort());
    }
    try (var answer = http.executeOpen(to, request, null)) {
      return read(call, request, answer);
    } catch (IOException e) {
      throw why.get() == null ? e : new IOException(why.get());
    } finally {
      over.cancel(false);
      if (looking != null) {
        looking.cancel(false);
      }
    }
  }

  private static void end(HttpUriRequestBase request, AtomicReference<String> why, String reason) {
    why.compareAndSet(null, reason);
    request.abort();
  }

  private static Answer read(Call call, HttpUriRequestBase request, ClassicHttpResponse answer)
      throws IOException {
    if (answer.getEntity() == null) {
      return new Answer(answer.getCode(), new byte[0], "");
    }
    var bytes = answer.getEntity().getContent().readNBytes((int) call.maxBytes() + 1);
    if (bytes.length > call.maxBytes()) {
      // Closing would read on to the end of what may have none.
      request.abort();
      throw new IOException("the answer is longer than %,d bytes".formatted(call.maxBytes()));
    }
    var type = answer.getEntity().getContentType();
    return new Answer(answer.getCode(), bytes, type == null ? "" : type);
  }

  @PreDestroy
  void close() throws IOException {
    deadlines.shutdownNow();
    http.close();
  }
}
