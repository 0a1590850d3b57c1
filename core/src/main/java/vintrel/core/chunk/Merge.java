package vintrel.core.chunk;

import java.util.List;

/**
 * Joins runs of samples that may overlap in time; of two samples at one time the later run wins.
 */
public final class Merge {
  private Merge() {}

  /** Runs in the order in which they were written, oldest first. */
  public static Samples of(List<Samples> runs) {
    var out = Samples.EMPTY;
    int total = 0;
    boolean ordered = true;
    long last = Long.MIN_VALUE;
    for (var run : runs) {
      if (run.isEmpty()) {
        continue;
      }
      ordered &= total == 0 || run.firstTime() > last;
      last = run.lastTime();
      total += run.count();
    }
    if (ordered) {
      return concatenate(runs, total);
    }
    for (var run : runs) {
      out = two(out, run);
    }
    return out;
  }

  private static Samples concatenate(List<Samples> runs, int total) {
    if (runs.size() == 1) {
      return runs.getFirst();
    }
    var times = new long[total];
    var values = new double[total];
    int at = 0;
    for (var run : runs) {
      System.arraycopy(run.times(), 0, times, at, run.count());
      System.arraycopy(run.values(), 0, values, at, run.count());
      at += run.count();
    }
    return new Samples(times, values, total);
  }

  private static Samples two(Samples older, Samples newer) {
    var times = new long[older.count() + newer.count()];
    var values = new double[times.length];
    int a = 0;
    int b = 0;
    int n = 0;
    while (a < older.count() || b < newer.count()) {
      boolean takeNew =
          a == older.count() || (b < newer.count() && newer.times()[b] <= older.times()[a]);
      if (takeNew) {
        if (a < older.count() && older.times()[a] == newer.times()[b]) {
          a++;
        }
        times[n] = newer.times()[b];
        values[n++] = newer.values()[b++];
      } else {
        times[n] = older.times()[a];
        values[n++] = older.values()[a++];
      }
    }
    return new Samples(times, values, n);
  }
}
