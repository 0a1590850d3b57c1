package vintrel.core.index;

import java.util.Collection;
import java.util.List;
import java.util.Set;
import vintrel.core.series.Condition;
import vintrel.core.series.Series;

/**
 * Which series there are. Calls may come from any thread. An empty name of a store stands for all
 * of them.
 */
public interface Catalog {
  /** The number of series. */
  int size();

  /** The number of series of a store. */
  int size(String store);

  /** The number of series that a metric of a store has. */
  int size(String store, String metric);

  /** The series of an id, or null if it is gone. */
  Series get(int id);

  boolean hasMetric(String store, String name);

  /** Names of the stores that have series, sorted. */
  List<String> stores();

  /** Names of the stores that have a metric. */
  Set<String> storesOf(String metric);

  /** Series of a metric (null: of all) that meet a condition, by rising id. */
  List<Series> select(String store, String metric, Condition where);

  /** The latest series of a metric, or null if there is none. */
  Series newest(String metric);

  /** All metrics of a store by name. */
  List<MetricEntry> metrics(String store);

  Collection<String> metricNames(String store);

  /** Label names over the series of a metric (null: all), sorted. */
  List<String> labelNames(String store, String metric);

  /** Metrics with a name, label name or label value that contains a word in lower case, sorted. */
  Set<String> metricsHolding(String word);

  /** The number of values of a label, and of series that have it. */
  record LabelSize(String name, int values, long series) {}

  /** All labels, those with the most values first. */
  List<LabelSize> labelSizes();

  /**
   * Values of a label over the series of a metric (null: all), in no order, for proposals while
   * somebody types. Of labels with more values than that only those of the newest series are given.
   *
   * @param most values at most
   */
  Collection<String> someLabelValues(String label, String metric, int most);

  /** Values of a label over the series that are selected, sorted. */
  List<String> labelValues(String label, String store, String metric, Condition where);
}
