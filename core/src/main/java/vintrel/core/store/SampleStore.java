package vintrel.core.store;

import vintrel.core.index.Catalog;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;

/**
 * A store of samples. Calls may come from any thread.
 *
 * <p>Promises: when {@link #append} returns, the samples that its receipt counts as accepted
 * survive the death of the process; they are visible to reads at once. Samples may be out of order
 * by up to a setting (one hour); a second sample at the same time replaces the first.
 */
public interface SampleStore extends SampleSource {
  /** The id of a series, or -1 if it is not known. */
  int find(SeriesKey key);

  /** The id of a series, made if it is new. Kind and unit of a known series stay as they are. */
  int resolve(SeriesKey key, MetricKind kind, String unit);

  /**
   * Keeps samples; waits until they are durable.
   *
   * @throws StoreBusyException if nothing could be kept; the sender should come again
   */
  Receipt append(SampleBatch batch);

  Catalog catalog();

  /** The time of the latest sample of all, or {@link Long#MIN_VALUE}. */
  long newest();

  @Override
  long oldest();

  /** About the bytes that the names and labels of all series take in memory. */
  long nameBytes();

  /** Changes whenever ids of series stop to be valid. */
  int generation();

  /** Samples in each of n even parts of [from, to); for orientation, counted by chunk. */
  long[] density(long from, long to, int n);
}
