package vintrel.core.chunk;

import java.util.Map;
import java.util.TreeMap;

/**
 * Quantiles of many values in little room, mergeable: Masson, Rim and Lee, "DDSketch: a fast and
 * fully-mergeable quantile sketch with relative-error guarantees", VLDB 2019. Values are counted in
 * bins whose bounds grow by a constant factor, so that a quantile is within one percent of what
 * sorting all values would give. Not thread-safe.
 */
public final class Sketch {
  /** The relative error of a quantile. */
  public static final double ERROR = 0.01;

  private static final double GROWTH = (1 + ERROR) / (1 - ERROR);
  private static final double LOG = Math.log(GROWTH);
  private static final double MIN = 1e-12;

  private final TreeMap<Integer, Long> positive = new TreeMap<>();
  private final TreeMap<Integer, Long> negative = new TreeMap<>();
  private long zeros;
  private long count;

  /** Adds a finite value. Values nearer to zero than 1e-12 count as zero. */
  public void add(double v) {
    count++;
    if (Math.abs(v) < MIN) {
      zeros++;
    } else {
      int bin = (int) Math.ceil(Math.log(Math.abs(v)) / LOG);
      (v > 0 ? positive : negative).merge(bin, 1L, Long::sum);
    }
  }

  public void add(Sketch other) {
    count += other.count;
    zeros += other.zeros;
    other.positive.forEach((bin, n) -> positive.merge(bin, n, Long::sum));
    other.negative.forEach((bin, n) -> negative.merge(bin, n, Long::sum));
  }

  public long count() {
    return count;
  }

  /**
   * The q-quantile, linear between the two nearest ranks (definition 7 of Hyndman and Fan, 1996);
   * NaN if nothing was added.
   *
   * @param q 0 to 1
   */
  public double quantile(double q) {
    if (count == 0) {
      return Double.NaN;
    }
    double rank = q * (count - 1);
    long low = (long) Math.floor(rank);
    double part = rank - low;
    double a = atRank(low);
    return part == 0 ? a : a * (1 - part) + atRank(low + 1) * part;
  }

  private double atRank(long rank) {
    long left = rank;
    for (var e : negative.descendingMap().entrySet()) {
      if (left < e.getValue()) {
        return -middle(e.getKey());
      }
      left -= e.getValue();
    }
    if (left < zeros) {
      return 0;
    }
    left -= zeros;
    for (var e : positive.entrySet()) {
      if (left < e.getValue()) {
        return middle(e.getKey());
      }
      left -= e.getValue();
    }
    return positive.isEmpty() ? 0 : middle(positive.lastKey());
  }

  private static double middle(int bin) {
    return 2 * Math.pow(GROWTH, bin) / (GROWTH + 1);
  }

  void write(Bits out) {
    out.putVarint(zeros);
    write(out, positive);
    write(out, negative);
  }

  private static void write(Bits out, TreeMap<Integer, Long> bins) {
    out.putVarint(bins.size());
    int before = 0;
    for (Map.Entry<Integer, Long> e : bins.entrySet()) {
      out.putZigzag(e.getKey() - before);
      out.putVarint(e.getValue());
      before = e.getKey();
    }
  }

  static Sketch read(Bits in) {
    var out = new Sketch();
    out.zeros = in.getVarint();
    out.count = out.zeros + read(in, out.positive) + read(in, out.negative);
    return out;
  }

  private static long read(Bits in, TreeMap<Integer, Long> bins) {
    long size = in.getVarint();
    if (size < 0 || size > in.bytes.length) {
      throw new DamagedChunkException("a sketch of " + size + " bins");
    }
    int bin = 0;
    long total = 0;
    for (long i = 0; i < size; i++) {
      bin += (int) in.getZigzag();
      long n = in.getVarint();
      bins.put(bin, n);
      total += n;
    }
    return total;
  }
}
