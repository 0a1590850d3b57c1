package vintrel.server.access;

import java.security.Principal;
import java.util.Map;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.server.web.AccessLog;
import vintrel.server.web.TokenCheck.Scope;

/** Makes tokens for the script. */
@RestController
class TokenApi {
  private final Tokens tokens;

  TokenApi(Tokens tokens) {
    this.tokens = tokens;
  }

  @PostMapping("/api/v1/tokens")
  Map<String, String> make(
      @RequestParam String name,
      @RequestParam(defaultValue = "INGEST") Scope scope,
      @RequestParam(defaultValue = "") String store,
      Principal who) {
    var token = tokens.make(name, scope, store, who.getName());
    AccessLog.done(who.getName(), "created the token " + name + " (" + scope + " " + store + ")");
    return Map.of("token", token);
  }
}
