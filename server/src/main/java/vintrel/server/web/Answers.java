package vintrel.server.web;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.Map;
import tools.jackson.databind.json.JsonMapper;
import vintrel.core.wire.OtlpStatus;

/** Faults that are answered before any controller is reached: in the encoding of their path. */
public final class Answers {
  /** The request's attribute with the reason why it was refused, in words. */
  public static final String REASON = Answers.class.getName() + ".reason";

  private static final String PROTOBUF = "application/x-protobuf";

  private Answers() {}

  /** Whether the path is one of the API, not a page. */
  static boolean isApi(HttpServletRequest request) {
    var path = request.getRequestURI();
    return path.startsWith("/api/") || isOtlp(request);
  }

  static boolean isOtlp(HttpServletRequest request) {
    return request.getRequestURI().startsWith("/v1/");
  }

  /** Answers as the API does, but to OTLP in protocol buffers in kind. */
  static void refuse(
      HttpServletRequest request,
      HttpServletResponse response,
      int status,
      String code,
      String text)
      throws IOException {
    response.setStatus(status);
    request.setAttribute(REASON, text);
    var type = String.valueOf(request.getContentType());
    if (isOtlp(request) && type.startsWith(PROTOBUF)) {
      response.setContentType(PROTOBUF);
      response.getOutputStream().write(OtlpStatus.failure(otlp(status), text));
      return;
    }
    response.setContentType("application/json");
    response.setCharacterEncoding("UTF-8");
    var body = Map.of("error", Map.of("code", code, "text", text));
    response.getOutputStream().write(JsonMapper.shared().writeValueAsBytes(body));
  }

  /** The google.rpc.Code that goes with a status of HTTP. */
  static int otlp(int status) {
    return switch (status) {
      case 401 -> OtlpStatus.UNAUTHENTICATED;
      case 403 -> OtlpStatus.PERMISSION_DENIED;
      case 429, 503 -> OtlpStatus.UNAVAILABLE;
      default -> OtlpStatus.INVALID_ARGUMENT;
    };
  }
}
