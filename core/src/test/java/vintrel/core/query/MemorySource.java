package vintrel.core.query;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Set;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;

/** Samples in lists. */
public class MemorySource implements SampleSource {
  private final LabelIndex index = new LabelIndex();
  private final List<Samples> samples = new ArrayList<>();

  public MemorySource add(String metric, MetricKind kind, String unit, Labels labels, Samples s) {
    index.add(new Series(samples.size(), new SeriesKey(metric, labels), kind, unit));
    samples.add(s);
    return this;
  }

  @Override
  public List<Series> select(String store, String metric, Condition where) {
    return index.select(store, metric, where);
  }

  @Override
  public boolean hasMetric(String store, String name) {
    return index.hasMetric(store, name);
  }

  @Override
  public Collection<String> metricNames(String store) {
    return index.metricNames(store);
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to) {
    return series.stream().map(s -> samples.get(s.id()).slice(from, to)).toList();
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to) {
    reads += to - from;
    return series.stream()
        .map(
            s -> {
              var raw = samples.get(s.id()).slice(from, to);
              return Summaries.of(raw, tier.pitch(), s.kind().cumulative(), MIN_GAP);
            })
        .toList();
  }

  @Override
  public long interval(Series series) {
    return samples.get(series.id()).interval();
  }

  @Override
  public Samples before(Series series, long time) {
    return samples.get(series.id()).slice(Long.MIN_VALUE, time).lastFinite();
  }

  @Override
  public long newest(int seriesId) {
    return samples.get(seriesId).lastTime();
  }

  private final java.util.Map<Integer, Long> writes = new java.util.HashMap<>();
  long reads;

  /** Puts a sample if it belongs, as a store does with late ones. */
  void put(int id, long time, double value) {
    var old = samples.get(id);
    int at = old.indexOf(time);
    var times = new long[old.count() + 1];
    var values = new double[times.length];
    System.arraycopy(old.times(), 0, times, 0, at);
    System.arraycopy(old.values(), 0, values, 0, at);
    times[at] = time;
    values[at] = value;
    System.arraycopy(old.times(), at, times, at + 1, old.count() - at);
    System.arraycopy(old.values(), at, values, at + 1, old.count() - at);
    samples.set(id, Samples.of(times, values));
    writes.merge(id, 1L, Long::sum);
    if (time <= old.lastTime()) {
      late.put(id, writes.get(id));
    }
  }

  private final java.util.Map<Integer, Long> late = new java.util.HashMap<>();

  @Override
  public long lateWrite(int seriesId) {
    return late.getOrDefault(seriesId, 0L);
  }

  @Override
  public long writes(int seriesId) {
    return writes.getOrDefault(seriesId, 0L);
  }
}
