package vintrel.core.chunk;

/**
 * Integers in blocks of 128, each written in the smallest of six ways.
 *
 * <p>The idea is frame-of-reference packing (Zukowski et al., "Super-Scalar RAM-CPU Cache
 * Compression", ICDE 2006) with the frame chosen anew for every block by what the data does there:
 *
 * <ul>
 *   <li>LEVEL: distance from the block's minimum, for noise around a level;
 *   <li>STEPS: zigzag of the difference from the value before, for slow wandering;
 *   <li>RISE: difference less the minimum difference, for counters that climb at an uneven pace;
 *   <li>LINE: distance from the straight line through the block's ends, for clocks with jitter: the
 *       jitter of two neighbours does not add up as it does in differences;
 *   <li>SLOTS: the same if some steps are several times as long: a clock whose ticks are missing
 *       here and there. The line goes through the slots, and the few longer steps are listed;
 *   <li>EVEN: no bits at all, for a constant step.
 * </ul>
 *
 * <p>Sums may overflow for hostile integers; arithmetic is modulo 2^64 on both sides, so the round
 * trip is exact all the same. LINE is left out if its product could overflow.
 */
final class IntegerBlocks {
  static final int BLOCK = 128;
  private static final int LEVEL = 0;
  private static final int STEPS = 1;
  private static final int RISE = 2;
  private static final int LINE = 3;
  private static final int EVEN = 4;
  private static final int SLOTS = 5;
  private static final int MAX_LONG = BLOCK / 8;
  private static final int BITS_A_LONG = 16;

  private IntegerBlocks() {}

  static void write(Bits out, long[] v, int n, Scratch scratch) {
    for (int from = 0; from < n; from += BLOCK) {
      writeBlock(out, v, from, Math.min(BLOCK, n - from), scratch.ways);
    }
  }

  private static void writeBlock(Bits out, long[] v, int from, int n, long[][] scratch) {
    long min = v[from];
    for (int i = 1; i < n; i++) {
      min = Math.min(min, v[from + i]);
    }
    long minStep = Long.MAX_VALUE;
    long maxStep = Long.MIN_VALUE;
    for (int i = 1; i < n; i++) {
      long d = v[from + i] - v[from + i - 1];
      minStep = Math.min(minStep, d);
      maxStep = Math.max(maxStep, d);
    }
    out.putZigzag(v[from]);
    if (n == 1) {
      return;
    }
    if (minStep == maxStep) {
      out.putByte(EVEN);
      out.putZigzag(minStep);
      return;
    }
    long slope = lineSlope(v, from, n);
    long minOff = Long.MAX_VALUE;
    for (int i = 0; i < n; i++) {
      minOff = Math.min(minOff, v[from + i] - v[from] - slope * i);
    }
    for (int i = 0; i < n; i++) {
      scratch[LEVEL][i] = v[from + i] - min;
      scratch[LINE][i] = v[from + i] - v[from] - slope * i - minOff;
      if (i > 0) {
        long d = v[from + i] - v[from + i - 1];
        scratch[STEPS][i - 1] = Leb128.zigzag(d);
        scratch[RISE][i - 1] = d - minStep;
      }
    }
    int best = LEVEL;
    int bestBits = Integer.MAX_VALUE;
    int bestWidth = 0;
    for (int way = LEVEL; way <= LINE; way++) {
      int m = way == LEVEL || way == LINE ? n : n - 1;
      int width = Bits.width(scratch[way], m);
      int bits = m * width + (way == STEPS ? 0 : way == LINE ? 32 : 16);
      if (bits < bestBits && !(way == LINE && slope == 0)) {
        best = way;
        bestBits = bits;
        bestWidth = width;
      }
    }
    var slots = minStep > 0 && maxStep / 3 >= minStep / 2 ? Slots.of(v, from, n) : null;
    if (slots != null && slots.bits() < bestBits) {
      slots.write(out);
      return;
    }
    out.putByte(best);
    out.putByte(bestWidth);
    switch (best) {
      case LEVEL -> out.putZigzag(min - v[from]);
      case RISE -> out.putZigzag(minStep);
      case LINE -> {
        out.putZigzag(slope);
        out.putZigzag(minOff);
      }
      default -> {}
    }
    out.putRun(scratch[best], best == LEVEL || best == LINE ? n : n - 1, bestWidth);
  }

  /** The rounded slope between the block's ends, or 0 if the way there could overflow. */
  private static long lineSlope(long[] v, int from, int n) {
    long rise = v[from + n - 1] - v[from];
    long limit = 1L << 50;
    return rise > -limit && rise < limit ? Math.round((double) rise / (n - 1)) : 0;
  }

  static void read(Bits in, long[] v, int n) {
    var run = new long[BLOCK];
    for (int from = 0; from < n; from += BLOCK) {
      readBlock(in, v, from, Math.min(BLOCK, n - from), run);
    }
  }

  private static void readBlock(Bits in, long[] v, int from, int n, long[] run) {
    long first = in.getZigzag();
    v[from] = first;
    if (n == 1) {
      return;
    }
    int way = in.getByte() & 7;
    if (way == EVEN) {
      long step = in.getZigzag();
      for (int i = 1; i < n; i++) {
        v[from + i] = first + step * i;
      }
      return;
    }
    int width = in.getByte();
    if (width > 64) {
      throw new DamagedChunkException("a run of " + width + " bits a value");
    }
    switch (way) {
      case LEVEL -> {
        long min = first + in.getZigzag();
        in.getRun(run, n, width);
        for (int i = 0; i < n; i++) {
          v[from + i] = min + run[i];
        }
      }
      case STEPS -> {
        in.getRun(run, n - 1, width);
        long x = first;
        for (int i = 1; i < n; i++) {
          x += Leb128.unzigzag(run[i - 1]);
          v[from + i] = x;
        }
      }
      case RISE -> {
        long step = in.getZigzag();
        in.getRun(run, n - 1, width);
        long x = first;
        for (int i = 1; i < n; i++) {
          x += run[i - 1] + step;
          v[from + i] = x;
        }
      }
      case LINE -> {
        long slope = in.getZigzag();
        long base = first + in.getZigzag();
        in.getRun(run, n, width);
        for (int i = 0; i < n; i++) {
          v[from + i] = base + slope * i + run[i];
        }
      }
      case SLOTS -> Slots.read(in, v, from, n, width, run);
      default -> throw new DamagedChunkException("an unknown way to pack: " + way);
    }
  }

  /** A line through slots of which some are empty; see SLOTS. */
  private static final class Slots {
    private final int n;
    private final int[] jumps;
    private final int longer;
    private long slope;
    private long min = Long.MAX_VALUE;
    private int width;
    private final long[] off = new long[BLOCK];

    private Slots(int n, int[] jumps, int longer) {
      this.n = n;
      this.jumps = jumps;
      this.longer = longer;
    }

    /** Null if steps are no multiples of one usual step, or too many are longer. */
    static Slots of(long[] v, int from, int n) {
      if (n < 8 || v[from + n - 1] - v[from] > 1L << 50 || !ticks(v, from, n)) {
        return null;
      }
      var steps = new long[n - 1];
      for (int i = 1; i < n; i++) {
        steps[i - 1] = v[from + i] - v[from + i - 1];
      }
      java.util.Arrays.sort(steps);
      long usual = steps[(n - 1) / 2];
      var jumps = new int[n];
      int longer = 0;
      long slot = 0;
      for (int i = 1; i < n; i++) {
        long jump = (v[from + i] - v[from + i - 1] + usual / 2) / usual;
        jumps[i] = (int) Math.clamp(jump, 1, 1 << 20);
        longer += jumps[i] > 1 ? 1 : 0;
        slot += jumps[i];
      }
      if (longer == 0 || longer > MAX_LONG) {
        return null;
      }
      var out = new Slots(n, jumps, longer);
      out.slope = Math.round((double) (v[from + n - 1] - v[from]) / slot);
      out.fit(v, from);
      return out;
    }

    /**
     * Whether most steps are about as long as one of the first two; spares counters the sorting.
     */
    private static boolean ticks(long[] v, int from, int n) {
      long step = Math.min(v[from + 1] - v[from], v[from + 2] - v[from + 1]);
      int alike = 0;
      for (int i = 1; i < n; i++) {
        alike += Math.abs(v[from + i] - v[from + i - 1] - step) <= step / 4 ? 1 : 0;
      }
      return alike > n / 2;
    }

    private void fit(long[] v, int from) {
      long slot = 0;
      for (int i = 0; i < n; i++) {
        slot += jumps[i];
        off[i] = v[from + i] - v[from] - slope * slot;
        min = Math.min(min, off[i]);
      }
      for (int i = 0; i < n; i++) {
        off[i] -= min;
      }
      width = Bits.width(off, n);
    }

    int bits() {
      return n * width + 40 + longer * BITS_A_LONG;
    }

    void write(Bits out) {
      out.putByte(SLOTS);
      out.putByte(width);
      out.putZigzag(slope);
      out.putZigzag(min);
      out.putVarint(longer);
      int before = 0;
      for (int i = 1; i < n; i++) {
        if (jumps[i] > 1) {
          out.putVarint(i - before);
          out.putVarint(jumps[i]);
          before = i;
        }
      }
      out.putRun(off, n, width);
    }

    static void read(Bits in, long[] v, int from, int n, int width, long[] run) {
      long slope = in.getZigzag();
      long base = v[from] + in.getZigzag();
      int longer = (int) Math.min(in.getVarint(), BLOCK + 1);
      var jumps = new long[BLOCK];
      java.util.Arrays.fill(jumps, 1);
      jumps[0] = 0;
      int at = 0;
      for (int i = 0; i < longer; i++) {
        at += (int) in.getVarint();
        if (at <= 0 || at >= n) {
          throw new DamagedChunkException("a longer step at " + at + " of " + n);
        }
        jumps[at] = in.getVarint();
      }
      in.getRun(run, n, width);
      long slot = 0;
      for (int i = 0; i < n; i++) {
        slot += jumps[i];
        v[from + i] = base + slope * slot + run[i];
      }
    }
  }
}
