package vintrel.server.web;

import java.nio.charset.StandardCharsets;
import org.springframework.security.crypto.bcrypt.BCryptPasswordEncoder;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.stereotype.Component;

/** Hashes passwords by bcrypt, on threads of their own and in turn: it is slow on purpose. */
@Component
class Passwords implements PasswordEncoder {
  /** Bytes that bcrypt looks at. */
  static final int MAX_BYTES = 72;

  private static final int COST = 11;

  private final PasswordEncoder bcrypt = new BCryptPasswordEncoder(COST);
  private final Pools pools;

  Passwords(Pools pools) {
    this.pools = pools;
  }

  @Override
  public String encode(CharSequence raw) {
    return pools.passwords().run("system", () -> bcrypt.encode(raw));
  }

  @Override
  public boolean matches(CharSequence raw, String encoded) {
    boolean fits = raw.toString().getBytes(StandardCharsets.UTF_8).length <= MAX_BYTES;
    return pools.passwords().run(Caller.network(), () -> bcrypt.matches(fits ? raw : "", encoded))
        && fits;
  }

  @Override
  public boolean upgradeEncoding(String encoded) {
    return false;
  }
}
