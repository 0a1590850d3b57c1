package vintrel.server.web;

import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.Map;
import org.apache.catalina.connector.Request;
import org.apache.catalina.connector.Response;
import org.apache.catalina.valves.ErrorReportValve;

/**
 * What the web server itself refuses, before the application sees it, is answered in our form and
 * with our headers. Any thread.
 */
final class PlainErrors extends ErrorReportValve {
  /** What pages have too, for answers that the filters of pages never see. */
  static final Map<String, String> HEADERS =
      Map.of(
          "Content-Security-Policy",
          "default-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'",
          "X-Content-Type-Options",
          "nosniff",
          "X-Frame-Options",
          "DENY",
          "Referrer-Policy",
          "same-origin",
          "Cache-Control",
          "no-store");

  @Override
  protected void report(Request request, Response response, Throwable throwable) {
    int status = response.getStatus();
    if (status < 400 || response.getContentWritten() > 0 || !response.setErrorReported()) {
      return;
    }
    var text =
        status == 404
            ? "Nothing is here."
            : status < 500 ? "The address or the request is not valid." : "The request failed.";
    HttpServletResponse out = response.getResponse();
    HEADERS.forEach(out::setHeader);
    out.setContentType("text/plain;charset=utf-8");
    try {
      out.getOutputStream().write((text + "\n").getBytes(StandardCharsets.UTF_8));
      response.finishResponse();
    } catch (IOException | IllegalStateException e) {
      // The other side is gone, or has an answer already.
      return;
    }
  }
}
