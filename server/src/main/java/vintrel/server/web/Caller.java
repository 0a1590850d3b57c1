package vintrel.server.web;

import org.springframework.web.context.request.RequestContextHolder;
import org.springframework.web.context.request.ServletRequestAttributes;

/** From where the request comes that this thread serves. */
public final class Caller {
  private Caller() {}

  /** Its address, or empty if there is no request. */
  public static String address() {
    return RequestContextHolder.getRequestAttributes() instanceof ServletRequestAttributes a
        ? a.getRequest().getRemoteAddr()
        : "";
  }

  /** Its network, or {@code system} if there is no request. */
  static String network() {
    return RequestContextHolder.getRequestAttributes() instanceof ServletRequestAttributes a
        ? SignInGuard.network(a.getRequest().getRemoteAddr())
        : "system";
  }
}
