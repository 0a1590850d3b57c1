package vintrel.core.chunk;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;

/**
 * A growing byte buffer with variable-length integers and fixed-width bit runs.
 *
 * <p>A run packs n integers of w bits each, least significant bit first, little-endian, padded to a
 * whole byte. Reading takes one unaligned 64-bit load a value for w up to 57 (a value starts at
 * most 7 bits into its byte), two for wider ones; the reader's array therefore ends in 16 bytes of
 * spare.
 */
final class Bits {
  private static final VarHandle LONG =
      MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
  static final int SPARE = 16;

  byte[] bytes;
  int at;

  Bits(int capacity) {
    bytes = new byte[capacity + SPARE];
  }

  /** A reader over a copy of the bytes. */
  static Bits reading(byte[] source, int from, int to) {
    var out = new Bits(0);
    out.bytes = new byte[to - from + SPARE];
    System.arraycopy(source, from, out.bytes, 0, to - from);
    return out;
  }

  byte[] toArray() {
    return Arrays.copyOf(bytes, at);
  }

  void room(int more) {
    if (at + more + SPARE > bytes.length) {
      bytes = Arrays.copyOf(bytes, Math.max(bytes.length * 2, at + more + SPARE));
    }
  }

  void putByte(int b) {
    room(1);
    bytes[at++] = (byte) b;
  }

  int getByte() {
    return bytes[at++] & 0xff;
  }

  void putLong(long v) {
    room(8);
    LONG.set(bytes, at, v);
    at += 8;
  }

  long getLong() {
    long v = (long) LONG.get(bytes, at);
    at += 8;
    return v;
  }

  void putVarint(long v) {
    room(Leb128.MAX_BYTES);
    at = Leb128.put(bytes, at, v);
  }

  long getVarint() {
    int end = Leb128.end(bytes, at, bytes.length);
    if (end < 0) {
      throw new DamagedChunkException("a number runs over ten bytes");
    }
    long v = Leb128.get(bytes, at, end);
    at = end;
    return v;
  }

  void putZigzag(long v) {
    putVarint(Leb128.zigzag(v));
  }

  long getZigzag() {
    return Leb128.unzigzag(getVarint());
  }

  /** The bits that the largest of the values, taken as unsigned, needs. */
  static int width(long[] values, int n) {
    long or = 0;
    for (int i = 0; i < n; i++) {
      or |= values[i];
    }
    return 64 - Long.numberOfLeadingZeros(or);
  }

  static int runBytes(int n, int width) {
    return (int) (((long) n * width + 7) >>> 3);
  }

  void putRun(long[] values, int n, int width) {
    int size = runBytes(n, width);
    room(size);
    long bit = 0;
    for (int i = 0; i < n; i++, bit += width) {
      int p = at + (int) (bit >>> 3);
      int shift = (int) (bit & 7);
      LONG.set(bytes, p, (long) LONG.get(bytes, p) | values[i] << shift);
      if (shift + width > 64) {
        bytes[p + 8] |= (byte) (values[i] >>> (64 - shift));
      }
    }
    at += size;
  }

  void getRun(long[] out, int n, int width) {
    if (width == 0) {
      Arrays.fill(out, 0, n, 0);
      return;
    }
    long mask = width == 64 ? -1L : (1L << width) - 1;
    long bit = 0;
    if (width <= 57) {
      for (int i = 0; i < n; i++, bit += width) {
        out[i] = ((long) LONG.get(bytes, at + (int) (bit >>> 3)) >>> (bit & 7)) & mask;
      }
    } else {
      for (int i = 0; i < n; i++, bit += width) {
        int p = at + (int) (bit >>> 3);
        int shift = (int) (bit & 7);
        long v = (long) LONG.get(bytes, p) >>> shift;
        if (shift > 0) {
          v |= (long) (bytes[p + 8] & 0xff) << (64 - shift);
        }
        out[i] = v & mask;
      }
    }
    at += runBytes(n, width);
  }
}
