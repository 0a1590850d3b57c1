package vintrel.core.store;

import java.util.Arrays;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Samples;

/**
 * Samples of one series in memory: times (ms since the epoch, strictly rising) and values. It has
 * no copy of them: of a {@link HeadSamples#snapshot}, it holds until that is flushed or given up.
 */
public final class Run {
  private final Slots.Place place;
  private final int count;

  Run(Slots.Place place, int count) {
    this.place = place;
    this.count = count;
  }

  public int count() {
    return count;
  }

  /** A copy. */
  public Samples samples() {
    return samples(0, count);
  }

  /**
   * The samples in arrays of the caller, which have room for {@link ChunkCodec#FULL}.
   *
   * @return a view of these arrays
   */
  public Samples into(long[] times, double[] values) {
    System.arraycopy(place.times, place.base, times, 0, count);
    System.arraycopy(place.values, place.base, values, 0, count);
    return new Samples(times, values, count);
  }

  /** The samples within [from, to), copied. */
  Samples slice(long from, long to) {
    return samples(indexOf(from), indexOf(to));
  }

  private Samples samples(int from, int to) {
    return from >= to
        ? Samples.EMPTY
        : Samples.of(
            Arrays.copyOfRange(place.times, place.base + from, place.base + to),
            Arrays.copyOfRange(place.values, place.base + from, place.base + to));
  }

  /** The index of the first sample at or after a time; count if there is none. */
  int indexOf(long time) {
    int i = find(time);
    return i >= 0 ? i : -i - 1;
  }

  /** The index of the sample at a time, or −1 less where it belongs, as in a binary search. */
  int find(long time) {
    int i = Arrays.binarySearch(place.times, place.base, place.base + count, time);
    return i >= 0 ? i - place.base : i + place.base;
  }

  long time(int i) {
    return place.times[place.base + i];
  }

  /** The median interval between the samples from … to - 1, ms; 0 if there are fewer than two. */
  long interval(int from, int to) {
    return Samples.medianInterval(place.times, place.base + from, place.base + to);
  }

  Slots.Place place() {
    return place;
  }
}
