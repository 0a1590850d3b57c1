package vintrel.core.chunk;

import java.util.Arrays;

/**
 * A column of doubles ↔ bytes, in the way that fits what the values are.
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
final class ValueBlocks {
  static final int CONSTANT = 0;
  static final int DECIMAL = 1;
  static final int BINARY = 2;
  private static final int PLACES = 12;
  private static final double EXACT = 1L << 53;
  private static final double[] TEN = new double[PLACES + 1];

  static {
    for (int i = 0; i <= PLACES; i++) {
      TEN[i] = Double.parseDouble("1e" + i);
    }
  }

  private ValueBlocks() {}

  /** The encoding that fits: CONSTANT, BINARY, or DECIMAL with its places in the higher bits. */
  static int choose(double[] v, int n) {
    if (constant(v, n)) {
      return CONSTANT;
    }
    int places = decimalPlaces(v, n);
    return places >= 0 ? DECIMAL | places << 4 : BINARY;
  }

  static void write(Bits out, int choice, double[] v, int n, Scratch scratch) {
    switch (choice & 15) {
      case CONSTANT -> out.putLong(Double.doubleToRawLongBits(v[0]));
      case DECIMAL -> {
        int places = choice >> 4;
        out.putByte(places);
        var whole = scratch.column(n);
        for (int i = 0; i < n; i++) {
          whole[i] = (long) Math.rint(v[i] * TEN[places]);
        }
        IntegerBlocks.write(out, whole, n, scratch);
      }
      default -> writeBinary(out, v, n, scratch.ways[0]);
    }
  }

  static void read(Bits in, int encoding, double[] v, int n) {
    switch (encoding) {
      case CONSTANT -> Arrays.fill(v, 0, n, Double.longBitsToDouble(in.getLong()));
      case DECIMAL -> {
        int places = in.getByte();
        if (places > PLACES) {
          throw new DamagedChunkException(places + " decimal places");
        }
        var whole = new long[n];
        IntegerBlocks.read(in, whole, n);
        double unit = TEN[places];
        for (int i = 0; i < n; i++) {
          v[i] = whole[i] / unit;
        }
      }
      case BINARY -> readBinary(in, v, n);
      default -> throw new DamagedChunkException("an unknown value encoding: " + encoding);
    }
  }

  /** A sum of decimals with the places of its parts: what adding doubles blurs is put right. */
  static double rounded(double sum, int places) {
    double whole = Math.rint(sum * TEN[places]);
    return Math.abs(whole) <= EXACT ? whole / TEN[places] : sum;
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
  static int decimalPlaces(double[] v, int n) {
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

  private static void writeBinary(Bits out, double[] v, int n, long[] run) {
    long before = 0;
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
