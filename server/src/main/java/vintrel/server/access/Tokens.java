package vintrel.server.access;

import jakarta.annotation.PreDestroy;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.security.web.util.matcher.IpAddressMatcher;
import org.springframework.stereotype.Service;
import vintrel.core.series.Labels;
import vintrel.server.database.Database;
import vintrel.server.database.Loops;
import vintrel.server.web.Settings;
import vintrel.server.web.TokenCheck;

/**
 * API tokens. Only a hash is stored; the token itself is shown once, when it is created. A revoked
 * or expired token is refused from that moment on. Any thread.
 */
@Service
public class Tokens implements TokenCheck {
  private static final long NOTED_EVERY_MS = 30_000;

  private final Database database;
  private final Clock clock;
  private final byte[] bootstrap;
  private final LocalKey local;
  private final Loops loops;
  private final Map<String, Live> byHash = new ConcurrentHashMap<>();
  private volatile Loops.Loop loop;

  /** A token as it may be shown later; times in ms, 0: never. */
  public record Known(
      long id,
      String name,
      Set<Right> rights,
      String store,
      List<String> networks,
      long expiresAt,
      int maxSamples,
      int maxSeries,
      Labels labels,
      long madeAt,
      String madeBy,
      long usedAt,
      String usedFrom,
      boolean rotated) {}

  /** A token in use. */
  private static final class Live {
    final Holder holder;
    final List<IpAddressMatcher> networks;
    final String networkNames;
    final String category;
    volatile long expiresAt;
    volatile long usedAt;
    volatile String usedFrom;
    volatile long notedAt;

    Live(TokenRow r) {
      holder =
          new Holder(
              r.id,
              r.name,
              TokenCheck.rights(r.rights),
              r.store,
              r.maxSamples,
              r.maxSeries,
              TokenSpec.labels(r.labels));
      networkNames = r.networks;
      category = r.category;
      networks = TokenSpec.networks(r.networks).stream().map(IpAddressMatcher::new).toList();
      expiresAt = r.expiresAt;
      usedAt = r.usedAt;
      usedFrom = r.usedFrom;
      notedAt = r.usedAt;
    }
  }

  Tokens(Database database, LocalKey local, Settings settings, Loops loops, Clock clock) {
    this.database = database;
    this.local = local;
    this.loops = loops;
    this.clock = clock;
    this.bootstrap = settings.bootstrapToken().getBytes(StandardCharsets.UTF_8);
    rows().forEach(r -> byHash.put(r.hash, new Live(r)));
  }

  @EventListener(ApplicationReadyEvent.class)
  void start() {
    loop = loops.start("noting token use", NOTED_EVERY_MS, NOTED_EVERY_MS, null, this::noteUse);
  }

  private List<TokenRow> rows() {
    return database.with(
        s ->
            s.createSelectionQuery("from Token order by name, madeAt desc", TokenRow.class)
                .getResultList());
  }

  @Override
  public Verdict check(String token, String address) {
    var bytes = token.getBytes(StandardCharsets.UTF_8);
    if (bootstrap.length > 0 && MessageDigest.isEqual(bootstrap, bytes)) {
      return full("bootstrap");
    }
    if (local.fits(bytes)) {
      return full("this machine");
    }
    var live = byHash.get(hash(bytes));
    if (live == null) {
      return new Verdict(null, 401, "unknown token: mistyped or revoked", "");
    }
    var name = live.holder.name();
    long now = clock.millis();
    if (live.expiresAt > 0 && now >= live.expiresAt) {
      var at = Instant.ofEpochMilli(live.expiresAt).truncatedTo(ChronoUnit.SECONDS);
      return new Verdict(null, 401, "the token `" + name + "` expired at " + at, name);
    }
    if (!live.networks.isEmpty() && live.networks.stream().noneMatch(n -> n.matches(address))) {
      var reason =
          "the token `%s` can be used only from %s; this request came from %s"
              .formatted(name, live.networkNames.replace(",", ", "), address);
      return new Verdict(null, 403, reason, name);
    }
    live.usedAt = now;
    live.usedFrom = address;
    return Verdict.of(live.holder);
  }

  private static Verdict full(String name) {
    return Verdict.of(new Holder(0, name, Scope.ALL.rights(), "", 0, 0, Labels.NONE));
  }

  public List<Known> all() {
    return rows().stream().map(this::known).toList();
  }

  /** Whether a person created a token. */
  public boolean isOf(String person, long id, String name) {
    var row = database.with(s -> s.get(TokenRow.class, id));
    return row != null && row.madeBy.equals(person) && row.name.equals(name);
  }

  /** A token, or null if there is none of that id. */
  public Known find(long id) {
    var row = database.with(s -> s.get(TokenRow.class, id));
    return row == null ? null : known(row);
  }

  private Known known(TokenRow r) {
    var live = byHash.get(r.hash);
    return new Known(
        r.id,
        r.name,
        TokenCheck.rights(r.rights),
        r.store,
        TokenSpec.networks(r.networks),
        r.expiresAt,
        r.maxSamples,
        r.maxSeries,
        TokenSpec.labels(r.labels),
        r.madeAt,
        r.madeBy,
        live == null ? r.usedAt : live.usedAt,
        live == null ? r.usedFrom : live.usedFrom,
        r.rotated);
  }

  /** A new token, returned only here. */
  public record Created(long id, String token) {}

  /**
   * Creates a token.
   *
   * @throws IllegalArgumentException if a part of it can't be, or the name is taken
   */
  public Created create(TokenSpec wanted, String who) {
    return create(wanted, "", who);
  }

  /**
   * As above.
   *
   * @param category what sends with it, as Collect lists it: a word, or empty
   */
  public Created create(TokenSpec wanted, String category, String who) {
    if (!category.matches("[a-z_]{0,20}")) {
      throw new IllegalArgumentException(
          "`category` must be one of: applications, endpoints, hosts, devices, by_hand");
    }
    var spec = wanted.checked(clock.millis());
    if (rows().stream().anyMatch(r -> r.name.equals(spec.name()))) {
      throw new IllegalArgumentException("a token named `" + spec.name() + "` already exists");
    }
    var row = new TokenRow();
    row.name = spec.name();
    row.rights = spec.rights().stream().map(Right::name).sorted().collect(Collectors.joining(","));
    row.store = spec.store();
    row.networks = String.join(",", spec.networks());
    row.expiresAt = spec.expiresAt();
    row.maxSamples = spec.maxSamples();
    row.maxSeries = spec.maxSeries();
    row.labels = TokenSpec.text(spec.labels());
    row.category = category;
    return insert(row, who);
  }

  /** What sends with a token; empty if that is not said. */
  public String category(long id) {
    return byHash.values().stream()
        .filter(t -> t.holder.id() == id)
        .map(t -> t.category)
        .findFirst()
        .orElse("");
  }

  /** Creates a token with usual rights and returns it. */
  public String make(String name, Scope scope, String store, String who) {
    return create(new TokenSpec(name, scope.rights(), store), who).token();
  }

  private Created insert(TokenRow row, String who) {
    var bytes = new byte[24];
    new SecureRandom().nextBytes(bytes);
    var token = "vt_" + Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
    row.hash = hash(token.getBytes(StandardCharsets.UTF_8));
    row.madeAt = clock.millis();
    row.madeBy = who;
    row.usedFrom = "";
    database.run(s -> s.insert(row));
    byHash.put(row.hash, new Live(row));
    return new Created(row.id, token);
  }

  /**
   * Replaces a token by a new one with the same name, rights, limits and labels, valid for as long
   * as the old one was given; the old one stays valid for the overlap.
   *
   * @param overlapMs 0: the old one ends at once
   * @throws IllegalArgumentException if there is no such token
   */
  public synchronized Created rotate(long id, long overlapMs, String who) {
    var old = database.with(s -> s.get(TokenRow.class, id));
    if (old == null || old.rotated) {
      throw new IllegalArgumentException("this token does not exist any more, or was replaced");
    }
    var row = new TokenRow();
    row.name = old.name;
    row.rights = old.rights;
    row.store = old.store;
    row.networks = old.networks;
    row.maxSamples = old.maxSamples;
    row.maxSeries = old.maxSeries;
    row.labels = old.labels;
    row.category = old.category;
    // As long as the old one was given, from now on.
    row.expiresAt = old.expiresAt == 0 ? 0 : clock.millis() + (old.expiresAt - old.madeAt);
    var created = insert(row, who);
    if (overlapMs <= 0) {
      revoke(id);
      return created;
    }
    long end = clock.millis() + overlapMs;
    old.expiresAt = old.expiresAt == 0 ? end : Math.min(old.expiresAt, end);
    old.rotated = true;
    database.run(s -> s.update(old));
    var live = byHash.get(old.hash);
    if (live != null) {
      live.expiresAt = old.expiresAt;
    }
    return created;
  }

  /** Makes a token worthless from now on. */
  public void revoke(long id) {
    var row = database.with(s -> s.get(TokenRow.class, id));
    if (row != null) {
      byHash.remove(row.hash);
      database.run(s -> s.delete(row));
    }
  }

  /** Makes all tokens of a name worthless from now on. */
  public void revoke(String name) {
    rows().stream().filter(r -> r.name.equals(name)).forEach(r -> revoke(r.id));
  }

  /** Writes when tokens were used last; a use is noted every half minute at most. */
  private void noteUse() {
    for (var live : byHash.values()) {
      long at = live.usedAt;
      if (at != live.notedAt) {
        var from = live.usedFrom;
        database.run(
            s ->
                s.createMutationQuery(
                        "update Token set usedAt = :at, usedFrom = :from where id = :id")
                    .setParameter("at", at)
                    .setParameter("from", from)
                    .setParameter("id", live.holder.id())
                    .executeUpdate());
        live.notedAt = at;
      }
    }
  }

  @PreDestroy
  void stop() {
    if (loop != null) {
      loop.close();
    }
    noteUse();
  }

  private static String hash(byte[] token) {
    try {
      return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(token));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
