package vintrel.server.web;

import com.fasterxml.jackson.annotation.JsonInclude;
import jakarta.servlet.http.HttpServletRequest;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatusCode;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.ControllerAdvice;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.servlet.ModelAndView;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.wire.OtlpStatus;

/**
 * Errors → answers: a code to quote, what is wrong, where, and never a stack trace. JSON for the
 * API and for scripts, a page for people, OTLP in its own encoding.
 */
@ControllerAdvice
class ApiErrors {
  private static final Logger log = LoggerFactory.getLogger(ApiErrors.class);
  private static final Set<String> GONE =
      Set.of("ClientAbortException", "AsyncRequestNotUsableException");
  private static final String PROTOBUF = "application/x-protobuf";

  @ExceptionHandler
  Object any(Exception e, HttpServletRequest request) throws Exception {
    if (GONE.contains(e.getClass().getSimpleName())) {
      // The client is gone.
      return null;
    }
    var fault = Fault.of(e);
    if (fault.status() >= 500 && fault.code().startsWith("fault.")) {
      log.error("{} at {}", fault.code(), AccessLog.clean(request.getRequestURI()), e);
    }
    return answer(fault, request);
  }

  /** The answer in the form that the path and the caller read. */
  static Object answer(Fault fault, HttpServletRequest request) {
    request.setAttribute(Answers.REASON, fault.text());
    if (Answers.isOtlp(request)) {
      return otlp(fault, request);
    }
    boolean page =
        !Answers.isApi(request)
            && request.getHeader("HX-Request") == null
            && String.valueOf(request.getHeader("Accept")).startsWith("text/html");
    if (page) {
      var view = new ModelAndView("error", HttpStatusCode.valueOf(fault.status()));
      view.addObject("status", fault.status());
      view.addObject("code", fault.code());
      view.addObject("text", fault.text());
      return view;
    }
    return ResponseEntity.status(fault.status())
        .headers(headers(fault))
        .contentType(MediaType.APPLICATION_JSON)
        .body(body(fault));
  }

  private static ResponseEntity<byte[]> otlp(Fault fault, HttpServletRequest request) {
    int code = Answers.otlp(fault.status());
    boolean protobuf = String.valueOf(request.getContentType()).startsWith(PROTOBUF);
    return ResponseEntity.status(fault.status())
        .headers(headers(fault))
        .contentType(protobuf ? MediaType.parseMediaType(PROTOBUF) : MediaType.APPLICATION_JSON)
        .body(
            protobuf
                ? OtlpStatus.failure(code, fault.text())
                : JsonMapper.shared()
                    .writeValueAsBytes(Map.of("code", code, "message", fault.text())));
  }

  private static HttpHeaders headers(Fault fault) {
    var headers = new HttpHeaders();
    if (fault.retrySeconds() > 0) {
      headers.add(HttpHeaders.RETRY_AFTER, Integer.toString(fault.retrySeconds()));
    }
    fault.allowed().forEach(m -> headers.add(HttpHeaders.ALLOW, m));
    return headers;
  }

  /** An error's answer. */
  record ErrorBody(ErrorJson error) {}

  /**
   * @param line and {@code column} of a place in a text, or null
   * @param faults of a document, or null
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record ErrorJson(String code, String text, Integer line, Integer column, List<String> faults) {}

  private static ErrorBody body(Fault fault) {
    boolean placed = fault.line() > 0;
    return new ErrorBody(
        new ErrorJson(
            fault.code(),
            fault.text(),
            placed ? fault.line() : null,
            placed ? fault.column() : null,
            fault.details().isEmpty() ? null : fault.details()));
  }
}
