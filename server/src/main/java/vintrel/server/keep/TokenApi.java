package vintrel.server.keep;

import java.security.Principal;
import java.util.Map;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
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
    return Map.of("token", tokens.make(name, scope, store, who.getName()));
  }
}
