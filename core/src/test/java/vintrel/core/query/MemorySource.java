package vintrel.core.query;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import vintrel.core.chunk.Samples;
import vintrel.core.index.LabelIndex;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.store.SampleSource;

/** Samples in lists. */
final class MemorySource implements SampleSource {
  private final LabelIndex index = new LabelIndex();
  private final List<Samples> samples = new ArrayList<>();

  MemorySource add(String metric, MetricKind kind, String unit, Labels labels, Samples s) {
    index.add(new Series(samples.size(), new SeriesKey(metric, labels), kind, unit));
    samples.add(s);
    return this;
  }

  @Override
  public List<Series> select(String metric, Condition where) {
    return index.select(metric, where);
  }

  @Override
  public boolean hasMetric(String name) {
    return index.hasMetric(name);
  }

  @Override
  public Collection<String> metricNames() {
    return index.metricNames();
  }

  @Override
  public Samples read(int seriesId, long from, long to) {
    return samples.get(seriesId).slice(from, to);
  }

  @Override
  public long newest(int seriesId) {
    return samples.get(seriesId).lastTime();
  }
}
