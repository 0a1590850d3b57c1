package vintrel.server.web;

import jakarta.servlet.http.Cookie;
import jakarta.servlet.http.HttpServletRequest;
import java.time.DateTimeException;
import java.time.ZoneId;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.security.web.csrf.CsrfToken;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.ControllerAdvice;
import org.springframework.web.bind.annotation.ModelAttribute;

/** What every page gets: the person, the theme, the time zone, the CSRF token. */
@ControllerAdvice(annotations = Controller.class)
public class PagePreferences {
  private static final String ZONE = "vintrel-zone";

  private final Settings settings;

  PagePreferences(Settings settings) {
    this.settings = settings;
  }

  @ModelAttribute
  void preferences(Model model, HttpServletRequest request) {
    Authentication who = SecurityContextHolder.getContext().getAuthentication();
    model.addAttribute("person", who == null ? "" : who.getName());
    model.addAttribute("canEdit", has(who, "ROLE_EDITOR") || has(who, "ROLE_ADMIN"));
    model.addAttribute("isAdmin", has(who, "ROLE_ADMIN"));
    model.addAttribute("demo", settings.demo());
    model.addAttribute("documents", DocsController.TITLES);
    model.addAttribute("theme", theme(request));
    model.addAttribute("zone", zone(request));
    var csrf = (CsrfToken) request.getAttribute(CsrfToken.class.getName());
    model.addAttribute("csrf", csrf == null ? "" : csrf.getToken());
  }

  private static boolean has(Authentication who, String authority) {
    return who != null
        && who.getAuthorities().stream().anyMatch(a -> authority.equals(a.getAuthority()));
  }

  private static String theme(HttpServletRequest request) {
    var value = cookie(request, "vintrel-theme");
    return "day".equals(value) || "night".equals(value) ? value : "system";
  }

  private static final int YEAR = 31_536_000;

  /** The cookie that carries a person's zone to all pages; null ends it. */
  static Cookie zoneCookie(ZoneId zone) {
    var out = new Cookie(ZONE, zone == null ? "" : zone.getId().replace("/", "%2F"));
    out.setPath("/");
    out.setMaxAge(zone == null ? 0 : YEAR);
    out.setAttribute("SameSite", "Lax");
    return out;
  }

  /**
   * The time zone of a page: what a dashboard fixes and the page sends along, else the person's,
   * from a cookie; UTC if it is not known.
   */
  public static ZoneId zone(HttpServletRequest request) {
    var fixed = request.getParameter("page-zone");
    if (fixed != null && ZoneId.getAvailableZoneIds().contains(fixed)) {
      return ZoneId.of(fixed);
    }
    var value = cookie(request, ZONE);
    try {
      return value == null ? ZoneId.of("UTC") : ZoneId.of(value.replace("%2F", "/"));
    } catch (DateTimeException e) {
      return ZoneId.of("UTC");
    }
  }

  private static String cookie(HttpServletRequest request, String name) {
    if (request.getCookies() != null) {
      for (Cookie c : request.getCookies()) {
        if (c.getName().equals(name)) {
          return c.getValue();
        }
      }
    }
    return null;
  }
}
