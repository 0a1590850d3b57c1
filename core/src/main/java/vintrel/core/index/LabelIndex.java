package vintrel.core.index;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.locks.ReentrantReadWriteLock;
import java.util.function.Supplier;
import org.roaringbitmap.RoaringBitmap;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;

/**
 * Postings: for every metric, and for every value of every label, the set of series ids as a
 * compressed bitmap, kept apart by named store; an empty store name stands for all (Lemire et al.,
 * "Roaring Bitmaps", 2016).
 *
 * <p>A condition becomes set algebra, begun from the metric's own set so that a common label never
 * costs more than the metric it is asked of. Patterns ({@code like}, {@code matches}) are tried on
 * each distinct value of the label, or on the candidates' own values if those are fewer; within an
 * {@code and}, patterns come last, so that equalities have made the candidates few. Guarded by one
 * read-write lock.
 */
public final class LabelIndex implements Catalog {
  private final ReentrantReadWriteLock lock = new ReentrantReadWriteLock();
  private final List<Series> series = new ArrayList<>();

  /** By name, for all that lists them; {@link #byName} holds the same for finding one. */
  private final Map<String, Map<String, RoaringBitmap>> metrics = new TreeMap<>();

  private final Map<String, Map<String, RoaringBitmap>> byName = new HashMap<>();
  private final Map<String, RoaringBitmap> stores = new TreeMap<>();

  /** For each metric its label names, with how many series of it carry each. */
  private final Map<String, Map<String, int[]>> labelsOf = new HashMap<>();

  private final Map<String, Map<String, RoaringBitmap>> labels = new HashMap<>();

  /** Adds a series; its id must be above those of all series so far. */
  public void add(Series s) {
    lock.writeLock().lock();
    try {
      if (s.id() < series.size()) {
        throw new IllegalArgumentException("series " + s.id() + " is known already");
      }
      while (series.size() < s.id()) {
        series.add(null);
      }
      series.add(s);
      byName
          .computeIfAbsent(s.metric(), k -> metrics.computeIfAbsent(k, n -> new TreeMap<>()))
          .computeIfAbsent(s.store(), k -> new RoaringBitmap())
          .add(s.id());
      stores.computeIfAbsent(s.store(), k -> new RoaringBitmap()).add(s.id());
      var carried = labelsOf.computeIfAbsent(s.metric(), k -> new TreeMap<>());
      for (int i = 0; i < s.labels().size(); i++) {
        carried.computeIfAbsent(s.labels().name(i), k -> new int[1])[0]++;
        labels
            .computeIfAbsent(s.labels().name(i), k -> new HashMap<>())
            .computeIfAbsent(s.labels().value(i), k -> new RoaringBitmap())
            .add(s.id());
      }
    } finally {
      lock.writeLock().unlock();
    }
  }

  /** Takes a series out; its id is not used again. */
  public void remove(int id) {
    lock.writeLock().lock();
    try {
      var s = series.set(id, null);
      take(byName.get(s.metric()), s.store(), id);
      var carried = labelsOf.get(s.metric());
      if (byName.get(s.metric()).isEmpty()) {
        metrics.remove(s.metric());
        byName.remove(s.metric());
        labelsOf.remove(s.metric());
      }
      take(stores, s.store(), id);
      for (int i = 0; i < s.labels().size(); i++) {
        carried.computeIfPresent(s.labels().name(i), (k, n) -> --n[0] == 0 ? null : n);
        var values = labels.get(s.labels().name(i));
        take(values, s.labels().value(i), id);
        if (values.isEmpty()) {
          labels.remove(s.labels().name(i));
        }
      }
    } finally {
      lock.writeLock().unlock();
    }
  }

  private static void take(Map<String, RoaringBitmap> sets, String key, int id) {
    var ids = sets.get(key);
    ids.remove(id);
    if (ids.isEmpty()) {
      sets.remove(key);
    }
  }

  /** How many series there are. */
  @Override
  public int size() {
    return reading(() -> (int) stores.values().stream().mapToLong(b -> b.getCardinality()).sum());
  }

  /** An id above those of all series. */
  public int nextId() {
    return reading(series::size);
  }

  /** The series of an id, or null if it is gone. */
  @Override
  public Series get(int id) {
    return reading(() -> series.get(id));
  }

  @Override
  public boolean hasMetric(String store, String name) {
    return reading(
        () -> {
          var byStore = byName.get(name);
          return byStore != null && (store.isEmpty() || byStore.containsKey(store));
        });
  }

  /** Names of the stores that have series, sorted. */
  @Override
  public List<String> stores() {
    return reading(() -> List.copyOf(stores.keySet()));
  }

  /** Names of the stores that have a metric. */
  @Override
  public Set<String> storesOf(String metric) {
    return reading(() -> Set.copyOf(byName.getOrDefault(metric, Map.of()).keySet()));
  }

  /** How many series a store has. */
  @Override
  public int size(String store) {
    return reading(() -> stores.getOrDefault(store, new RoaringBitmap()).getCardinality());
  }

  /** How many series a metric of a store has. */
  @Override
  public int size(String store, String metric) {
    return reading(() -> universe(store, metric).getCardinality());
  }

  /** Series of a metric (null: of all) that fulfil a condition, by rising id. */
  @Override
  public List<Series> select(String store, String metric, Condition where) {
    return reading(
        () -> {
          var found = new ArrayList<Series>();
          find(where, universe(store, metric)).forEach((int id) -> found.add(series.get(id)));
          return found;
        });
  }

  /** The series of a metric that came last, or null if there is none. */
  @Override
  public Series newest(String metric) {
    return reading(
        () -> {
          var ids = universe("", metric);
          return ids.isEmpty() ? null : series.get(ids.last());
        });
  }

  /** All metrics of a store by name. */
  @Override
  public List<MetricEntry> metrics(String store) {
    return reading(
        () -> {
          var out = new ArrayList<MetricEntry>(metrics.size());
          for (var name : metrics.keySet()) {
            var ids = universe(store, name);
            if (!ids.isEmpty()) {
              var last = series.get(ids.last());
              out.add(
                  new MetricEntry(
                      name, last.kind(), last.unit(), ids.getCardinality(), names(store, name)));
            }
          }
          return out;
        });
  }

  @Override
  public Collection<String> metricNames(String store) {
    return reading(
        () ->
            store.isEmpty()
                ? List.copyOf(metrics.keySet())
                : metrics.entrySet().stream()
                    .filter(e -> e.getValue().containsKey(store))
                    .map(Map.Entry::getKey)
                    .toList());
  }

  /** Label names over the series of a metric (null: all), sorted. */
  @Override
  public List<String> labelNames(String store, String metric) {
    return reading(
        () -> {
          if (metric != null) {
            return names(store, metric);
          }
          var out = new TreeSet<String>();
          if (store.isEmpty()) {
            out.addAll(labels.keySet());
          } else {
            universe(store, null).forEach((int id) -> out.addAll(series.get(id).labels().names()));
          }
          return List.copyOf(out);
        });
  }

  /** Label names of a metric; only if it lies in several stores are its series looked at. */
  private List<String> names(String store, String metric) {
    var byStore = byName.getOrDefault(metric, Map.of());
    if (store.isEmpty() || byStore.size() == 1 && byStore.containsKey(store)) {
      return List.copyOf(labelsOf.getOrDefault(metric, Map.of()).keySet());
    }
    var out = new TreeSet<String>();
    universe(store, metric).forEach((int id) -> out.addAll(series.get(id).labels().names()));
    return List.copyOf(out);
  }

  /** Metrics with a name, label name or label value that holds a word in lower case, sorted. */
  @Override
  public Set<String> metricsHolding(String word) {
    return reading(
        () -> {
          var carriers = new RoaringBitmap();
          labels.forEach(
              (label, values) ->
                  values.forEach(
                      (value, ids) -> {
                        if (holds(label, word) || holds(value, word)) {
                          carriers.or(ids);
                        }
                      }));
          var out = new TreeSet<String>();
          metrics.forEach(
              (name, byStore) -> {
                if (holds(name, word)
                    || byStore.values().stream()
                        .anyMatch(ids -> RoaringBitmap.intersects(ids, carriers))) {
                  out.add(name);
                }
              });
          return out;
        });
  }

  private static boolean holds(String text, String word) {
    return text.toLowerCase(Locale.ROOT).contains(word);
  }

  /** All labels, those with the most values first. */
  @Override
  public List<LabelSize> labelSizes() {
    return reading(
        () ->
            labels.entrySet().stream()
                .map(
                    e ->
                        new LabelSize(
                            e.getKey(),
                            e.getValue().size(),
                            e.getValue().values().stream()
                                .mapToLong(RoaringBitmap::getCardinality)
                                .sum()))
                .sorted(Comparator.comparingInt(LabelSize::values).reversed())
                .toList());
  }

  /** Values of a label over the series that are selected, sorted. */
  @Override
  public List<String> labelValues(String label, String store, String metric, Condition where) {
    return reading(
        () -> {
          var values = labels.getOrDefault(label, Map.of());
          if (metric == null && store.isEmpty() && where.equals(Condition.ALL)) {
            return values.keySet().stream().sorted().toList();
          }
          var within = find(where, universe(store, metric));
          if (within.getCardinality() < values.size()) {
            return carried(label, within);
          }
          return values.entrySet().stream()
              .filter(e -> RoaringBitmap.intersects(e.getValue(), within))
              .map(Map.Entry::getKey)
              .sorted()
              .toList();
        });
  }

  @Override
  public Collection<String> someLabelValues(String label, String metric, int most) {
    return reading(
        () -> {
          var values = labels.getOrDefault(label, Map.of());
          if (metric == null) {
            return values.keySet().stream().limit(most).toList();
          }
          var within = universe("", metric);
          if (values.size() <= Math.min(most, within.getCardinality())) {
            return values.entrySet().stream()
                .filter(e -> RoaringBitmap.intersects(e.getValue(), within))
                .map(Map.Entry::getKey)
                .toList();
          }
          var out = new HashSet<String>();
          var newest = within.getReverseIntIterator();
          for (int i = 0; i < most && newest.hasNext(); i++) {
            var value = series.get(newest.next()).labels().get(label);
            if (value != null) {
              out.add(value);
            }
          }
          return out;
        });
  }

  /** The values of a label that series carry, sorted. */
  private List<String> carried(String label, RoaringBitmap ids) {
    var out = new HashSet<String>();
    ids.forEach(
        (int id) -> {
          var value = series.get(id).labels().get(label);
          if (value != null) {
            out.add(value);
          }
        });
    return out.stream().sorted().toList();
  }

  private RoaringBitmap universe(String store, String metric) {
    if (metric == null) {
      return store.isEmpty()
          ? RoaringBitmap.or(stores.values().iterator())
          : stores.getOrDefault(store, new RoaringBitmap());
    }
    var byStore = byName.getOrDefault(metric, Map.of());
    if (!store.isEmpty()) {
      return byStore.getOrDefault(store, new RoaringBitmap());
    }
    return byStore.size() == 1
        ? byStore.values().iterator().next()
        : RoaringBitmap.or(byStore.values().iterator());
  }

  /** The members of {@code within} that fulfil the condition; never changes its argument. */
  private RoaringBitmap find(Condition where, RoaringBitmap within) {
    return switch (where) {
      case Condition.And and -> {
        var left = within;
        for (var part : and.parts()) {
          left = pattern(part) ? left : find(part, left);
        }
        for (var part : and.parts()) {
          left = pattern(part) ? find(part, left) : left;
        }
        yield left;
      }
      case Condition.Or or -> {
        var union = new RoaringBitmap();
        or.parts().forEach(part -> union.or(find(part, within)));
        yield union;
      }
      case Condition.Not not -> RoaringBitmap.andNot(within, find(not.part(), within));
      case Condition.Test test -> find(test, within);
    };
  }

  private static boolean pattern(Condition c) {
    return c instanceof Condition.Test t
        && switch (t.operator()) {
          case EQUAL, NOT_EQUAL, IN, NOT_IN -> false;
          default -> true;
        };
  }

  private RoaringBitmap find(Condition.Test test, RoaringBitmap within) {
    var values = labels.getOrDefault(test.label(), Map.of());
    if (pattern(test) && within.getCardinality() < values.size()) {
      var hits = new RoaringBitmap();
      within.forEach(
          (int id) -> {
            if (test.accepts(series.get(id).labels().get(test.label()))) {
              hits.add(id);
            }
          });
      return hits;
    }
    // A negative test also takes the series without the label: what is left after its opposite.
    boolean negative = test.operator().negative();
    var hits = new RoaringBitmap();
    switch (test.operator()) {
      case EQUAL, NOT_EQUAL, IN, NOT_IN ->
          test.values().forEach(v -> hits.or(values.getOrDefault(v.text(), new RoaringBitmap())));
      default ->
          values.forEach(
              (value, ids) -> {
                if (test.accepts(value) != negative) {
                  hits.or(ids);
                }
              });
    }
    return negative ? RoaringBitmap.andNot(within, hits) : RoaringBitmap.and(within, hits);
  }

  private <T> T reading(Supplier<T> work) {
    lock.readLock().lock();
    try {
      return work.get();
    } finally {
      lock.readLock().unlock();
    }
  }
}
