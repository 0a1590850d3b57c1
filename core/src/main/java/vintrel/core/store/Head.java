package vintrel.core.store;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.chunk.ChunkCodec;
import vintrel.core.chunk.Samples;

/** The newest samples of one series. Callers hold its lock; its ends are read without. */
final class Head {
  /** Samples whose median interval is taken together; runs hold a whole number of blocks. */
  private static final int BLOCK = 32;

  final int series;
  private final Slots slots;

  /** The open run; null before the first sample. */
  private Slots.Place place;

  int count;

  /** So many of the first are in a snapshot, which has the same place: they must not change. */
  private int shared;

  long newest = Long.MIN_VALUE;
  long oldest = Long.MAX_VALUE;

  /** The longest median interval of a block so far, ms; 0 before the first block is complete. */
  private long interval;

  boolean dirty;
  long writes;
  long lateWrite;
  List<Run> full = List.of();

  Head(int series, Slots slots) {
    this.series = series;
    this.slots = slots;
  }

  /** The open run as it is now; null if it is empty. */
  Run open() {
    return count == 0 ? null : new Run(place, count);
  }

  /** The open run, and that it must stay as it is until the slots are released. */
  Run share() {
    shared = count;
    return open();
  }

  /** Whether it took the place of one at the same time in the open run. */
  boolean put(long time, double value) {
    dirty = true;
    int at = count;
    if (count > 0 && time <= place.times[place.base + count - 1]) {
      int found = open().find(time);
      at = found >= 0 ? found : -found - 1;
      if (at < shared) {
        room(place.size);
      }
      if (found >= 0) {
        place.values[place.base + found] = value;
        return true;
      }
    }
    if (count >= BLOCK && count == place.size && slots.scarce()) {
      // Twice the room, while the old one may be held, is what there is too little of.
      add(open());
      at = 0;
    }
    if (place == null || count == place.size) {
      room(Math.max(Slots.FEW, count * 2));
    }
    insert(at, time, value);
    newest = Math.max(newest, time);
    oldest = Math.min(oldest, time);
    if (count % BLOCK == 0) {
      interval = Math.max(interval, open().interval(count - BLOCK, count));
    }
    if (count == ChunkCodec.FULL) {
      add(open());
    }
    return false;
  }

  /** Room of the open run, in samples. */
  int room() {
    return place == null ? 0 : place.size;
  }

  /** Makes a full run of the whole blocks of the open one; while no snapshot is under way. */
  void cut() {
    int n = count / BLOCK * BLOCK;
    if (n == 0) {
      return;
    }
    dirty = true;
    var whole = place;
    int rest = count - n;
    add(new Run(whole, n));
    if (rest > 0) {
      place = slots.take(rest);
      System.arraycopy(whole.times, whole.base + n, place.times, place.base, rest);
      System.arraycopy(whole.values, whole.base + n, place.values, place.base, rest);
      count = rest;
    }
  }

  /** A full run; the open one begins anew. */
  private void add(Run run) {
    var grown = new ArrayList<>(full);
    grown.add(run);
    full = List.copyOf(grown);
    place = null;
    count = 0;
    shared = 0;
  }

  private void insert(int at, long time, double value) {
    int i = place.base + at;
    if (at < count) {
      System.arraycopy(place.times, i, place.times, i + 1, count - at);
      System.arraycopy(place.values, i, place.values, i + 1, count - at);
    }
    place.times[i] = time;
    place.values[i] = value;
    count++;
  }

  /** Moves the open run to a place of its own with room for so many samples. */
  private void room(int samples) {
    var next = slots.take(samples);
    if (place != null) {
      System.arraycopy(place.times, place.base, next.times, next.base, count);
      System.arraycopy(place.values, place.base, next.values, next.base, count);
      slots.give(place);
    }
    place = next;
    shared = 0;
  }

  /** Puts back what an earlier process wrote. */
  void restore(Samples open, long oldest, long newest, long interval) {
    if (place != null) {
      slots.give(place);
    }
    place = open.isEmpty() ? null : slots.take(open.count());
    count = open.count();
    if (count > 0) {
      System.arraycopy(open.times(), 0, place.times, place.base, count);
      System.arraycopy(open.values(), 0, place.values, place.base, count);
    }
    this.oldest = oldest;
    this.newest = newest;
    this.interval = interval;
  }

  /** The typical interval, ms: of the blocks, or of what is there before one is complete. */
  long interval() {
    return interval > 0 || count == 0 ? interval : open().interval(0, count);
  }

  /** What a flush writes of the interval, ms. */
  long blockInterval() {
    return interval;
  }

  /** The first n full runs are written. */
  void written(int n) {
    full.subList(0, n).forEach(run -> slots.give(run.place()));
    full = List.copyOf(full.subList(n, full.size()));
  }

  /** Leaves nothing. */
  void clear() {
    written(full.size());
    if (place != null) {
      slots.give(place);
    }
    place = null;
    count = 0;
    shared = 0;
  }
}
