package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.ServletOutputStream;
import jakarta.servlet.WriteListener;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import jakarta.servlet.http.HttpServletResponseWrapper;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.util.zip.GZIPOutputStream;
import org.springframework.http.HttpHeaders;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * Compresses the pictures and tables that pages ask for. The web server would do it at the usual
 * level of gzip, which for these numbers takes three times as long and makes them smaller by less
 * than a tenth. Answers have to be complete when the controller returns.
 */
@Component
class PageCompression extends OncePerRequestFilter {
  private static final int LEVEL = 4;
  private static final int LEAST_BYTES = 2_048;
  private static final int BUFFER = 8_192;

  @Override
  protected boolean shouldNotFilter(HttpServletRequest request) {
    var path = request.getRequestURI();
    var accepts = request.getHeader(HttpHeaders.ACCEPT_ENCODING);
    return !request.getMethod().equals("POST")
        || !(path.startsWith("/dashboards/") || path.startsWith("/bench/"))
        || accepts == null
        || !accepts.contains("gzip")
        || accepts.contains("gzip;q=0");
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    var compressed = new Compressed(response);
    chain.doFilter(request, compressed);
    if (request.isAsyncStarted()) {
      throw new IllegalStateException("no answer of a page may be written later");
    }
    compressed.finish();
  }

  private static final class Compressed extends HttpServletResponseWrapper {
    private Body body;

    Compressed(HttpServletResponse response) {
      super(response);
    }

    @Override
    public ServletOutputStream getOutputStream() throws IOException {
      if (body == null) {
        if (!json()) {
          return super.getOutputStream();
        }
        body = new Body((HttpServletResponse) getResponse());
      }
      return body;
    }

    private boolean json() {
      var type = getContentType();
      return type != null
          && type.startsWith("application/json")
          && getHeader(HttpHeaders.CONTENT_ENCODING) == null;
    }

    @Override
    public void setContentLength(int length) {
      setContentLengthLong(length);
    }

    @Override
    public void setContentLengthLong(long length) {
      if (!json()) {
        super.setContentLengthLong(length);
      }
    }

    @Override
    public void reset() {
      super.reset();
      body = null;
    }

    @Override
    public void resetBuffer() {
      super.resetBuffer();
      body = null;
    }

    void finish() throws IOException {
      if (body != null) {
        body.finish();
      }
    }
  }

  /** Waits for the first bytes, since what is small is sent as it is. */
  private static final class Body extends ServletOutputStream {
    private final HttpServletResponse response;
    private final ServletOutputStream out;
    private ByteArrayOutputStream first = new ByteArrayOutputStream(LEAST_BYTES);
    private OutputStream gzip;

    Body(HttpServletResponse response) throws IOException {
      this.response = response;
      this.out = response.getOutputStream();
    }

    @Override
    public void write(int b) throws IOException {
      write(new byte[] {(byte) b}, 0, 1);
    }

    @Override
    public void write(byte[] bytes, int from, int n) throws IOException {
      if (gzip == null && first.size() + n < LEAST_BYTES) {
        first.write(bytes, from, n);
        return;
      }
      if (gzip == null) {
        begin();
      }
      gzip.write(bytes, from, n);
    }

    private void begin() throws IOException {
      response.setHeader(HttpHeaders.CONTENT_ENCODING, "gzip");
      response.addHeader(HttpHeaders.VARY, HttpHeaders.ACCEPT_ENCODING);
      gzip =
          new GZIPOutputStream(out, BUFFER) {
            {
              def.setLevel(LEVEL);
            }
          };
      first.writeTo(gzip);
      first = null;
    }

    void finish() throws IOException {
      if (gzip == null) {
        first.writeTo(out);
        out.flush();
      } else {
        // Its deflater holds memory outside the heap until it is closed.
        gzip.close();
      }
    }

    @Override
    public void flush() {
      // All is sent at the end.
    }

    @Override
    public boolean isReady() {
      return out.isReady();
    }

    @Override
    public void setWriteListener(WriteListener listener) {
      out.setWriteListener(listener);
    }
  }
}
