package vintrel.server.access;

import java.security.Principal;
import java.time.Clock;
import java.util.Map;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import vintrel.core.unit.Durations;
import vintrel.server.web.AccessLog;
import vintrel.server.web.TokenCheck;
import vintrel.server.web.TokenCheck.Scope;

/** Makes tokens for the script. */
@RestController
class TokenApi {
  private static final int MAX_DAYS = 36_500;

  private final Tokens tokens;
  private final Clock clock;

  TokenApi(Tokens tokens, Clock clock) {
    this.tokens = tokens;
    this.clock = clock;
  }

  /**
   * {@code scope} names usual rights; {@code rights}, a list with commas, replaces it. {@code
   * networks} are in CIDR notation; {@code days} is how long it is valid, 0: for ever. With {@code
   * replace} an earlier token of this name ends. {@code category} says what sends with it, as
   * Collect lists it: devices, for example. {@code labels}, as {@code site=north-quay,
   * team=operations}, are added to what is sent with it.
   */
  @PostMapping("/api/v1/tokens")
  Map<String, String> make(
      @RequestParam String name,
      @RequestParam(defaultValue = "INGEST") Scope scope,
      @RequestParam(defaultValue = "") String rights,
      @RequestParam(defaultValue = "") String store,
      @RequestParam(defaultValue = "") String networks,
      @RequestParam(defaultValue = "0") int days,
      @RequestParam(defaultValue = "false") boolean replace,
      @RequestParam(defaultValue = "") String category,
      @RequestParam(defaultValue = "") String labels,
      Principal who) {
    var wanted = rights.isBlank() ? scope.rights() : TokenCheck.rights(rights);
    if (days < 0 || days > MAX_DAYS) {
      throw new IllegalArgumentException(
          "days must be 1 to %,d, or 0 for a token that does not expire".formatted(MAX_DAYS));
    }
    long expires = days == 0 ? 0 : clock.millis() + days * Durations.DAY;
    var spec =
        new TokenSpec(
            name,
            wanted,
            store,
            TokenSpec.networks(networks),
            expires,
            0,
            0,
            TokenSpec.labels(labels));
    if (replace) {
      tokens.revoke(name.strip());
    }
    var token = tokens.create(spec, category, who.getName()).token();
    AccessLog.done(who.getName(), "created the token " + name + " (" + wanted + " " + store + ")");
    return Map.of("token", token);
  }
}
