package vintrel.server.web;

import jakarta.servlet.http.HttpServletRequest;
import java.util.List;
import org.springframework.security.core.session.SessionInformation;
import org.springframework.security.core.session.SessionRegistry;
import org.springframework.security.core.session.SessionRegistryImpl;
import org.springframework.security.core.userdetails.UserDetails;
import org.springframework.stereotype.Component;

/** Where each person is signed in. Any thread. */
@Component
public class SignedIn {
  private final SessionRegistry registry = new SessionRegistryImpl();

  SessionRegistry registry() {
    return registry;
  }

  /** So many sessions a person has. */
  public int places(String person) {
    return of(person).size();
  }

  private List<SessionInformation> of(String person) {
    return registry.getAllPrincipals().stream()
        .filter(p -> p instanceof UserDetails u && u.getUsername().equals(person))
        .flatMap(p -> registry.getAllSessions(p, false).stream())
        .toList();
  }

  /** Ends all sessions of a person. */
  public void endAll(String person) {
    of(person).forEach(SessionInformation::expireNow);
  }

  /** Ends all sessions of a person but that of the request; returns how many. */
  public int endOthers(String person, HttpServletRequest request) {
    var session = request.getSession(false);
    var own = session == null ? "" : session.getId();
    var others = of(person).stream().filter(s -> !s.getSessionId().equals(own)).toList();
    others.forEach(SessionInformation::expireNow);
    return others.size();
  }
}
