package vintrel.server.web;

import java.io.IOException;
import java.sql.SQLException;
import java.sql.SQLTransientConnectionException;
import java.time.DateTimeException;
import java.util.List;
import java.util.NoSuchElementException;
import java.util.Set;
import java.util.UUID;
import java.util.regex.Pattern;
import org.apache.tomcat.util.http.InvalidParameterException;
import org.springframework.beans.TypeMismatchException;
import org.springframework.http.HttpMethod;
import org.springframework.http.HttpStatus;
import org.springframework.http.converter.HttpMessageNotReadableException;
import org.springframework.security.access.AccessDeniedException;
import org.springframework.security.web.firewall.RequestRejectedException;
import org.springframework.web.ErrorResponse;
import org.springframework.web.HttpMediaTypeNotSupportedException;
import org.springframework.web.HttpRequestMethodNotSupportedException;
import org.springframework.web.bind.MissingServletRequestParameterException;
import org.springframework.web.multipart.MaxUploadSizeExceededException;
import org.springframework.web.multipart.MultipartException;
import tools.jackson.databind.exc.UnrecognizedPropertyException;
import vintrel.core.define.DefinitionException;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.StoreBusyException;
import vintrel.core.wire.WireException;

/**
 * What is answered for an exception.
 *
 * @param retrySeconds when to retry; 0: unknown
 * @param allowed methods, if another was used
 */
record Fault(
    int status,
    String code,
    String text,
    int line,
    int column,
    List<String> details,
    int retrySeconds,
    List<String> allowed) {
  private static final int MAX_LENGTH = 1_000;
  private static final String NO_SPACE = "No space left on device";
  private static final Pattern AWAY =
      Pattern.compile("(08|53|57)\\w{3}|90(098|121|028|030|031|067|100)");

  Fault(int status, String code, String text) {
    this(status, code, text, 0, 0, List.of(), 0, List.of());
  }

  static Fault of(Throwable e) {
    var large = cause(e, TooLargeException.class);
    if (large != null) {
      return new Fault(413, "too.large", large.getMessage());
    }
    var busy = cause(e, StoreBusyException.class);
    if (busy != null) {
      return new Fault(
          503, "busy", busy.getMessage(), 0, 0, List.of(), busy.retrySeconds(), List.of());
    }
    var many = cause(e, TooManyException.class);
    if (many != null) {
      return new Fault(
          429, "too.many", many.getMessage(), 0, 0, List.of(), many.retrySeconds(), List.of());
    }
    if (databaseAway(e)) {
      return new Fault(
          503,
          "database",
          "the database can't be used just now: the disk is full or the database is starting;"
              + " nothing was changed, try again later",
          0,
          0,
          List.of(),
          10,
          List.of());
    }
    return switch (e) {
      case QueryException q ->
          new Fault(
              status(q),
              q.code(),
              cut(q.getMessage()),
              q.line(),
              q.column(),
              List.of(),
              0,
              List.of());
      case DefinitionException d ->
          new Fault(422, "definition", cut(d.getMessage()), 0, 0, some(d.faults()), 0, List.of());
      case WireException w -> new Fault(400, "malformed", cut(w.getMessage()));
      case HttpMessageNotReadableException u -> unreadable(u);
      case MaxUploadSizeExceededException m ->
          new Fault(413, "too.large", "the file is larger than 4 GB, the limit here");
      case MultipartException m ->
          new Fault(400, "malformed", "send the file as multipart/form-data");
      case MissingServletRequestParameterException m ->
          new Fault(400, "invalid", "the parameter " + m.getParameterName() + " is missing");
      case TypeMismatchException t ->
          new Fault(
              400,
              "invalid",
              "the parameter "
                  + (t.getPropertyName() == null ? "" : t.getPropertyName() + " ")
                  + "can't be '"
                  + cut(String.valueOf(t.getValue()), 100)
                  + "'");
      case HttpMediaTypeNotSupportedException m ->
          new Fault(
              415,
              "http.415",
              "this content type is not supported here; send "
                  + String.join(
                      " or ", m.getSupportedMediaTypes().stream().map(Object::toString).toList()));
      case HttpRequestMethodNotSupportedException m -> method(m);
      case RequestRejectedException r ->
          new Fault(400, "malformed", "a parameter or header contains invalid characters");
      case NoSuchElementException n -> new Fault(404, "unknown", cut(n.getMessage()));
      case AccessDeniedException a -> new Fault(403, "forbidden", "you are not allowed to do this");
      case ErrorResponse known -> known(known);
      case DateTimeException d ->
          new Fault(400, "invalid", "not a valid time or time zone: " + cut(d.getMessage()));
      case ArithmeticException a -> new Fault(400, "invalid", "a number is too large");
      case IllegalArgumentException i ->
          new Fault(400, "invalid", cut(String.valueOf(i.getMessage())));
      case IllegalStateException i -> state(i);
      default -> unknown();
    };
  }

  /** An internal error: a code to find the line in the log. */
  static Fault unknown() {
    var code = "fault." + UUID.randomUUID().toString().substring(0, 8);
    return new Fault(500, code, "internal error; quote the code " + code + " when you report it");
  }

  private static int status(QueryException e) {
    return e.code().startsWith("limit.")
        ? 422
        : e.code().equals("cancelled") || e.code().equals("busy") ? 503 : 400;
  }

  private static Fault unreadable(HttpMessageNotReadableException e) {
    var unknown = cause(e, UnrecognizedPropertyException.class);
    if (unknown != null) {
      var known = unknown.getKnownPropertyIds().stream().map(String::valueOf).sorted().toList();
      return new Fault(
          400,
          "invalid",
          "no field `%s`; fields: %s"
              .formatted(cut(unknown.getPropertyName(), 100), String.join(", ", known)));
    }
    return new Fault(400, "malformed", "the request body is missing or malformed");
  }

  private static Fault method(HttpRequestMethodNotSupportedException e) {
    Set<HttpMethod> supported = e.getSupportedHttpMethods();
    var allowed =
        supported == null ? List.<String>of() : supported.stream().map(HttpMethod::name).toList();
    return new Fault(
        405,
        "http.405",
        "This method is not available here. Use " + String.join(", ", allowed),
        0,
        0,
        List.of(),
        0,
        allowed);
  }

  private static Fault known(ErrorResponse e) {
    int status = e.getStatusCode().value();
    var reason = HttpStatus.resolve(status);
    return new Fault(
        status, "http." + status, reason == null ? "the request failed" : reason.getReasonPhrase());
  }

  /** The server's own parsing of forms and parameters, else a state that does not allow it. */
  private static Fault state(IllegalStateException e) {
    var parameters = cause(e, InvalidParameterException.class);
    if (parameters != null || cause(e, IOException.class) != null) {
      boolean large = parameters != null && parameters.getErrorCode() == 413;
      return large
          ? new Fault(413, "too.large", "the form is larger than the limit")
          : new Fault(400, "malformed", "the form has too many parameters, or they can't be read");
    }
    return new Fault(409, "conflict", cut(String.valueOf(e.getMessage())));
  }

  private static <T extends Throwable> T cause(Throwable e, Class<T> type) {
    int depth = 0;
    for (var c = e; c != null && depth < 20; c = c.getCause(), depth++) {
      if (type.isInstance(c)) {
        return type.cast(c);
      }
    }
    return null;
  }

  /**
   * Whether the database is closed, out of space or not reached: classes 08, 53 and 57 of ISO/IEC
   * 9075, and the codes of H2 for a file that is closed or can't be written.
   */
  private static boolean databaseAway(Throwable e) {
    int depth = 0;
    for (var c = e; c != null && depth < 20; c = c.getCause(), depth++) {
      boolean full = c instanceof IOException && String.valueOf(c.getMessage()).contains(NO_SPACE);
      if (full || c instanceof SQLTransientConnectionException) {
        return true;
      }
      var state = c instanceof SQLException s ? s.getSQLState() : null;
      if (state != null && AWAY.matcher(state).matches()) {
        return true;
      }
    }
    return false;
  }

  private static List<String> some(List<String> faults) {
    return faults.stream().limit(100).map(f -> cut(f, MAX_LENGTH)).toList();
  }

  private static String cut(String text) {
    return cut(text, MAX_LENGTH);
  }

  private static String cut(String text, int max) {
    var all = String.valueOf(text);
    return all.length() <= max ? all : all.substring(0, max) + "…";
  }
}
