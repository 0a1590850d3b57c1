package vintrel.server.store;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.stereotype.Service;
import vintrel.core.store.DiskForecast.Usage;
import vintrel.core.unit.Durations;
import vintrel.server.database.Database;

/** Measures the recent disk usage of each series, and the current usage of each store. */
@Service
public class StoreUsage {
  /** What a row costs besides its data: its other columns, its key and its place in the index. */
  static final int ROW = 110;

  private static final long REMEMBERED = 30_000;

  /** A store with less on disk than this is extrapolated as if it had this much, ms. */
  private static final long MIN_BASIS = Durations.MINUTE;

  private final Database database;
  private final DurableStore store;
  private final Clock clock;
  private List<OfSeries> known = List.of();
  private Map<String, Long> lived = Map.of();
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
   * Returns the usage per day by series and resolution, from the latest day on disk. Chunks that
   * begin before it count by their share; a store that has less than a day on disk is extrapolated
   * from the time that it has. The result can be half a minute old.
   */
  public synchronized List<OfSeries> day() {
    if (clock.millis() - askedAt > REMEMBERED) {
      var newest = newest();
      known = ask(newest);
      lived =
          newest.stream().collect(Collectors.toMap(Stretch::store, StoreUsage::basis, Math::max));
      askedAt = clock.millis();
    }
    return known;
  }

  /** Returns how much of the latest day of a store is on disk, ms; a day at most, 0 for nothing. */
  public synchronized long lived(String store) {
    day();
    return lived.getOrDefault(store, 0L);
  }

  /** The raw samples of a store on disk: times of the first and of the last, ms. */
  private record Stretch(String store, long from, long to) {}

  private static long basis(Stretch s) {
    return Math.clamp(s.to() - s.from(), MIN_BASIS, Durations.DAY);
  }

  private List<Stretch> newest() {
    return database
        .with(
            s ->
                s.createSelectionQuery(
                        "select s.store, min(c.startTime), max(c.endTime) from Chunk c join Series"
                            + " s on s.id = c.seriesId where c.tier = 0 group by s.store",
                        Object[].class)
                    .getResultList())
        .stream()
        .map(r -> new Stretch((String) r[0], (Long) r[1], (Long) r[2]))
        .toList();
  }

  private List<OfSeries> ask(List<Stretch> newest) {
    var out = new ArrayList<OfSeries>();
    for (var s : newest) {
      double days = (double) Durations.DAY / basis(s);
      for (var u : ask(s.store(), s.to())) {
        var d = u.usage();
        out.add(
            new OfSeries(
                u.series(), new Usage(d.store(), d.tier(), d.samples() * days, d.bytes() * days)));
      }
    }
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
