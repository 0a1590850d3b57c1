package vintrel.server.collect;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ReadListener;
import jakarta.servlet.ServletException;
import jakarta.servlet.ServletInputStream;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletRequestWrapper;
import jakarta.servlet.http.HttpServletResponse;
import jakarta.servlet.http.HttpServletResponseWrapper;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;
import vintrel.server.web.Answers;
import vintrel.server.web.TokenCheck;

/**
 * The last requests that tried to send something, rejected ones with the first lines of what came
 * instead: so that a person who connects a source sees why nothing arrives. Kept in memory only, a
 * few hundred. Any thread.
 */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE + 5)
class Attempts extends OncePerRequestFilter {
  private static final Logger log = LoggerFactory.getLogger(Attempts.class);
  private static final int KEPT = 400;

  /** Bytes of a body that are kept. */
  private static final int HEAD = 400;

  private final Clock clock;
  private final ArrayDeque<Attempt> last = new ArrayDeque<>();

  private final Rejections rejections;

  Attempts(Clock clock, Rejections rejections) {
    this.clock = clock;
    this.rejections = rejections;
  }

  /**
   * A request.
   *
   * @param at ms
   * @param token its name; empty if the request had none that is known
   * @param type the content type as it came
   * @param bytes of the body that were declared; -1 if none were
   * @param reason why it was rejected or what was wrong with a part of it; else empty
   * @param head the first characters of a rejected body, if it is text; else empty
   */
  record Attempt(
      long at,
      String address,
      String token,
      String path,
      String type,
      long bytes,
      int status,
      String reason,
      String head) {
    boolean ok() {
      return status < 300;
    }
  }

  @Override
  protected boolean shouldNotFilter(HttpServletRequest request) {
    var path = request.getRequestURI();
    return !request.getMethod().equals("POST")
        || !path.startsWith("/v1/") && !path.equals("/api/v1/samples");
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    var seen = new Seen(request);
    chain.doFilter(
        seen,
        new HttpServletResponseWrapper(response) {
          @Override
          public void setStatus(int status) {
            if (status >= 400) {
              // Before the answer goes out: afterwards the body can't be read.
              seen.fill();
            }
            super.setStatus(status);
          }
        });
    int status = response.getStatus();
    var reason = (String) request.getAttribute(Answers.REASON);
    var token = (String) request.getAttribute(TokenCheck.NAME);
    note(
        new Attempt(
            clock.millis(),
            request.getRemoteAddr(),
            token == null ? "" : token,
            request.getRequestURI(),
            cut(String.valueOf(request.getContentType()), 80),
            request.getContentLengthLong(),
            status,
            reason == null ? "" : cut(reason, 500),
            status < 300 ? "" : seen.head()));
  }

  /** Also for ways in that are not HTTP. */
  void note(Attempt attempt) {
    if (attempt.status() == 401 || attempt.status() == 403) {
      rejections.note(attempt.token(), attempt.address(), attempt.reason(), attempt.at());
    }
    synchronized (last) {
      last.addLast(attempt);
      if (last.size() > KEPT) {
        last.removeFirst();
      }
    }
  }

  /**
   * The attempts since a time that may be those of a person who waits for one: by the token, or
   * without any token that is known. Newest first.
   */
  List<Attempt> since(long at, String token) {
    synchronized (last) {
      return last.reversed().stream()
          .filter(a -> a.at() >= at && (a.token().isEmpty() || a.token().equals(token)))
          .toList();
    }
  }

  private static String cut(String text, int max) {
    return text.length() <= max ? text : text.substring(0, max) + "…";
  }

  /** Keeps the beginning of the body as it is read. */
  private static final class Seen extends HttpServletRequestWrapper {
    private final byte[] head = new byte[HEAD];
    private int n;
    private ServletInputStream in;

    Seen(HttpServletRequest request) {
      super(request);
    }

    @Override
    public ServletInputStream getInputStream() throws IOException {
      if (in == null) {
        in = new SeenStream(super.getInputStream());
      }
      return in;
    }

    @Override
    public BufferedReader getReader() throws IOException {
      return new BufferedReader(new InputStreamReader(getInputStream(), StandardCharsets.UTF_8));
    }

    /** Reads what nobody has read yet, up to what is kept. */
    void fill() {
      try {
        var stream = getInputStream();
        long wanted = Math.min(HEAD, getContentLengthLong());
        while (n < wanted && stream.read(new byte[HEAD - n]) > 0) {
          continue;
        }
      } catch (IOException | RuntimeException e) {
        log.debug("the body of a rejected request can't be read", e);
      }
    }

    /** The first characters, if they are text. */
    String head() {
      var text = new String(Arrays.copyOf(head, n), StandardCharsets.UTF_8);
      boolean binary =
          text.chars()
              .limit(HEAD - 4L)
              .anyMatch(c -> c < ' ' && c != '\n' && c != '\r' && c != '\t' || c == 0xfffd);
      return binary ? "" : text;
    }

    private void keep(byte[] bytes, int from, int length) {
      int some = Math.min(length, HEAD - n);
      if (some > 0) {
        System.arraycopy(bytes, from, head, n, some);
        n += some;
      }
    }

    private final class SeenStream extends ServletInputStream {
      private final ServletInputStream stream;

      SeenStream(ServletInputStream stream) {
        this.stream = stream;
      }

      @Override
      public int read() throws IOException {
        int b = stream.read();
        if (b >= 0) {
          keep(new byte[] {(byte) b}, 0, 1);
        }
        return b;
      }

      @Override
      public int read(byte[] bytes, int from, int length) throws IOException {
        int read = stream.read(bytes, from, length);
        keep(bytes, from, read);
        return read;
      }

      @Override
      public int available() throws IOException {
        return stream.available();
      }

      @Override
      public boolean isFinished() {
        return stream.isFinished();
      }

      @Override
      public boolean isReady() {
        return stream.isReady();
      }

      @Override
      public void setReadListener(ReadListener listener) {
        stream.setReadListener(listener);
      }
    }
  }
}
