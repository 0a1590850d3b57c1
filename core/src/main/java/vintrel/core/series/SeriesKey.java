package vintrel.core.series;

import java.util.Comparator;

/** The identity of a series: its named store, its metric and its labels. */
public record SeriesKey(String store, String metric, Labels labels)
    implements Comparable<SeriesKey> {
  /** The store for samples that name no other. */
  public static final String MAIN = "main";

  private static final Comparator<SeriesKey> ORDER =
      Comparator.comparing(SeriesKey::metric)
          .thenComparing(SeriesKey::labels)
          .thenComparing(SeriesKey::store);

  /** A series of the main store. */
  public SeriesKey(String metric, Labels labels) {
    this(MAIN, metric, labels);
  }

  public SeriesKey in(String otherStore) {
    return new SeriesKey(otherStore, metric, labels);
  }

  @Override
  public int compareTo(SeriesKey other) {
    return ORDER.compare(this, other);
  }
}
