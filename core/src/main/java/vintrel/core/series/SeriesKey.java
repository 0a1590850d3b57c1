package vintrel.core.series;

/** The identity of a series within a store. */
public record SeriesKey(String metric, Labels labels) implements Comparable<SeriesKey> {
  @Override
  public int compareTo(SeriesKey other) {
    int byMetric = metric.compareTo(other.metric);
    return byMetric != 0 ? byMetric : labels.compareTo(other.labels);
  }
}
