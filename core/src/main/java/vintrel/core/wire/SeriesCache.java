package vintrel.core.wire;

import java.util.Arrays;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;

/**
 * Encoded attributes → series id, so that a series that was seen before costs a hash and a
 * comparison of bytes instead of building its labels. Shared by all requests; emptied when it holds
 * too many bytes, which only costs time. Any thread.
 */
public final class SeriesCache {
  /** What an entry takes besides its bytes: key, array head, node, boxed id. */
  private static final int ENTRY = 120;

  /** Longer keys are not worth it. */
  private static final int MAX_LENGTH = 8_192;

  private final Shared shared;
  private final int store;

  /** What the caches of all stores hold together. */
  private static final class Shared {
    final ConcurrentHashMap<Key, Integer> known = new ConcurrentHashMap<>();
    final AtomicLong bytes = new AtomicLong();
    final long max;

    Shared(long max) {
      this.max = max;
    }
  }

  /**
   * @param max bytes that it may hold
   */
  public SeriesCache(long max) {
    this(new Shared(max), 0);
  }

  private SeriesCache(Shared shared, int store) {
    this.shared = shared;
    this.store = store;
  }

  /** One for another store, within the same bound. */
  public SeriesCache of(int number) {
    return new SeriesCache(shared, number);
  }

  /** Bytes that are held, of all stores. */
  public long bytes() {
    return shared.bytes.get();
  }

  /** What keys of this store begin with. */
  int store() {
    return store;
  }

  static final class Key {
    byte[] bytes;
    int length;
    int hash;
    private int marked;
    private int markedHash = 1;

    Key(int capacity) {
      bytes = new byte[capacity];
    }

    private Key(byte[] bytes, int hash) {
      this.bytes = bytes;
      this.length = bytes.length;
      this.hash = hash;
    }

    void clear() {
      length = 0;
      marked = 0;
      markedHash = 1;
    }

    /** What was added up to here is shared by the keys that follow. */
    void mark() {
      markedHash = hashed(markedHash);
      marked = length;
    }

    /** Takes away what was added since the mark. */
    void toMark() {
      length = marked;
    }

    private int hashed(int h) {
      for (int i = marked; i < length; i++) {
        h = 31 * h + bytes[i];
      }
      return h;
    }

    void add(byte[] source, int from, int to) {
      room(to - from + 4);
      add(to - from);
      System.arraycopy(source, from, bytes, length, to - from);
      length += to - from;
    }

    void add(int v) {
      room(4);
      for (int i = 0; i < 4; i++) {
        bytes[length++] = (byte) (v >>> (8 * i));
      }
    }

    private void room(int more) {
      if (length + more > bytes.length) {
        bytes = Arrays.copyOf(bytes, (length + more) * 2);
      }
    }

    Key seal() {
      hash = hashed(markedHash) * 0x9E3779B9;
      return this;
    }

    Key copy() {
      return new Key(Arrays.copyOf(bytes, length), hash);
    }

    @Override
    public int hashCode() {
      return hash;
    }

    @Override
    public boolean equals(Object o) {
      return o instanceof Key k
          && k.hash == hash
          && Arrays.equals(bytes, 0, length, k.bytes, 0, k.length);
    }
  }

  /** The id, or -1. */
  int get(Key key) {
    var id = shared.known.get(key);
    return id == null ? -1 : id;
  }

  void put(Key key, int id) {
    if (id < 0 || key.length > MAX_LENGTH) {
      return;
    }
    int weight = key.length + ENTRY;
    if (shared.bytes.addAndGet(weight) > shared.max) {
      shared.known.clear();
      shared.bytes.set(weight);
    }
    if (shared.known.put(key.copy(), id) != null) {
      shared.bytes.addAndGet(-weight);
    }
  }
}
