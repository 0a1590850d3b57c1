package vintrel.server.web;

import jakarta.servlet.RequestDispatcher;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import org.springframework.boot.webmvc.error.ErrorController;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.web.bind.annotation.RequestMapping;

/** What fails outside of the controllers is answered in the same forms. */
@Controller
class Errors implements ErrorController {
  @RequestMapping("/error")
  Object error(HttpServletRequest request, HttpServletResponse response) {
    // What is refused before the security filters has no headers of theirs.
    for (var header : PlainErrors.HEADERS.entrySet()) {
      if (!response.containsHeader(header.getKey())) {
        response.setHeader(header.getKey(), header.getValue());
      }
    }
    var code = request.getAttribute(RequestDispatcher.ERROR_STATUS_CODE);
    var thrown = request.getAttribute(RequestDispatcher.ERROR_EXCEPTION);
    if (thrown instanceof Exception e && !(code instanceof Integer s && s != 500)) {
      return ApiErrors.answer(Fault.of(e), original(request));
    }
    int status = code instanceof Integer s && s >= 400 ? s : 404;
    var reason = HttpStatus.resolve(status);
    var text = reason == null ? "the request failed" : reason.getReasonPhrase();
    return ApiErrors.answer(new Fault(status, "http." + status, text), original(request));
  }

  /** The request as it came, not as it was sent on to here. */
  private static HttpServletRequest original(HttpServletRequest request) {
    var path = request.getAttribute(RequestDispatcher.ERROR_REQUEST_URI);
    return path == null
        ? request
        : new jakarta.servlet.http.HttpServletRequestWrapper(request) {
          @Override
          public String getRequestURI() {
            return path.toString();
          }
        };
  }
}
