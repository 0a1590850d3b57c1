package vintrel.server.store;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Admission;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.series.SharedTexts;
import vintrel.core.store.HeadSamples;
import vintrel.server.database.Database;
import vintrel.server.web.StartProgress;

/** The series of the store: their ids and index, and which are not written yet. Any thread. */
final class SeriesRegistry implements Committer.NewSeries {
  /** Some 20 MB of texts; series with more different ones have a copy each. */
  private static final int MAX_TEXTS = 200_000;

  private final Database database;
  private final HeadSamples heads;
  private final AtomicInteger generation = new AtomicInteger();
  private final AtomicLong nameBytes = new AtomicLong();
  private final LabelIndex index = new LabelIndex();
  private final Map<SeriesKey, Integer> ids = new ConcurrentHashMap<>();
  private final List<SeriesRow> unwritten = new ArrayList<>();
  private final SharedTexts texts = new SharedTexts(MAX_TEXTS);

  /** Reads all series. */
  SeriesRegistry(Database database, HeadSamples heads) {
    this.database = database;
    this.heads = heads;
    loadSeries();
  }

  private void loadSeries() {
    long all =
        database.with(
            s ->
                s.createSelectionQuery("select count(*) from Series", Long.class)
                    .getSingleResult());
    var progress = new StartProgress("reading series", all);
    database.run(
        s ->
            s.createSelectionQuery("from Series order by id", SeriesRow.class)
                .getResultStream()
                .forEach(
                    r -> {
                      var key =
                          texts.of(new SeriesKey(r.store, r.metric, LabelText.read(r.labels)));
                      ids.put(key, r.id);
                      nameBytes.addAndGet(weight(key));
                      index.add(new Series(r.id, key, MetricKind.valueOf(r.kind), r.unit));
                      progress.add(1);
                    }));
  }

  int find(SeriesKey key) {
    var id = ids.get(key);
    return id == null ? -1 : id;
  }

  int resolve(SeriesKey key, MetricKind kind, String unit) {
    var known = ids.get(key);
    if (known != null) {
      return known;
    }
    var fault = Admission.fault(key.metric(), key.labels(), unit);
    if (fault != null) {
      throw new IllegalArgumentException(fault);
    }
    synchronized (unwritten) {
      return ids.computeIfAbsent(
          texts.of(key),
          k -> {
            var row = new SeriesRow();
            row.id = index.nextId();
            row.store = k.store();
            row.metric = k.metric();
            row.labels = LabelText.write(k.labels());
            row.kind = kind.name();
            row.unit = unit;
            unwritten.add(row);
            nameBytes.addAndGet(weight(k));
            index.add(new Series(row.id, k, kind, unit));
            return row.id;
          });
    }
  }

  @Override
  public List<SeriesRow> pending() {
    synchronized (unwritten) {
      return List.copyOf(unwritten);
    }
  }

  @Override
  public void written(List<SeriesRow> rows) {
    synchronized (unwritten) {
      // Series are only ever added at the end.
      unwritten.subList(0, rows.size()).clear();
    }
  }

  @Override
  public void refused(List<SeriesRow> rows) {
    rows.forEach(r -> forget(r.id, index.get(r.id).key()));
    generation.incrementAndGet();
  }

  private static long weight(SeriesKey key) {
    long out = 100 + key.metric().length();
    for (int i = 0; i < key.labels().size(); i++) {
      out += 40 + key.labels().name(i).length() + key.labels().value(i).length();
    }
    return out;
  }

  long nameBytes() {
    return nameBytes.get();
  }

  /** Removes a series from memory. */
  void forget(int id, SeriesKey key) {
    nameBytes.addAndGet(-weight(key));
    heads.remove(id);
    ids.remove(key);
    index.remove(id);
  }

  LabelIndex index() {
    return index;
  }

  int generation() {
    return generation.get();
  }

  /** Ids that callers may still use are no longer valid. */
  void changed() {
    generation.incrementAndGet();
  }
}
