package vintrel.server.ask;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.regex.Pattern;
import org.springframework.stereotype.Service;
import vintrel.core.query.syntax.QueryException;
import vintrel.server.access.Secrets;
import vintrel.server.database.Database;
import vintrel.server.store.NamedStores;

/** External stores: SQL databases and other Vintrel servers. Any thread. */
@Service
public class ExternalStores {
  private static final Pattern NAME = Pattern.compile("[a-z][a-z0-9-]{0,39}");

  private static final int MAX_URL = 1_000;
  private static final int MAX_USER = 200;

  private final Database database;
  private final Secrets secrets;
  private final NamedStores own;
  private final SqlStores sql;
  private final RemoteStores remotes;
  private final Clock clock;
  private final Map<String, ExternalStoreRow> rows = new ConcurrentSkipListMap<>();

  ExternalStores(
      Database database,
      Secrets secrets,
      NamedStores own,
      SqlStores sql,
      RemoteStores remotes,
      Clock clock) {
    this.database = database;
    this.secrets = secrets;
    this.own = own;
    this.sql = sql;
    this.remotes = remotes;
    this.clock = clock;
    database
        .with(
            s ->
                s.createSelectionQuery("from OutsideStore", ExternalStoreRow.class).getResultList())
        .forEach(r -> rows.put(r.name, r));
  }

  /** What a store outside is. */
  public enum Form {
    SQL,
    VINTREL
  }

  /**
   * A store as it may be shown: without its secret.
   *
   * @param canWrite whether its user could change the data there, which is not needed
   * @param accepted whether an administrator has accepted that
   * @param checked the error of the last attempt to reach it; empty if it succeeded
   */
  public record Known(
      String name,
      Form form,
      String url,
      String username,
      boolean canWrite,
      boolean accepted,
      String checked) {}

  /** How to reach one. */
  record Access(String name, String url, String username, String secret, boolean accepted) {}

  public List<Known> all() {
    return rows.values().stream().map(ExternalStores::known).toList();
  }

  private static Known known(ExternalStoreRow r) {
    return new Known(
        r.name, Form.valueOf(r.form), r.url, r.username, r.canWrite, r.accepted, r.checked);
  }

  public List<String> names(Form form) {
    return rows.values().stream().filter(r -> r.form.equals(form.name())).map(r -> r.name).toList();
  }

  /**
   * How to reach a store of a form.
   *
   * @throws QueryException with code {@code store} if there is none
   */
  Access need(Form form, String name) {
    var row = rows.get(name);
    if (row == null || !row.form.equals(form.name())) {
      var what = form == Form.SQL ? "SQL store" : "Vintrel server";
      var there = names(form);
      throw new QueryException(
          "store",
          "no "
              + what
              + " is called '"
              + name
              + "'"
              + (there.isEmpty()
                  ? "; none is set up yet"
                  : "; there are " + String.join(", ", there)),
          0,
          0);
    }
    return access(row);
  }

  private Access access(ExternalStoreRow row) {
    return new Access(row.name, row.url, row.username, secrets.show(row.secret), row.accepted);
  }

  /**
   * Makes or changes a store, and tries to reach it.
   *
   * @param secret a password or token; empty keeps the one that is known, unless the address or the
   *     user is another
   * @param accept the store's own name, if its user may change data there and that is meant
   * @throws IllegalArgumentException if the name or the address is none, or its user could change
   *     data and that is not accepted
   */
  public Known put(
      String name,
      Form form,
      String url,
      String username,
      String secret,
      String accept,
      String who) {
    if (url.length() > MAX_URL || username.length() > MAX_USER || secret.length() > MAX_USER) {
      throw new IllegalArgumentException(
          "the address has at most 1,000 characters, user and secret have 200");
    }
    if (!NAME.matcher(name).matches()) {
      throw new IllegalArgumentException(
          "a store name must start with a lower-case letter and have at most 40 lower-case"
              + " letters, digits and hyphens; got `"
              + name
              + "'");
    }
    if (own.get(name) != null) {
      throw new IllegalArgumentException("`" + name + "` is already the name of a local store");
    }
    if (form == Form.SQL) {
      sql.checkUrl(url);
    } else {
      remotes.checkUrl(url);
    }
    var old = rows.get(name);
    var row = new ExternalStoreRow();
    row.name = name;
    row.form = form.name();
    row.url = url.strip();
    row.username = username.strip();
    // To another address or user a secret that is known goes only if it is typed again.
    boolean same = old != null && old.url.equals(row.url) && old.username.equals(row.username);
    row.secret = secret.isEmpty() && same ? old.secret : secrets.hide(secret);
    row.accepted = name.equals(accept);
    row.madeAt = old == null ? clock.millis() : old.madeAt;
    row.madeBy = old == null ? who : old.madeBy;
    check(row);
    if (row.canWrite && !row.accepted) {
      throw new IllegalArgumentException(
          "its user could change data there; give it a user who may only read, or accept that by"
              + " typing the store's name");
    }
    keep(row, old);
    return known(row);
  }

  /** What was tried without the lock is kept unless somebody else was faster. */
  private synchronized void keep(ExternalStoreRow row, ExternalStoreRow old) {
    if (rows.get(row.name) != old) {
      throw new IllegalStateException(
          "the store `" + row.name + "` was changed by somebody else meanwhile; load it again");
    }
    database.run(
        s -> {
          if (old == null) {
            s.insert(row);
          } else {
            s.update(row);
          }
        });
    rows.put(row.name, row);
    sql.forget(row.name);
  }

  private void check(ExternalStoreRow row) {
    row.checked = "";
    try {
      if (row.form.equals(Form.SQL.name())) {
        row.canWrite = sql.canWrite(access(row));
      } else {
        remotes.reach(access(row));
      }
    } catch (QueryException e) {
      row.checked = e.getMessage().substring(0, Math.min(1000, e.getMessage().length()));
    }
  }

  /** Forgets a store; what is there stays. */
  public synchronized void remove(String name) {
    var row = rows.remove(name);
    if (row != null) {
      database.run(s -> s.delete(row));
      sql.forget(name);
    }
  }
}
