package vintrel.server.ask;

import com.github.benmanes.caffeine.cache.Caffeine;
import com.github.benmanes.caffeine.cache.LoadingCache;
import java.time.Duration;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.springframework.stereotype.Service;
import vintrel.core.index.MetricEntry;
import vintrel.core.series.Condition;
import vintrel.core.store.SampleStore;
import vintrel.server.store.MetricNotes;

/** The metrics that are kept here. Any thread. */
@Service
class Catalogue {
  private static final Duration FRESH = Duration.ofSeconds(3);
  private static final int MAX = 20_000;

  private final SampleStore store;
  private final MetricNotes notes;
  private final LoadingCache<String, Long> newest =
      Caffeine.newBuilder().maximumSize(MAX).expireAfterWrite(FRESH).build(this::lookUp);

  Catalogue(SampleStore store, MetricNotes notes) {
    this.store = store;
    this.notes = notes;
  }

  /**
   * A metric.
   *
   * @param newest the time of its newest sample, ms; 0 if it has none
   * @param stores names of those that have it
   * @param note what it is, or empty
   */
  record Found(MetricEntry metric, long newest, Set<String> stores, String note) {}

  /**
   * Metrics whose name, description, labels or values hold every word, by name; all if there is no
   * word.
   *
   * @param named the store that must have them; empty: any
   */
  List<Found> find(String search, String named) {
    Set<String> hits = null;
    for (var word : search.toLowerCase(Locale.ROOT).strip().split("\\s+")) {
      if (!word.isEmpty()) {
        var holding = new HashSet<>(store.catalog().metricsHolding(word));
        holding.addAll(notes.holding(word));
        if (hits == null) {
          hits = holding;
        } else {
          hits.retainAll(holding);
        }
      }
    }
    var wanted = hits;
    return store.catalog().metrics(named).stream()
        .filter(m -> wanted == null || wanted.contains(m.name()))
        .limit(MAX)
        .map(this::found)
        .toList();
  }

  private Found found(MetricEntry metric) {
    var name = metric.name();
    return new Found(metric, newest.get(name), store.catalog().storesOf(name), notes.of(name));
  }

  private long lookUp(String metric) {
    return Math.max(
        0,
        store.select("", metric, Condition.ALL).stream()
            .mapToLong(s -> store.newest(s.id()))
            .max()
            .orElse(0));
  }
}
