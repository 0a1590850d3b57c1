package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ReadListener;
import jakarta.servlet.ServletException;
import jakarta.servlet.ServletInputStream;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletRequestWrapper;
import jakarta.servlet.http.HttpServletResponse;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * Counts the bytes of each body as they come, against the limit of its path and the memory of all
 * requests. A body whose declared length is too large is rejected before it is read. OTLP unpacks
 * its bodies and counts them itself; imports of files are streams of any length.
 */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE + 10)
class BodyLimits extends OncePerRequestFilter {
  /** Bytes of the heap for a byte of JSON, YAML or a form that is read into objects. */
  private static final int SPREAD = 6;

  private final RequestMemory memory;
  private final Settings.Ingest settings;

  BodyLimits(RequestMemory memory, Settings settings) {
    this.memory = memory;
    this.settings = settings.ingest();
  }

  private long limit(HttpServletRequest request) {
    var path = request.getRequestURI();
    if (path.equals("/api/v1/import") || path.equals("/collect/import")) {
      return Long.MAX_VALUE;
    }
    return path.startsWith("/v1/") ? settings.maxRequestBytes() : settings.maxBodyBytes();
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    if (request.getMethod().equals("GET") || request.getMethod().equals("HEAD")) {
      chain.doFilter(request, response);
      return;
    }
    long limit = limit(request);
    if (request.getContentLengthLong() > limit) {
      Answers.refuse(
          request, response, 413, "too.large", new TooLargeException(limit).getMessage());
      return;
    }
    boolean stream = limit == Long.MAX_VALUE || request.getRequestURI().startsWith("/v1/");
    try (var lease = memory.open()) {
      chain.doFilter(new Counted(request, limit, stream ? null : lease), response);
    }
  }

  private static final class Counted extends HttpServletRequestWrapper {
    private final long limit;
    private final RequestMemory.Lease lease;
    private ServletInputStream in;

    Counted(HttpServletRequest request, long limit, RequestMemory.Lease lease) {
      super(request);
      this.limit = limit;
      this.lease = lease;
    }

    @Override
    public ServletInputStream getInputStream() throws IOException {
      if (in == null) {
        in = new CountedStream(super.getInputStream(), limit, lease);
      }
      return in;
    }

    @Override
    public BufferedReader getReader() throws IOException {
      var encoding = getCharacterEncoding();
      return new BufferedReader(
          new InputStreamReader(
              getInputStream(),
              encoding == null ? StandardCharsets.UTF_8 : Charset.forName(encoding)));
    }
  }

  private static final class CountedStream extends ServletInputStream {
    private final ServletInputStream in;
    private final long limit;
    private final RequestMemory.Lease lease;
    private long read;

    CountedStream(ServletInputStream in, long limit, RequestMemory.Lease lease) {
      this.in = in;
      this.limit = limit;
      this.lease = lease;
    }

    private void count(int n) throws IOException {
      if (n > 0) {
        read += n;
        if (read > limit) {
          throw new TooLargeException(limit);
        }
        if (lease != null) {
          lease.take((long) n * SPREAD);
        }
      }
    }

    @Override
    public int read() throws IOException {
      int b = in.read();
      count(b < 0 ? 0 : 1);
      return b;
    }

    @Override
    public int read(byte[] bytes, int from, int length) throws IOException {
      int n = in.read(bytes, from, length);
      count(n);
      return n;
    }

    @Override
    public boolean isFinished() {
      return in.isFinished();
    }

    @Override
    public boolean isReady() {
      return in.isReady();
    }

    @Override
    public void setReadListener(ReadListener listener) {
      in.setReadListener(listener);
    }
  }
}
