package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.AuthenticationException;
import org.springframework.security.web.AuthenticationEntryPoint;
import org.springframework.security.web.authentication.AuthenticationFailureHandler;
import org.springframework.security.web.authentication.AuthenticationSuccessHandler;
import org.springframework.web.filter.OncePerRequestFilter;
import org.springframework.web.util.UriUtils;
import vintrel.core.store.StoreBusyException;

/**
 * Before and after sign-in. The requested page goes along in the address of the sign-in page, since
 * there is no session before.
 */
final class SignInSteps extends OncePerRequestFilter
    implements AuthenticationSuccessHandler,
        AuthenticationFailureHandler,
        AuthenticationEntryPoint {
  /** Characters of an address that is gone back to. */
  private static final int MAX_LENGTH = 1_000;

  private final SignInGuard guard;
  private final PersonZones zones;

  SignInSteps(SignInGuard guard, PersonZones zones) {
    this.guard = guard;
    this.zones = zones;
  }

  private static String account(HttpServletRequest request) {
    return String.valueOf(request.getParameter("username"));
  }

  /** A page of ours, never another place: {@code //host} and {@code /\\host} are such. */
  static String target(String wanted) {
    boolean ours =
        wanted != null
            && wanted.length() <= MAX_LENGTH
            && wanted.matches("/([^/\\\\\\p{Cntrl}][^\\\\\\p{Cntrl}]*)?");
    return ours ? wanted : "/";
  }

  private static String back(HttpServletRequest request) {
    var to = target(request.getParameter("to"));
    return to.equals("/") ? "" : "&to=" + UriUtils.encode(to, StandardCharsets.UTF_8);
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    boolean tries =
        request.getMethod().equals("POST") && request.getServletPath().equals("/signin");
    long wait = tries ? guard.wait(account(request), request.getRemoteAddr()) : 0;
    if (wait > 0) {
      // Not logged: only tries that are looked at are, and those have to wait.
      response.sendRedirect("/signin?wait=" + wait + back(request));
      return;
    }
    try {
      chain.doFilter(request, response);
    } catch (StoreBusyException e) {
      if (!tries) {
        throw e;
      }
      response.sendRedirect("/signin?wait=" + e.retrySeconds() + back(request));
    }
  }

  @Override
  public void commence(
      HttpServletRequest request, HttpServletResponse response, AuthenticationException e)
      throws IOException {
    boolean page =
        request.getMethod().equals("GET")
            && String.valueOf(request.getHeader("Accept")).startsWith("text/html");
    if (!page && request.getHeader("HX-Request") == null && !request.getMethod().equals("GET")) {
      Answers.refuse(request, response, 401, "unauthenticated", "sign in first");
      return;
    }
    var query = request.getQueryString();
    var to = request.getRequestURI() + (query == null ? "" : "?" + query);
    boolean worth = page && !target(to).equals("/");
    response.sendRedirect(
        "/signin" + (worth ? "?to=" + UriUtils.encode(to, StandardCharsets.UTF_8) : ""));
  }

  @Override
  public void onAuthenticationSuccess(
      HttpServletRequest request, HttpServletResponse response, Authentication who)
      throws IOException {
    guard.succeeded(account(request), request.getRemoteAddr());
    AccessLog.done(who.getName(), "signed in from " + request.getRemoteAddr());
    var zone = zones.zone(who.getName());
    if (zone != null) {
      response.addCookie(PagePreferences.zoneCookie(zone));
    }
    response.sendRedirect(target(request.getParameter("to")));
  }

  @Override
  public void onAuthenticationFailure(
      HttpServletRequest request, HttpServletResponse response, AuthenticationException e)
      throws IOException {
    if (e.getCause() instanceof StoreBusyException busy) {
      response.sendRedirect("/signin?wait=" + busy.retrySeconds() + back(request));
      return;
    }
    guard.failed(account(request), request.getRemoteAddr());
    AccessLog.refused(account(request), "sign-in from " + request.getRemoteAddr());
    response.sendRedirect("/signin?error" + back(request));
  }
}
