package vintrel.core.chunk;

import java.util.EnumSet;
import java.util.Set;
import vintrel.core.chunk.Summaries.Need;

/**
 * Summaries of one series ↔ bytes.
 *
 * <p>Layout of version 1: version, flags (bit 0: a running total, bit 1: sketches), pitch, count;
 * then the columns, each behind its length so that a reader can step over it: bucket numbers,
 * counts, then for gauges sum, min, max, first, last; for running totals first, last, distance of
 * the first sample from the bucket's start, of the last from its end, what the growth differs from
 * last - first, time that is not covered, growth over gaps: the last three are nearly always one
 * constant; the sketches, if there are any. CRC-32C at the end.
 */
public final class SummaryCodec {
  private static final int VERSION = 1;

  private SummaryCodec() {}

  /** Encodes at least one bucket with all columns of its kind. */
  public static byte[] encode(Summaries s, long pitch) {
    boolean cumulative = s.sum == null;
    int n = s.count;
    var out = new Bits(n * 8 + 64);
    out.putByte(VERSION);
    out.putByte((cumulative ? 1 : 0) | (s.sketches == null ? 0 : 2));
    out.putVarint(pitch);
    out.putVarint(n);
    var numbers = new long[n];
    for (int i = 0; i < n; i++) {
      numbers[i] = Math.floorDiv(s.times[i], pitch);
    }
    put(out, numbers, n);
    put(out, s.counts, n);
    if (!cumulative) {
      put(out, s.sum, n);
      put(out, s.min, n);
      put(out, s.max, n);
    }
    put(out, s.first, n);
    put(out, s.last, n);
    if (cumulative) {
      var gone = new long[n];
      var left = new long[n];
      var open = new long[n];
      var loss = new double[n];
      for (int i = 0; i < n; i++) {
        gone[i] = s.firstAt[i] - s.times[i];
        left[i] = s.times[i] + pitch - s.lastAt[i];
        open[i] = s.lastAt[i] - s.firstAt[i] - s.covered[i];
        double off = s.growth[i] - (s.last[i] - s.first[i]);
        // What adding fractions blurs is no reset.
        loss[i] = Math.abs(off) <= 1e-12 * Math.abs(s.last[i]) ? 0 : off;
      }
      put(out, gone, n);
      put(out, left, n);
      put(out, open, n);
      put(out, loss, n);
      put(out, s.lump, n);
    }
    if (s.sketches != null) {
      var column = new Bits(n * 64);
      for (int i = 0; i < n; i++) {
        s.sketches[i].write(column);
      }
      put(out, column);
    }
    return Checked.seal(out);
  }

  private static void put(Bits out, long[] v, int n) {
    var column = new Bits(n * 3 + 16);
    IntegerBlocks.write(column, v, n, new Scratch());
    put(out, column);
  }

  private static void put(Bits out, double[] v, int n) {
    var column = new Bits(n * 3 + 16);
    int choice = ValueBlocks.choose(v, n);
    column.putByte(choice & 15);
    ValueBlocks.write(column, choice, v, n, new Scratch());
    put(out, column);
  }

  private static void put(Bits out, Bits column) {
    out.putVarint(column.at);
    out.room(column.at);
    System.arraycopy(column.bytes, 0, out.bytes, out.at, column.at);
    out.at += column.at;
  }

  /**
   * Decodes what {@link #encode} wrote, with the columns that are needed; others are null.
   *
   * @throws DamagedChunkException if the checksum, the version or the content is wrong
   */
  public static Summaries decode(byte[] bytes, Set<Need> needs) {
    var in = Checked.open(bytes);
    int version = in.getByte();
    if (version != VERSION) {
      throw new DamagedChunkException("unknown version " + version);
    }
    try {
      return body(in, needs);
    } catch (IndexOutOfBoundsException e) {
      throw new DamagedChunkException("unexpected end of data");
    }
  }

  /** All columns. */
  public static Summaries decode(byte[] bytes) {
    return decode(bytes, EnumSet.allOf(Need.class));
  }

  private static Summaries body(Bits in, Set<Need> needs) {
    int flags = in.getByte();
    boolean cumulative = (flags & 1) != 0;
    long pitch = in.getVarint();
    long n = in.getVarint();
    if (n < 1 || n > ChunkCodec.MAX || pitch < 1) {
      throw new DamagedChunkException(n + " buckets of " + pitch + " ms");
    }
    var s = new Summaries((int) n);
    s.count = (int) n;
    longs(in, s.times);
    for (int i = 0; i < n; i++) {
      s.times[i] *= pitch;
    }
    longs(in, s.counts);
    if (!cumulative) {
      s.sum = doubles(in, s.count, needs.contains(Need.SUM));
      s.min = doubles(in, s.count, needs.contains(Need.RANGE));
      s.max = doubles(in, s.count, needs.contains(Need.RANGE));
    }
    boolean growth = cumulative && needs.contains(Need.GROWTH);
    s.first = doubles(in, s.count, growth || needs.contains(Need.ENDS));
    s.last = doubles(in, s.count, growth || needs.contains(Need.ENDS));
    if (growth) {
      growth(in, s, pitch);
    } else if ((flags & 2) != 0 && needs.contains(Need.SKETCH)) {
      s.sketches = sketches(in, s.count);
    }
    return s;
  }

  /** Sketches are kept for gauges only, so they follow the values' ends. */
  private static Sketch[] sketches(Bits in, int n) {
    end(in);
    var out = new Sketch[n];
    for (int i = 0; i < n; i++) {
      out[i] = Sketch.read(in);
    }
    return out;
  }

  private static void growth(Bits in, Summaries s, long pitch) {
    s.firstAt = longs(in, new long[s.count]);
    s.lastAt = longs(in, new long[s.count]);
    s.covered = longs(in, new long[s.count]);
    s.growth = doubles(in, s.count, true);
    s.lump = doubles(in, s.count, true);
    for (int i = 0; i < s.count; i++) {
      s.firstAt[i] += s.times[i];
      s.lastAt[i] = s.times[i] + pitch - s.lastAt[i];
      s.covered[i] = s.lastAt[i] - s.firstAt[i] - s.covered[i];
      s.growth[i] += s.last[i] - s.first[i];
    }
  }

  private static long[] longs(Bits in, long[] into) {
    int end = end(in);
    IntegerBlocks.read(in, into, into.length);
    in.at = end;
    return into;
  }

  private static double[] doubles(Bits in, int n, boolean wanted) {
    int end = end(in);
    if (!wanted) {
      in.at = end;
      return null;
    }
    var out = new double[n];
    ValueBlocks.read(in, in.getByte(), out, n);
    in.at = end;
    return out;
  }

  private static int end(Bits in) {
    long length = in.getVarint();
    if (length < 0 || length > in.bytes.length) {
      throw new DamagedChunkException("a column of " + length + " bytes");
    }
    return in.at + (int) length;
  }
}
