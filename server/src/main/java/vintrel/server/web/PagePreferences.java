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

  /** The person's time zone, from a cookie that the pages set; UTC if it is not known. */
  public static ZoneId zone(HttpServletRequest request) {
    var value = cookie(request, "vintrel-zone");
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
