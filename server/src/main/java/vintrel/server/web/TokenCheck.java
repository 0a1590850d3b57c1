package vintrel.server.web;

import java.util.Optional;

/** Who holds an API token. */
public interface TokenCheck {
  /** Who holds a token; empty if it is not known. */
  Optional<Holder> holder(String token);

  /**
   * @param store the named store that the token writes to, or empty if it may choose
   */
  record Holder(String name, Scope scope, String store) {}

  enum Scope {
    INGEST,
    READ,
    ALL
  }
}
