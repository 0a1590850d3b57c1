package vintrel.server.web;

import jakarta.servlet.http.HttpServletRequest;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.http.converter.HttpMessageNotReadableException;
import org.springframework.web.ErrorResponse;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.RestControllerAdvice;
import org.springframework.web.multipart.MultipartException;
import tools.jackson.databind.exc.UnrecognizedPropertyException;
import vintrel.core.define.DefinitionException;
import vintrel.core.query.QueryException;
import vintrel.core.store.StoreBusyException;
import vintrel.core.wire.WireException;

/** Errors → answers: a code to quote, what is wrong, where, and never a stack trace. */
@RestControllerAdvice
class Faults {
  private static final Logger log = LoggerFactory.getLogger(Faults.class);

  @ExceptionHandler
  ResponseEntity<?> query(QueryException e) {
    int status = e.code().startsWith("limit.") ? 422 : e.code().equals("cancelled") ? 503 : 400;
    return answer(status, e.code(), e.getMessage(), e.line(), e.column(), List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> definition(DefinitionException e) {
    return answer(422, "definition", e.getMessage(), 0, 0, e.faults());
  }

  @ExceptionHandler
  ResponseEntity<?> wire(WireException e) {
    return answer(400, "malformed", e.getMessage(), 0, 0, List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> busy(StoreBusyException e) {
    var headers = new HttpHeaders();
    headers.add(HttpHeaders.RETRY_AFTER, Integer.toString(e.retrySeconds()));
    return ResponseEntity.status(503)
        .headers(headers)
        .contentType(MediaType.APPLICATION_JSON)
        .body(body("busy", e.getMessage(), 0, 0, List.of()));
  }

  @ExceptionHandler
  ResponseEntity<?> bad(IllegalArgumentException e) {
    return answer(400, "invalid", String.valueOf(e.getMessage()), 0, 0, List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> unreadable(HttpMessageNotReadableException e) {
    if (e.getCause() instanceof UnrecognizedPropertyException unknown) {
      var known = unknown.getKnownPropertyIds().stream().map(String::valueOf).sorted().toList();
      return answer(
          400,
          "invalid",
          "no field `%s`; fields: %s"
              .formatted(unknown.getPropertyName(), String.join(", ", known)),
          0,
          0,
          List.of());
    }
    return answer(
        400, "malformed", "the body is missing or is not what it should be", 0, 0, List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> parts(MultipartException e) {
    return answer(400, "malformed", "send the file as multipart/form-data", 0, 0, List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> conflict(IllegalStateException e) {
    return answer(409, "conflict", String.valueOf(e.getMessage()), 0, 0, List.of());
  }

  @ExceptionHandler
  ResponseEntity<?> other(Exception e, HttpServletRequest request) throws Exception {
    if (String.valueOf(request.getHeader("Accept")).startsWith("text/html")) {
      // A person's browser: the error page says it.
      throw e;
    }
    if (e instanceof ErrorResponse known) {
      int status = known.getStatusCode().value();
      var reason = HttpStatus.resolve(status);
      return answer(
          status,
          "http." + status,
          reason == null ? "the request can't be answered" : reason.getReasonPhrase(),
          0,
          0,
          List.of());
    }
    var code = UUID.randomUUID().toString().substring(0, 8);
    log.error("fault {} at {}", code, request.getRequestURI(), e);
    return answer(
        500, "fault." + code, "something went wrong here; quote fault." + code, 0, 0, List.of());
  }

  private static ResponseEntity<?> answer(
      int status, String code, String text, int line, int column, List<String> details) {
    return ResponseEntity.status(status)
        .contentType(MediaType.APPLICATION_JSON)
        .body(body(code, text, line, column, details));
  }

  private static Map<String, Object> body(
      String code, String text, int line, int column, List<String> details) {
    var error = new LinkedHashMap<String, Object>();
    error.put("code", code);
    error.put("text", text);
    if (line > 0) {
      error.put("line", line);
      error.put("column", column);
    }
    if (!details.isEmpty()) {
      error.put("faults", details);
    }
    return Map.of("error", error);
  }
}
