package vintrel.core.chunk;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * Samples of one series summed up by even buckets: parallel columns, a bucket each; buckets without
 * samples are left out. Infinite and NaN values are left out of all but the times. Where the sum of
 * a bucket would pass what a double can hold, the bucket goes on in another entry.
 *
 * <p>Gauges have sum, minimum and maximum; running totals have what a rate needs instead: growth
 * and covered time between samples that are joined, and the growth over gaps. Columns that were not
 * requested are null. Two neighbouring summaries define the time between them: where the one's last
 * sample was and the other's first. Not copied; treat as read-only.
 */
public final class Summaries {
  public int count;
  public long[] times;
  public long[] counts;
  public double[] sum;
  public double[] min;
  public double[] max;
  public double[] first;
  public double[] last;
  public long[] firstAt;
  public long[] lastAt;
  public double[] growth;
  public double[] lump;
  public long[] covered;
  public Sketch[] sketches;

  /** Which columns are requested. */
  public enum Need {
    SUM,
    RANGE,
    ENDS,
    GROWTH,
    SKETCH
  }

  private static final double BLUR = 1e-9;

  /** Bytes of a sketch as they usually are. */
  public static final long SKETCH = 600;

  Summaries(int capacity) {
    times = new long[capacity];
    counts = new long[capacity];
  }

  public static Summaries empty() {
    return new Summaries(0);
  }

  /**
   * @param pitch ms of a bucket; buckets begin at multiples of it
   * @param cumulative whether the samples are running totals
   * @param gap samples further apart (ms) are not joined to a rate
   */
  public static Summaries of(Samples s, long pitch, boolean cumulative, long gap) {
    var out = new Summaries(s.isEmpty() ? 0 : capacity(s, (s.lastTime() - s.firstTime()) / pitch));
    out.columns(cumulative);
    long bucket = Long.MIN_VALUE;
    int at = -1;
    for (int i = 0; i < s.count(); i++) {
      double v = s.values()[i];
      if (!Double.isFinite(v)) {
        continue;
      }
      long t = s.times()[i];
      long start = t - Math.floorMod(t, pitch);
      if (start != bucket || out.overflows(at, v)) {
        bucket = start;
        at = out.count++;
        out.open(at, start, t, v);
      } else if (cumulative) {
        out.grow(at, t, v, gap);
      }
      out.add(at, t, v);
    }
    if (!cumulative) {
      int places = ValueBlocks.decimalPlaces(s.values(), s.count());
      for (int i = 0; places >= 0 && i < out.count; i++) {
        out.sum[i] = ValueBlocks.rounded(out.sum[i], places);
      }
    }
    return out;
  }

  /**
   * Samples summed up by pieces that end where an edge lies or where the samples do, each labelled
   * by the time of its first sample; sums and ranges also of running totals, growth of none.
   *
   * @param edges rising, ms; a piece holds the samples from one edge, inclusive, to the next
   */
  public static Summaries pieces(Samples s, long[] edges) {
    var out = new Summaries(s.isEmpty() ? 0 : capacity(s, edges.length));
    out.columns(false);
    long end = Long.MIN_VALUE;
    int at = -1;
    for (int i = 0; i < s.count(); i++) {
      double v = s.values()[i];
      if (!Double.isFinite(v)) {
        continue;
      }
      long t = s.times()[i];
      if (at < 0 || t >= end || out.overflows(at, v)) {
        int next = after(edges, t);
        end = next < edges.length ? edges[next] : Long.MAX_VALUE;
        at = out.count++;
        out.open(at, t, t, v);
      }
      out.add(at, t, v);
    }
    return out;
  }

  /** Entries for so many edges within; where sums overflow there may be more. */
  private static int capacity(Samples s, long edges) {
    return (int) Math.min(s.count(), edges + 2);
  }

  /** About the bytes that it takes; what sketches take is a guess. */
  public long bytes() {
    int columns = 2;
    for (Object column : new Object[] {sum, min, max, first, last, firstAt, lastAt}) {
      columns += column == null ? 0 : 1;
    }
    columns += growth == null ? 0 : 3;
    return (long) times.length * columns * Long.BYTES + (sketches == null ? 0 : SKETCH * count);
  }

  /** A chunk as one piece; its values must all be finite. */
  public static Summaries piece(ChunkSummary c) {
    var out = new Summaries(1);
    out.columns(false);
    out.count = 1;
    out.times[0] = c.start();
    out.counts[0] = c.count();
    out.sum[0] = c.sum();
    out.min[0] = c.min();
    out.max[0] = c.max();
    out.first[0] = c.first();
    out.last[0] = c.last();
    return out;
  }

  /** The first edge after a time. */
  public static int after(long[] edges, long time) {
    int i = Arrays.binarySearch(edges, time);
    return i >= 0 ? i + 1 : -i - 1;
  }

  /** The same with a sketch for each bucket, for gauges. */
  public Summaries sketched(Samples s, long pitch) {
    sketches = new Sketch[count];
    int at = 0;
    for (int i = 0; i < s.count(); i++) {
      if (Double.isFinite(s.values()[i])) {
        while (s.times()[i] >= times[at] + pitch) {
          at++;
        }
        sketches[at] = sketches[at] == null ? new Sketch() : sketches[at];
        sketches[at].add(s.values()[i]);
      }
    }
    return this;
  }

  private void columns(boolean cumulative) {
    int n = times.length;
    first = new double[n];
    last = new double[n];
    if (cumulative) {
      firstAt = new long[n];
      lastAt = new long[n];
      growth = new double[n];
      lump = new double[n];
      covered = new long[n];
    } else {
      sum = new double[n];
      min = new double[n];
      max = new double[n];
    }
  }

  private void open(int at, long start, long time, double v) {
    if (at == times.length) {
      grow();
    }
    times[at] = start;
    first[at] = v;
    if (sum == null) {
      firstAt[at] = time;
    } else {
      min[at] = v;
      max[at] = v;
    }
  }

  private void grow() {
    int n = Math.max(4, 2 * times.length);
    times = Arrays.copyOf(times, n);
    counts = Arrays.copyOf(counts, n);
    sum = sum == null ? null : Arrays.copyOf(sum, n);
    min = min == null ? null : Arrays.copyOf(min, n);
    max = max == null ? null : Arrays.copyOf(max, n);
    first = Arrays.copyOf(first, n);
    last = Arrays.copyOf(last, n);
    firstAt = firstAt == null ? null : Arrays.copyOf(firstAt, n);
    lastAt = lastAt == null ? null : Arrays.copyOf(lastAt, n);
    growth = growth == null ? null : Arrays.copyOf(growth, n);
    lump = lump == null ? null : Arrays.copyOf(lump, n);
    covered = covered == null ? null : Arrays.copyOf(covered, n);
  }

  private boolean overflows(int at, double v) {
    return sum != null && !Double.isFinite(sum[at] + v);
  }

  /** Whether a bucket has more than one entry. */
  public boolean split() {
    for (int i = 1; i < count; i++) {
      if (times[i] == times[i - 1]) {
        return true;
      }
    }
    return false;
  }

  private void add(int at, long time, double v) {
    counts[at]++;
    last[at] = v;
    if (sum == null) {
      lastAt[at] = time;
    } else {
      sum[at] += v;
      min[at] = Math.min(min[at], v);
      max[at] = Math.max(max[at], v);
    }
  }

  private void grow(int at, long time, double v, long gap) {
    double grown = growth(last[at], v);
    if (time - lastAt[at] <= gap) {
      growth[at] += grown;
      covered[at] += time - lastAt[at];
    } else {
      lump[at] += grown;
    }
  }

  /**
   * How much a running total grew: a fall is a reset, counted from zero. A fall by less than a
   * billionth is what adding fractions blurs, and no growth.
   */
  public static double growth(double before, double now) {
    if (now >= before) {
      return now - before;
    }
    return before - now <= BLUR * Math.abs(before) ? 0 : now;
  }

  /**
   * Those that begin in one wider bucket put together: counts, sums, ranges, ends; nothing of
   * growth.
   *
   * @param origin a wider bucket begins here
   */
  public Summaries coarser(long origin, long pitch) {
    var out = new Summaries(count);
    out.sum = sum == null ? null : new double[count];
    out.min = min == null ? null : new double[count];
    out.max = max == null ? null : new double[count];
    out.first = first == null ? null : new double[count];
    out.last = last == null ? null : new double[count];
    for (int i = 0; i < count; i++) {
      long start = times[i] - Math.floorMod(times[i] - origin, pitch);
      boolean opens =
          out.count == 0
              || out.times[out.count - 1] != start
              || sum != null && !Double.isFinite(out.sum[out.count - 1] + sum[i]);
      int at = opens ? out.count++ : out.count - 1;
      out.times[at] = start;
      out.counts[at] += counts[i];
      if (sum != null) {
        out.sum[at] += sum[i];
      }
      if (min != null) {
        out.min[at] = opens ? min[i] : Math.min(out.min[at], min[i]);
        out.max[at] = opens ? max[i] : Math.max(out.max[at], max[i]);
      }
      if (first != null) {
        out.first[at] = opens ? first[i] : out.first[at];
        out.last[at] = last[i];
      }
    }
    return out;
  }

  /** The first sample of running totals, alone; there must be one. */
  public Summaries firstSample() {
    var s = Samples.of(new long[] {firstAt[0]}, new double[] {first[0]});
    return of(s, 1, true, 0);
  }

  /** The same samples if each were 0; without sketches. */
  public Summaries ofNothing() {
    var out = new Summaries(0);
    out.count = count;
    out.times = times;
    out.counts = counts;
    out.sum = zeros(sum);
    out.min = zeros(min);
    out.max = zeros(max);
    out.first = zeros(first);
    out.last = zeros(last);
    out.firstAt = firstAt;
    out.lastAt = lastAt;
    out.growth = zeros(growth);
    out.lump = zeros(lump);
    out.covered = covered;
    return out;
  }

  private static double[] zeros(double[] like) {
    return like == null ? null : new double[like.length];
  }

  /** The buckets that begin within [from, to). */
  public Summaries slice(long from, long to) {
    int a = indexOf(from);
    int b = indexOf(to);
    if (a == 0 && b == count) {
      return this;
    }
    var out = new Summaries(0);
    out.count = Math.max(0, b - a);
    int end = a + out.count;
    out.times = Arrays.copyOfRange(times, a, end);
    out.counts = Arrays.copyOfRange(counts, a, end);
    out.sum = part(sum, a, end);
    out.min = part(min, a, end);
    out.max = part(max, a, end);
    out.first = part(first, a, end);
    out.last = part(last, a, end);
    out.firstAt = part(firstAt, a, end);
    out.lastAt = part(lastAt, a, end);
    out.growth = part(growth, a, end);
    out.lump = part(lump, a, end);
    out.covered = part(covered, a, end);
    out.sketches = sketches == null ? null : Arrays.copyOfRange(sketches, a, end);
    return out;
  }

  private int indexOf(long time) {
    int i = Arrays.binarySearch(times, 0, count, time);
    return i >= 0 ? i : -i - 1;
  }

  private static double[] part(double[] v, int a, int b) {
    return v == null ? null : Arrays.copyOfRange(v, a, b);
  }

  private static long[] part(long[] v, int a, int b) {
    return v == null ? null : Arrays.copyOfRange(v, a, b);
  }

  /** One after the other; parts must be in order of time and not overlap. */
  public static Summaries join(List<Summaries> parts) {
    var some = new ArrayList<>(parts);
    some.removeIf(p -> p.count == 0);
    if (some.size() == 1) {
      return some.getFirst();
    }
    var out = new Summaries(some.stream().mapToInt(p -> p.count).sum());
    for (var p : some) {
      out.append(p);
    }
    return out;
  }

  private void append(Summaries p) {
    System.arraycopy(p.times, 0, times, count, p.count);
    System.arraycopy(p.counts, 0, counts, count, p.count);
    sum = append(sum, p.sum, p.count);
    min = append(min, p.min, p.count);
    max = append(max, p.max, p.count);
    first = append(first, p.first, p.count);
    last = append(last, p.last, p.count);
    firstAt = append(firstAt, p.firstAt, p.count);
    lastAt = append(lastAt, p.lastAt, p.count);
    growth = append(growth, p.growth, p.count);
    lump = append(lump, p.lump, p.count);
    covered = append(covered, p.covered, p.count);
    if (p.sketches != null) {
      sketches = sketches == null ? new Sketch[times.length] : sketches;
      System.arraycopy(p.sketches, 0, sketches, count, p.count);
    }
    count += p.count;
  }

  private double[] append(double[] to, double[] from, int n) {
    if (from == null) {
      return to;
    }
    var out = to == null ? new double[times.length] : to;
    System.arraycopy(from, 0, out, count, n);
    return out;
  }

  private long[] append(long[] to, long[] from, int n) {
    if (from == null) {
      return to;
    }
    var out = to == null ? new long[times.length] : to;
    System.arraycopy(from, 0, out, count, n);
    return out;
  }
}
