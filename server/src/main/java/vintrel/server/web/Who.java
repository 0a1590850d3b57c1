package vintrel.server.web;

import org.springframework.security.core.context.SecurityContextHolder;

/** The person of this request, for records of who did what; the demo's person too. */
public final class Who {
  private Who() {}

  public static String name() {
    var who = SecurityContextHolder.getContext().getAuthentication();
    return who == null ? "system" : who.getName();
  }
}
