package vintrel.server.web;

import org.springframework.security.core.context.SecurityContextHolder;

/** The person or token of this request. */
public final class CurrentUser {
  private CurrentUser() {}

  /** Its name, for records of who did what; the demo's person too. */
  public static String name() {
    var who = SecurityContextHolder.getContext().getAuthentication();
    return who == null ? "system" : who.getName();
  }

  /** The store that its token is bound to; empty if it is not. */
  public static String store() {
    var who = SecurityContextHolder.getContext().getAuthentication();
    return who != null && who.getDetails() instanceof TokenCheck.Holder h ? h.store() : "";
  }
}
