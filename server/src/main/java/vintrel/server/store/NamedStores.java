package vintrel.server.store;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.regex.Pattern;
import org.springframework.stereotype.Service;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.Retention;
import vintrel.server.database.Database;
import vintrel.server.web.Settings;

/** The named stores and how long each keeps what. The main store is always there. Any thread. */
@Service
public class NamedStores {
  private static final Pattern NAME = Pattern.compile("[a-z][a-z0-9-]{0,39}");

  private final Database database;
  private final Clock clock;
  private final Retention usual;
  private final Map<String, Named> stores = new ConcurrentSkipListMap<>();

  /** A store; {@code madeAt} in ms since the epoch. */
  public record Named(String name, Retention retention, long madeAt, String madeBy) {}

  NamedStores(Database database, Settings settings, Clock clock) {
    this.database = database;
    this.clock = clock;
    this.usual = Retention.of(settings.retention().toMillis());
    database
        .with(s -> s.createSelectionQuery("from NamedStore", NamedStoreRow.class).getResultList())
        .forEach(r -> stores.put(r.name, named(r)));
    ensure(SeriesKey.MAIN, "Vintrel");
  }

  private static Named named(NamedStoreRow r) {
    var retention = new Retention(r.rawMillis, r.minuteMillis, r.tenMinutesMillis, r.hourMillis);
    return new Named(r.name, retention, r.madeAt, r.madeBy);
  }

  public List<Named> all() {
    return List.copyOf(stores.values());
  }

  /** The store of a name, or null. */
  public Named get(String name) {
    return stores.get(name);
  }

  /** The retention of a store; that of the main store if it is not known. */
  Retention retention(String store) {
    var named = stores.get(store);
    return named == null ? stores.get(SeriesKey.MAIN).retention() : named.retention();
  }

  /**
   * The store of a name, made with the usual retention if it is new.
   *
   * @throws IllegalArgumentException if the name is none
   */
  public Named ensure(String name, String who) {
    var known = stores.get(name);
    return known == null ? put(name, usual, who) : known;
  }

  /**
   * Makes a store, or changes how long one keeps what.
   *
   * @throws IllegalArgumentException if the name is none
   */
  public synchronized Named put(String name, Retention retention, String who) {
    if (!NAME.matcher(name).matches()) {
      throw new IllegalArgumentException(
          "a store name must start with a lower-case letter and have at most 40 lower-case"
              + " letters, digits and hyphens; got `"
              + name
              + "'");
    }
    var known = stores.get(name);
    var row = new NamedStoreRow();
    row.name = name;
    row.rawMillis = retention.raw();
    row.minuteMillis = retention.minute();
    row.tenMinutesMillis = retention.tenMinutes();
    row.hourMillis = retention.hour();
    row.madeAt = known == null ? clock.millis() : known.madeAt();
    row.madeBy = known == null ? who : known.madeBy();
    database.run(
        s -> {
          if (known == null) {
            s.insert(row);
          } else {
            s.update(row);
          }
        });
    stores.put(name, named(row));
    return stores.get(name);
  }
}
