package vintrel.server.ask;

import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicBoolean;
import org.springframework.stereotype.Component;
import tools.jackson.databind.JsonNode;
import vintrel.core.query.QueryException;
import vintrel.core.unit.Spans;

/**
 * The metrics of other Vintrels, as they said within the last minute or so. Nobody waits for them:
 * what is not known yet is there the next time. Any thread.
 */
@Component
class RemoteCatalogue {
  private final OutsideStores stores;
  private final RemoteStores remotes;
  private final Clock clock;
  private final Map<String, Known> known = new ConcurrentHashMap<>();

  RemoteCatalogue(OutsideStores stores, RemoteStores remotes, Clock clock) {
    this.stores = stores;
    this.remotes = remotes;
    this.clock = clock;
  }

  /**
   * A metric elsewhere.
   *
   * @param words its name, labels and values in lower case, to be searched
   */
  record Metric(String store, String name, String kind, String unit, int series, String words) {}

  private static final class Known {
    final AtomicBoolean asking = new AtomicBoolean();
    volatile List<Metric> metrics = List.of();
    volatile long askedAt = Long.MIN_VALUE;
  }

  /** By store and name. */
  List<Metric> all() {
    var out = new ArrayList<Metric>();
    for (var name : stores.names(OutsideStores.Form.VINTREL)) {
      var entry = known.computeIfAbsent(name, k -> new Known());
      boolean old = entry.askedAt < clock.millis() - Spans.MINUTE;
      if (old && entry.asking.compareAndSet(false, true)) {
        Thread.ofVirtual().name("catalogue of " + name).start(() -> refresh(name, entry));
      }
      out.addAll(entry.metrics);
    }
    return out;
  }

  private void refresh(String name, Known entry) {
    try {
      var access = stores.need(OutsideStores.Form.VINTREL, name);
      entry.metrics = metrics(name, remotes.series(access));
    } catch (QueryException e) {
      // It is away: what it said last stays.
    } finally {
      entry.askedAt = clock.millis();
      entry.asking.set(false);
    }
  }

  static List<Metric> metrics(String store, JsonNode series) {
    var counts = new TreeMap<String, Integer>();
    var words = new TreeMap<String, StringBuilder>();
    var heads = new TreeMap<String, JsonNode>();
    for (var s : series) {
      var metric = s.path("metric").asString("");
      counts.merge(metric, 1, Integer::sum);
      heads.putIfAbsent(metric, s);
      var text = words.computeIfAbsent(metric, k -> new StringBuilder(metric));
      s.path("labels")
          .properties()
          .forEach(
              l -> text.append(' ').append(l.getKey()).append(' ').append(l.getValue().asString()));
    }
    var out = new ArrayList<Metric>();
    counts.forEach(
        (metric, n) -> {
          var head = heads.get(metric);
          out.add(
              new Metric(
                  store,
                  metric,
                  head.path("kind").asString("gauge"),
                  head.path("unit").asString(""),
                  n,
                  words.get(metric).toString().toLowerCase(Locale.ROOT)));
        });
    return out;
  }
}
