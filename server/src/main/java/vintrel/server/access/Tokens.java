package vintrel.server.access;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.SecureRandom;
import java.time.Clock;
import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.stereotype.Service;
import vintrel.core.series.Admission;
import vintrel.server.database.Database;
import vintrel.server.web.Settings;
import vintrel.server.web.TokenCheck;

/** API tokens. Only a hash is kept; the token itself is shown once, when it is made. */
@Service
public class Tokens implements TokenCheck {
  private final Database database;
  private final Clock clock;
  private final byte[] bootstrap;
  private final LocalKey local;
  private final Map<String, Holder> byHash = new ConcurrentHashMap<>();

  /** A token as it may be shown later. */
  public record Known(
      long id, String name, String scope, String store, long madeAt, String madeBy) {}

  Tokens(Database database, LocalKey local, Settings settings, Clock clock) {
    this.database = database;
    this.local = local;
    this.clock = clock;
    this.bootstrap = settings.bootstrapToken().getBytes(StandardCharsets.UTF_8);
    rows().forEach(r -> byHash.put(r.hash, holder(r)));
  }

  private List<TokenRow> rows() {
    return database.with(
        s -> s.createSelectionQuery("from Token order by name", TokenRow.class).getResultList());
  }

  private static Holder holder(TokenRow r) {
    return new Holder(r.name, Scope.valueOf(r.scope), r.store);
  }

  @Override
  public Optional<Holder> holder(String token) {
    var bytes = token.getBytes(StandardCharsets.UTF_8);
    if (bootstrap.length > 0 && MessageDigest.isEqual(bootstrap, bytes)) {
      return Optional.of(new Holder("bootstrap", Scope.ALL, ""));
    }
    if (local.fits(bytes)) {
      return Optional.of(new Holder("this machine", Scope.ALL, ""));
    }
    return Optional.ofNullable(byHash.get(hash(bytes)));
  }

  public List<Known> all() {
    return rows().stream()
        .map(r -> new Known(r.id, r.name, r.scope, r.store, r.madeAt, r.madeBy))
        .toList();
  }

  /**
   * Makes a token and gives it out, this once.
   *
   * @param store that it writes to, or empty if it may choose
   * @throws IllegalArgumentException if the name is missing or taken
   */
  public String make(String name, Scope scope, String store, String who) {
    var clean = name == null ? "" : name.strip();
    if (clean.isEmpty() || clean.length() > 100) {
      throw new IllegalArgumentException("the token name must have 1 to 100 characters");
    }
    if (!Admission.text(clean) || !store.isEmpty() && !store.matches("[a-z][a-z0-9-]{0,39}")) {
      throw new IllegalArgumentException(
          "a store name must start with a lower-case letter and have at most 40 lower-case letters,"
              + " digits and hyphens");
    }
    if (rows().stream().anyMatch(r -> r.name.equals(clean))) {
      throw new IllegalArgumentException("a token named `" + clean + "` already exists");
    }
    var bytes = new byte[24];
    new SecureRandom().nextBytes(bytes);
    var token = "vt_" + Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
    var row = new TokenRow();
    row.name = clean;
    row.hash = hash(token.getBytes(StandardCharsets.UTF_8));
    row.scope = scope.name();
    row.store = store;
    row.madeAt = clock.millis();
    row.madeBy = who;
    database.run(s -> s.insert(row));
    byHash.put(row.hash, holder(row));
    return token;
  }

  /** Makes a token worthless from now on. */
  public void revoke(long id) {
    var row = database.with(s -> s.get(TokenRow.class, id));
    if (row != null) {
      database.run(s -> s.delete(row));
      byHash.remove(row.hash);
    }
  }

  private static String hash(byte[] token) {
    try {
      return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(token));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
