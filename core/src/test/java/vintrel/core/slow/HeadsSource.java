package vintrel.core.slow;

import java.util.Collection;
import java.util.List;
import java.util.Set;
import vintrel.core.chunk.Merge;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.HeadSamples;
import vintrel.core.store.SampleBatch;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;

/** The heads alone as a store, with tiers summed up on the way. */
final class HeadsSource implements SampleSource {
  private static final long LATE = 3_600_000;
  private final LabelIndex index = new LabelIndex();
  private final HeadSamples heads = new HeadSamples(LATE, LATE);
  private final SlowData data;
  private final int[] arrived;

  HeadsSource(SlowData data) {
    this.data = data;
    this.arrived = new int[data.series.size()];
    for (int i = 0; i < arrived.length; i++) {
      var s = data.series.get(i);
      var kind = s.counter ? MetricKind.COUNTER : MetricKind.GAUGE;
      index.add(new Series(i, new SeriesKey(s.metric, Labels.of(s.labels)), kind, ""));
    }
  }

  /** Lets samples arrive until so many of each series have. */
  void arrive(int[] until) {
    for (int i = 0; i < until.length; i++) {
      var batch = new SampleBatch();
      for (var s : data.series.get(i).arrivals.subList(arrived[i], until[i])) {
        batch.add(i, s.time(), s.value());
      }
      heads.put(batch);
      arrived[i] = until[i];
    }
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
    return series.stream().map(s -> read(s.id(), from, to)).toList();
  }

  private Samples read(int id, long from, long to) {
    var runs = heads.read(id, from, to);
    return runs.isEmpty() ? Samples.EMPTY : Merge.of(runs);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Summaries.Need> needs, long from, long to) {
    return series.stream()
        .map(
            s -> {
              var samples = read(s.id(), from, to);
              return Summaries.of(samples, tier.pitch(), s.kind().cumulative(), MIN_GAP);
            })
        .toList();
  }

  @Override
  public long interval(Series series) {
    return heads.interval(series.id());
  }

  @Override
  public Samples before(Series series, long time) {
    return read(series.id(), Long.MIN_VALUE, time).lastFinite();
  }

  @Override
  public long newest(int seriesId) {
    return heads.newest(seriesId);
  }

  @Override
  public long writes(int seriesId) {
    return heads.writes(seriesId);
  }

  @Override
  public long lateWrite(int seriesId) {
    return heads.lateWrite(seriesId);
  }

  @Override
  public long late() {
    return LATE;
  }
}
