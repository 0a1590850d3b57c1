package vintrel.core.chunk;

import java.util.zip.CRC32C;

/**
 * Samples of one series ↔ bytes.
 *
 * <p>Layout of version 1: version (1 byte), value encoding (1 byte), count (varint), times as
 * {@link IntegerBlocks}, values, CRC-32C of all before (4 bytes, little-endian). The value encoding
 * is chosen for the chunk by what the data is:
 *
 * <ul>
 *   <li>CONSTANT: one double; most flags, versions and idle counters;
 *   <li>DECIMAL: every value is an integer divided by one power of ten, as numbers that people and
 *       programs print mostly are; the integers go through {@link IntegerBlocks}. Division gives
 *       the same double back, which is checked value by value before the encoding is taken;
 *   <li>BINARY: each value's bits xor the bits before, and of every block of 128 only the span of
 *       bits that differ anywhere in it; a block decodes without a branch per value. Anything goes:
 *       NaN payloads, infinities, negative zero.
 * </ul>
 */
public final class ChunkCodec {
  /** Samples after which a head is sealed; 120 to 4,096 hardly change the bytes a sample. */
  public static final int FULL = 512;

  /** The most samples that a chunk may hold. */
  public static final int MOST = 1 << 20;

  private static final int VERSION = 1;
  private static final int CONSTANT = 0;
  private static final int DECIMAL = 1;
  private static final int BINARY = 2;
  private static final int PLACES = 12;
  private static final double EXACT = 1L << 53;
  private static final double[] TEN = new double[PLACES + 1];

  static {
    for (int i = 0; i <= PLACES; i++) {
      TEN[i] = Double.parseDouble("1e" + i);
    }
  }

  private ChunkCodec() {}

  /**
   * Encodes 1 to {@link #MOST} samples.
   *
   * @throws IllegalArgumentException where times do not rise strictly or the count is out of range
   */
  public static byte[] encode(Samples s) {
    int n = s.count();
    if (n < 1 || n > MOST) {
      throw new IllegalArgumentException("a chunk holds 1 to " + MOST + " samples, not " + n);
    }
    for (int i = 1; i < n; i++) {
      if (s.times()[i] <= s.times()[i - 1]) {
        throw new IllegalArgumentException("times must rise strictly; they don't at sample " + i);
      }
    }
    var out = new Bits(n * 3 + 32);
    out.putByte(VERSION);
    int places = decimalPlaces(s.values(), n);
    int encoding = constant(s.values(), n) ? CONSTANT : places >= 0 ? DECIMAL : BINARY;
    out.putByte(encoding);
    out.putVarint(n);
    IntegerBlocks.write(out, s.times(), n);
    switch (encoding) {
      case CONSTANT -> out.putLong(Double.doubleToRawLongBits(s.values()[0]));
      case DECIMAL -> {
        out.putByte(places);
        var whole = new long[n];
        for (int i = 0; i < n; i++) {
          whole[i] = (long) Math.rint(s.values()[i] * TEN[places]);
        }
        IntegerBlocks.write(out, whole, n);
      }
      default -> writeBinary(out, s.values(), n);
    }
    var crc = new CRC32C();
    crc.update(out.bytes, 0, out.at);
    int sum = (int) crc.getValue();
    for (int i = 0; i < 4; i++) {
      out.putByte(sum >>> (8 * i));
    }
    return out.toArray();
  }

  /**
   * Decodes what {@link #encode} wrote.
   *
   * @throws DamagedChunkException where the checksum, the version or the content is wrong
   */
  public static Samples decode(byte[] bytes) {
    int end = bytes.length - 4;
    if (end < 3) {
      throw new DamagedChunkException("a chunk of only " + bytes.length + " bytes");
    }
    var crc = new CRC32C();
    crc.update(bytes, 0, end);
    int sum = 0;
    for (int i = 0; i < 4; i++) {
      sum |= (bytes[end + i] & 0xff) << (8 * i);
    }
    if (sum != (int) crc.getValue()) {
      throw new DamagedChunkException("the checksum does not fit");
    }
    var in = Bits.reading(bytes, 0, end);
    int version = in.getByte();
    if (version != VERSION) {
      throw new DamagedChunkException("version " + version + " is not known here");
    }
    try {
      return decodeBody(in);
    } catch (IndexOutOfBoundsException e) {
      throw new DamagedChunkException("the content ends early");
    }
  }

  private static Samples decodeBody(Bits in) {
    int encoding = in.getByte();
    long n = in.getVarint();
    if (n < 1 || n > MOST) {
      throw new DamagedChunkException("a count of " + n);
    }
    int count = (int) n;
    var times = new long[count];
    var values = new double[count];
    IntegerBlocks.read(in, times, count);
    switch (encoding) {
      case CONSTANT -> java.util.Arrays.fill(values, Double.longBitsToDouble(in.getLong()));
      case DECIMAL -> {
        int places = in.getByte();
        if (places > PLACES) {
          throw new DamagedChunkException(places + " decimal places");
        }
        var whole = new long[count];
        IntegerBlocks.read(in, whole, count);
        double unit = TEN[places];
        for (int i = 0; i < count; i++) {
          values[i] = whole[i] / unit;
        }
      }
      case BINARY -> readBinary(in, values, count);
      default -> throw new DamagedChunkException("an unknown value encoding: " + encoding);
    }
    return new Samples(times, values, count);
  }

  private static boolean constant(double[] v, int n) {
    long first = Double.doubleToRawLongBits(v[0]);
    for (int i = 1; i < n; i++) {
      if (Double.doubleToRawLongBits(v[i]) != first) {
        return false;
      }
    }
    return true;
  }

  /** The fewest places at which all values are exact decimals, or -1. */
  private static int decimalPlaces(double[] v, int n) {
    int places = 0;
    for (int i = 0; i < n; i++) {
      while (!exact(v[i], places)) {
        if (++places > PLACES) {
          return -1;
        }
      }
    }
    // A value that is exact at few places must still be so at the places that a later one needed.
    for (int i = 0; i < n; i++) {
      if (!exact(v[i], places)) {
        return -1;
      }
    }
    return places;
  }

  private static boolean exact(double v, int places) {
    double whole = Math.rint(v * TEN[places]);
    return Math.abs(whole) <= EXACT
        && Double.doubleToRawLongBits((long) whole / TEN[places]) == Double.doubleToRawLongBits(v);
  }

  private static void writeBinary(Bits out, double[] v, int n) {
    long before = 0;
    var run = new long[IntegerBlocks.BLOCK];
    for (int from = 0; from < n; from += IntegerBlocks.BLOCK) {
      int m = Math.min(IntegerBlocks.BLOCK, n - from);
      long or = 0;
      for (int i = 0; i < m; i++) {
        long bits = Double.doubleToRawLongBits(v[from + i]);
        run[i] = bits ^ before;
        or |= run[i];
        before = bits;
      }
      int low = or == 0 ? 0 : Long.numberOfTrailingZeros(or);
      int width = or == 0 ? 0 : 64 - Long.numberOfLeadingZeros(or) - low;
      for (int i = 0; i < m; i++) {
        run[i] >>>= low;
      }
      out.putByte(low);
      out.putByte(width);
      out.putRun(run, m, width);
    }
  }

  private static void readBinary(Bits in, double[] v, int n) {
    long before = 0;
    var run = new long[IntegerBlocks.BLOCK];
    for (int from = 0; from < n; from += IntegerBlocks.BLOCK) {
      int m = Math.min(IntegerBlocks.BLOCK, n - from);
      int low = in.getByte();
      int width = in.getByte();
      if (low + width > 64) {
        throw new DamagedChunkException("a span of " + width + " bits from bit " + low);
      }
      in.getRun(run, m, width);
      for (int i = 0; i < m; i++) {
        before ^= run[i] << low;
        v[from + i] = Double.longBitsToDouble(before);
      }
    }
  }
}
