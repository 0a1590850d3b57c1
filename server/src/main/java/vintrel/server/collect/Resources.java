package vintrel.server.collect;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Clock;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Service;
import vintrel.core.define.Definition;
import vintrel.core.series.Admission;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;
import vintrel.core.wire.ResourceRules;
import vintrel.server.define.Definitions;
import vintrel.server.store.LabelText;

/**
 * The resources that samples come from: the labels that each gives to its series, and the
 * attributes that are kept aside (the definitions of kind {@code resources} say which). Kept in the
 * database and, to be searched, in memory. Any thread.
 */
@Service
class Resources {
  private static final Logger log = LoggerFactory.getLogger(Resources.class);

  /** The definition that holds for tokens that have none of their own name. */
  static final String DEFAULT = "default";

  static final int MAX = 10_000;
  private static final int MAX_TEXT = 8_000;

  /** One that goes on is noted again after this, ms. */
  private static final long AGAIN = Durations.DAY / 4;

  private static final long FORGOTTEN = 90 * Durations.DAY;

  private final vintrel.server.database.Database database;
  private final Definitions definitions;
  private final Clock clock;
  private final Map<String, Resource> known = new ConcurrentHashMap<>();

  /**
   * A resource.
   *
   * @param aside attributes that became no labels
   * @param since when it was first seen, ms
   * @param seen when it was last seen, to a few hours, ms
   */
  public record Resource(String store, Labels labels, Labels aside, long since, long seen) {}

  Resources(vintrel.server.database.Database database, Definitions definitions, Clock clock) {
    this.database = database;
    this.definitions = definitions;
    this.clock = clock;
    database.run(s -> s.doWork(this::load));
  }

  private void load(Connection connection) throws SQLException {
    try (var old = connection.prepareStatement("delete from resource_note where last_at < ?")) {
      old.setLong(1, clock.millis() - FORGOTTEN);
      old.executeUpdate();
    }
    try (var all =
        connection.prepareStatement(
            "select id, store, labels, aside, first_at, last_at from resource_note")) {
      var rows = all.executeQuery();
      while (rows.next()) {
        known.put(
            rows.getString(1),
            new Resource(
                rows.getString(2),
                LabelText.read(rows.getString(3)),
                LabelText.read(rows.getString(4)),
                rows.getLong(5),
                rows.getLong(6)));
      }
    }
  }

  /** The rules for what a token sends. */
  ResourceRules rules(String token) {
    var own = definitions.find("resources", token);
    var found = own == null ? definitions.find("resources", DEFAULT) : own;
    return found == null
        ? ResourceRules.USUAL
        : ((Definition.OfResources) found.definition()).rules();
  }

  /** The attributes without a label of the resources that series with these labels come from. */
  Set<String> aside(Labels series) {
    var out = new TreeSet<String>();
    for (var r : known.values()) {
      if (!r.labels().isEmpty()
          && r.labels().names().stream().allMatch(n -> r.labels().get(n).equals(series.get(n)))) {
        out.addAll(r.aside().names());
      }
    }
    return out;
  }

  /** Notes a resource; if it can't be written now, it is next time. */
  void note(String store, Labels labels, Map<String, String> attributes) {
    var aside = Labels.of(attributes);
    var key = id(store, labels);
    var before = known.get(key);
    long now = clock.millis();
    boolean same = before != null && before.aside().equals(aside);
    if (same && now - before.seen() < AGAIN || before == null && known.size() >= MAX) {
      return;
    }
    if (Admission.fault("a", labels, "") != null
        || Admission.fault("a", aside, "") != null
        || LabelText.write(labels).length() > MAX_TEXT
        || LabelText.write(aside).length() > MAX_TEXT) {
      return;
    }
    var resource = new Resource(store, labels, aside, before == null ? now : before.since(), now);
    synchronized (this) {
      try {
        database.run(s -> s.doWork(c -> write(c, key, resource)));
        known.put(key, resource);
      } catch (RuntimeException e) {
        log.warn("could not store a resource: {}", e.toString());
      }
    }
  }

  private static void write(Connection connection, String id, Resource r) throws SQLException {
    try (var old = connection.prepareStatement("delete from resource_note where id = ?")) {
      old.setString(1, id);
      old.executeUpdate();
    }
    try (var insert =
        connection.prepareStatement(
            "insert into resource_note (id, store, labels, aside, first_at, last_at)"
                + " values (?, ?, ?, ?, ?, ?)")) {
      insert.setString(1, id);
      insert.setString(2, r.store());
      insert.setString(3, LabelText.write(r.labels()));
      insert.setString(4, LabelText.write(r.aside()));
      insert.setLong(5, r.since());
      insert.setLong(6, r.seen());
      insert.executeUpdate();
    }
  }

  private static String id(String store, Labels labels) {
    try {
      var text = store + "\n" + LabelText.write(labels);
      var hash = MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(hash);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  /**
   * Resources of which some name or value holds every word, those seen last first.
   *
   * @param store empty: all
   */
  List<Resource> search(String store, String words) {
    var wanted = List.of(words.strip().toLowerCase(Locale.ROOT).split("\\s+"));
    return known.values().stream()
        .filter(r -> store.isEmpty() || r.store().equals(store))
        .filter(r -> wanted.stream().allMatch(w -> holds(r.labels(), w) || holds(r.aside(), w)))
        .sorted(
            Comparator.comparingLong(Resource::seen)
                .reversed()
                .thenComparing(r -> r.labels().toString()))
        .toList();
  }

  private static boolean holds(Labels labels, String word) {
    return labels.asMap().entrySet().stream()
        .anyMatch(e -> (e.getKey() + "=" + e.getValue()).toLowerCase(Locale.ROOT).contains(word));
  }

  boolean isFull() {
    return known.size() >= MAX;
  }
}
