package vintrel.server.web;

import java.util.Optional;

/** Who holds an API token. */
public interface TokenCheck {
  /** The name and scope of a token; empty where it is not known. */
  Optional<Holder> holder(String token);

  record Holder(String name, Scope scope) {}

  enum Scope {
    INGEST,
    READ,
    ALL
  }
}
