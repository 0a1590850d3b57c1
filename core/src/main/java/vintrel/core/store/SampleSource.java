package vintrel.core.store;

import java.util.Collection;
import java.util.List;
import vintrel.core.chunk.Samples;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;

/** What a query reads from. Calls may come from any thread, many at a time. */
public interface SampleSource {
  /** Series of a metric that fulfil a condition. */
  List<Series> select(String metric, Condition where);

  boolean hasMetric(String name);

  Collection<String> metricNames();

  /** The samples of a series within [from, to), ms since the epoch. */
  Samples read(int seriesId, long from, long to);

  /** The time of the newest sample of a series, or {@link Long#MIN_VALUE} where there is none. */
  long newest(int seriesId);
}
