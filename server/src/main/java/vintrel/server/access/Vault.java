package vintrel.server.access;

import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.hibernate.StatelessSession;
import org.springframework.stereotype.Service;
import vintrel.core.define.Concealing;
import vintrel.server.database.Database;

/**
 * The secrets that definitions refer to: addresses of chat rooms and webhooks, passwords in the
 * addresses of targets. Kept encrypted; a reference is a keyed hash of the secret, so that the same
 * definition applied again is the same. Any thread.
 */
@Service
public class Vault {
  private final Secrets secrets;
  private final Map<String, String> hidden = new ConcurrentHashMap<>();

  private final Database database;

  Vault(Database database, Secrets secrets) {
    this.secrets = secrets;
    this.database = database;
    follow();
  }

  /** Takes over the secrets that other servers wrote. */
  public void follow() {
    database
        .with(s -> s.createSelectionQuery("from Secret", SecretRow.class).getResultList())
        .forEach(r -> hidden.putIfAbsent(r.id, r.hidden));
  }

  /** The reference of a secret, which is not kept yet. */
  public String reference(String secret) {
    return secrets.mark(secret).substring(0, 16);
  }

  boolean knows(String reference) {
    return hidden.containsKey(reference);
  }

  /** Keeps secrets by reference, within a transaction that {@link #kept} must follow. */
  public void write(StatelessSession session, Map<String, String> fresh) {
    fresh.forEach(
        (reference, secret) -> {
          if (!knows(reference)) {
            var row = new SecretRow();
            row.id = reference;
            row.hidden = secrets.hide(secret);
            session.insert(row);
          }
        });
  }

  public void kept(Map<String, String> fresh) {
    fresh.forEach((reference, secret) -> hidden.putIfAbsent(reference, secrets.hide(secret)));
  }

  /** Unknown references. */
  public List<String> unknown(String text) {
    return Concealing.references(text).stream().filter(r -> !knows(r)).toList();
  }

  /**
   * An address with the secret that it refers to.
   *
   * @throws IllegalStateException if that is not known any more, or can't be read with this key
   */
  public String revealed(String address) {
    return Concealing.revealed(
        address,
        reference -> {
          var found = hidden.get(reference);
          if (found == null) {
            throw new IllegalStateException(
                "the address is not known any more; write it into the definition again");
          }
          return secrets.show(found);
        });
  }
}
