package vintrel.core.series;

/**
 * A series that a store knows.
 *
 * @param id the store's own number for it, from 0, dense
 * @param unit a UCUM code, or empty if the source gave none
 */
public record Series(int id, SeriesKey key, MetricKind kind, String unit) {
  public String store() {
    return key.store();
  }

  public String metric() {
    return key.metric();
  }

  public Labels labels() {
    return key.labels();
  }
}
