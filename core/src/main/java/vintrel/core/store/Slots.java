package vintrel.core.store;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import vintrel.core.chunk.ChunkCodec;

/**
 * Room for runs that grow, from arrays that stay. A run of its own arrays would live for minutes,
 * be copied by each collection of garbage meanwhile, and die old; these arrays are made once and
 * their places used again and again.
 *
 * <p>Places have room for {@link #FEW}, twice that, … up to {@link ChunkCodec#FULL} samples. While
 * they are {@link #hold held}, places that are given back keep what is in them. Thread-safe.
 */
final class Slots {
  /** Samples of the smallest place: many series get few between two restarts. */
  static final int FEW = 16;

  /** Of a time and a value. */
  static final int BYTES = 16;

  /** Samples of an array; the largest places of a store with one series take a quarter MB. */
  private static final int SLAB = 1 << 15;

  private static final int SIZES =
      Integer.numberOfTrailingZeros(ChunkCodec.FULL) - Integer.numberOfTrailingZeros(FEW) + 1;

  /** Releases for which the most that was used at once is remembered. */
  private static final int REMEMBERED = 8;

  /** Times (ms since the epoch) and values of many places of one size. */
  private static final class Slab {
    final long[] times = new long[SLAB];
    final double[] values = new double[SLAB];
    int size;
    int[] free = {};
    int frees;

    /** Nobody has a place in it: it is cut anew. */
    void cut(int into) {
      size = into;
      free = free.length == SLAB / into ? free : new int[SLAB / into];
      frees = free.length;
      for (int i = 0; i < free.length; i++) {
        free[i] = SLAB - (i + 1) * size;
      }
    }
  }

  /** A part of the two arrays: {@code size} entries from {@code base} on. */
  static final class Place {
    final long[] times;
    final double[] values;
    final int base;
    final int size;
    private final Slab slab;

    private Place(Slab slab, int base) {
      this.slab = slab;
      this.times = slab.times;
      this.values = slab.values;
      this.base = base;
      this.size = slab.size;
    }
  }

  private final List<ArrayDeque<Slab>> roomy = new ArrayList<>();
  private final List<Place> later = new ArrayList<>();
  private final ArrayDeque<Slab> spare = new ArrayDeque<>();
  private final int[] most = new int[REMEMBERED];
  private int release;
  private volatile long limit = Long.MAX_VALUE;
  private boolean held;
  private int used;

  Slots() {
    for (int i = 0; i < SIZES; i++) {
      roomy.add(new ArrayDeque<>());
    }
  }

  private static int at(int size) {
    return Integer.numberOfTrailingZeros(size) - Integer.numberOfTrailingZeros(FEW);
  }

  /**
   * A place whose content is not defined.
   *
   * @param samples for which it has room at least; at most {@link ChunkCodec#FULL}
   */
  synchronized Place take(int samples) {
    int size = Math.max(FEW, Integer.highestOneBit(Math.max(1, samples - 1)) * 2);
    var some = roomy.get(at(size));
    if (some.isEmpty()) {
      var next = spare.isEmpty() ? new Slab() : spare.removeLast();
      next.cut(size);
      some.add(next);
      used++;
      most[release % REMEMBERED] = Math.max(most[release % REMEMBERED], used);
    }
    var slab = some.getFirst();
    int base = slab.free[--slab.frees];
    if (slab.frees == 0) {
      some.removeFirst();
    }
    return new Place(slab, base);
  }

  /** Gives back a place, which nobody may use any more. */
  synchronized void give(Place place) {
    if (held) {
      later.add(place);
    } else {
      free(place);
    }
  }

  private void free(Place place) {
    var slab = place.slab;
    var some = roomy.get(at(slab.size));
    if (slab.frees == 0) {
      some.addLast(slab);
    }
    slab.free[slab.frees++] = place.base;
    if (slab.frees == slab.free.length && some.size() > 1) {
      some.remove(slab);
      spare.add(slab);
      used--;
    }
  }

  /** From now on places that are given back keep their samples, until {@link #release}. */
  synchronized void hold() {
    held = true;
  }

  /** Places may be used again. Room that was not wanted of late is let go. */
  synchronized void release() {
    held = false;
    later.forEach(this::free);
    later.clear();
    release++;
    most[release % REMEMBERED] = used;
    // Series that began together grow together: what they leave is soon wanted in another size.
    int enough = Arrays.stream(most).max().getAsInt() - used;
    while (spare.size() > enough) {
      spare.removeLast();
    }
  }

  /** From how many {@link #usedBytes} on places are {@link #scarce}. */
  void limit(long bytes) {
    limit = bytes;
  }

  /** Whether what is in use takes more than it should. */
  boolean scarce() {
    return usedBytes() > limit;
  }

  /** Bytes of the arrays in which there are places in use. */
  synchronized long usedBytes() {
    return (long) used * SLAB * BYTES;
  }

  /** How many samples there is room for. */
  synchronized long room() {
    return (long) (used + spare.size()) * SLAB;
  }
}
