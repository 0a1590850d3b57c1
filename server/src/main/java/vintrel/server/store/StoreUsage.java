package vintrel.server.store;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import org.springframework.stereotype.Service;
import vintrel.core.store.DiskForecast.Usage;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/** What each series took of late, and what each store takes now. */
@Service
public class StoreUsage {
  /** What a row costs besides its data: its other columns, its key and its place in the index. */
  static final int ROW = 110;

  private static final long REMEMBERED = 30_000;

  private final Database database;
  private final DurableStore store;
  private final Clock clock;
  private List<OfSeries> known = List.of();
  private long askedAt;

  StoreUsage(Database database, DurableStore store, Clock clock) {
    this.database = database;
    this.store = store;
    this.clock = clock;
  }

  /** One series at one resolution, in a day. */
  public record OfSeries(int series, Usage usage) {}

  /** The contents of a store at one resolution. */
  public record Held(String store, int tier, long samples, long bytes, long oldest) {}

  /**
   * By series and resolution, over the newest day that is written. Chunks that begin before it
   * count by their share. The answer may be half a minute old.
   */
  public synchronized List<OfSeries> day() {
    if (clock.millis() - askedAt > REMEMBERED) {
      known = ask();
      askedAt = clock.millis();
    }
    return known;
  }

  private List<OfSeries> ask() {
    var newest =
        database.with(
            s ->
                s.createSelectionQuery(
                        "select s.store, max(c.endTime) from Chunk c join Series s on s.id ="
                            + " c.seriesId where c.tier = 0 group by s.store",
                        Object[].class)
                    .getResultList());
    var out = new ArrayList<OfSeries>();
    newest.forEach(r -> out.addAll(ask((String) r[0], (Long) r[1])));
    return out;
  }

  /** Stores are written at times of their own, so each has its own newest day. */
  private List<OfSeries> ask(String named, long to) {
    var share =
        "(least(c.end_time, :to) - greatest(c.start_time, :from) + 1.0) / (c.end_time -"
            + " c.start_time + 1.0)";
    return database
        .with(
            s ->
                s.createNativeQuery(
                        "select c.series_id, c.tier, sum(c.sample_count * "
                            + share
                            + "), sum((octet_length(c.data) + "
                            + ROW
                            + ") * "
                            + share
                            + ") from chunk c join series s on s.id = c.series_id where s.store ="
                            + " :store and c.end_time >= :from and c.start_time <= :to group by"
                            + " c.series_id, c.tier",
                        Object[].class)
                    .setParameter("from", to - Durations.DAY)
                    .setParameter("to", to)
                    .setParameter("store", named)
                    .getResultList())
        .stream()
        .map(r -> row(number(r[0]).intValue(), number(r[1]).intValue(), number(r[2]), number(r[3])))
        .filter(u -> u != null)
        .toList();
  }

  private OfSeries row(int id, int tier, Number samples, Number bytes) {
    var series = store.catalog().get(id);
    return series == null
        ? null
        : new OfSeries(
            id, new Usage(series.store(), tier, samples.doubleValue(), bytes.doubleValue()));
  }

  private static Number number(Object o) {
    return (Number) o;
  }

  /** By store and resolution, as far as it is written. */
  public List<Held> held() {
    return database
        .with(
            s ->
                s.createNativeQuery(
                        "select s.store, c.tier, sum(c.sample_count), sum(octet_length(c.data) + "
                            + ROW
                            + "), min(c.start_time) from chunk c join series s on s.id ="
                            + " c.series_id group by s.store, c.tier",
                        Object[].class)
                    .getResultList())
        .stream()
        .map(
            r ->
                new Held(
                    (String) r[0],
                    number(r[1]).intValue(),
                    number(r[2]).longValue(),
                    number(r[3]).longValue(),
                    number(r[4]).longValue()))
        .toList();
  }
}
