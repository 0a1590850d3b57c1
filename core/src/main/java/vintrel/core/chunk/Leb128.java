package vintrel.core.chunk;

import java.nio.ByteBuffer;

/**
 * Integers in as few bytes as they need: seven bits per byte, the lowest first, the top bit set in
 * all bytes but the last (LEB128, as in DWARF 5, section 7.6; the varint of Protocol Buffers).
 * Signed numbers are folded first ({@link #zigzag}), so that small negative ones stay short. Pure;
 * any thread.
 */
public final class Leb128 {
  /** The most bytes that a number takes. */
  public static final int MAX_BYTES = 10;

  private Leb128() {}

  /**
   * Writes a number, taken as unsigned.
   *
   * @param out with room for {@link #MAX_BYTES} from {@code at} on
   * @return the index after the number
   */
  public static int put(byte[] out, int at, long value) {
    int i = at;
    long v = value;
    while ((v & ~0x7fL) != 0) {
      out[i++] = (byte) (v | 0x80);
      v >>>= 7;
    }
    out[i++] = (byte) v;
    return i;
  }

  /**
   * @param out backed by an array
   */
  public static void put(ByteBuffer out, long value) {
    int offset = out.arrayOffset();
    out.position(put(out.array(), offset + out.position(), value) - offset);
  }

  /**
   * The index after the number that begins at an index; -1 if it does not end before {@code limit}
   * or takes more than {@link #MAX_BYTES}.
   */
  public static int end(byte[] in, int at, int limit) {
    int last = Math.min(limit, at + MAX_BYTES);
    for (int i = at; i < last; i++) {
      if (in[i] >= 0) {
        return i + 1;
      }
    }
    return -1;
  }

  /** The number in the bytes [at, end). */
  public static long get(byte[] in, int at, int end) {
    long v = 0;
    for (int i = at, shift = 0; i < end; i++, shift += 7) {
      v |= (in[i] & 0x7fL) << shift;
    }
    return v;
  }

  /**
   * Reads a number.
   *
   * @param in backed by an array
   * @throws DamagedChunkException if the buffer ends within the number, or it takes too many bytes
   */
  public static long get(ByteBuffer in) {
    int offset = in.arrayOffset();
    int at = offset + in.position();
    int end = end(in.array(), at, offset + in.limit());
    if (end < 0) {
      throw new DamagedChunkException("the bytes end within a number, or it takes over ten bytes");
    }
    in.position(end - offset);
    return get(in.array(), at, end);
  }

  /** 0, -1, 1, -2 … → 0, 1, 2, 3 … */
  public static long zigzag(long signed) {
    return (signed << 1) ^ (signed >> 63);
  }

  public static long unzigzag(long folded) {
    return (folded >>> 1) ^ -(folded & 1);
  }
}
