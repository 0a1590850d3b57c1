package vintrel.core.slow;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;

/**
 * Series as lists of samples in the order in which they arrive; everything that may go wrong does.
 */
public final class SlowData {
  /** A sample on its way in. */
  public record Sample(long time, double value) {}

  /** One series. */
  public static final class Series {
    public final String metric;
    public final TreeMap<String, String> labels;
    public final boolean counter;
    public final List<Sample> arrivals;

    Series(String metric, Map<String, String> labels, boolean counter, List<Sample> arrivals) {
      this.metric = metric;
      this.labels = new TreeMap<>(labels);
      this.counter = counter;
      this.arrivals = arrivals;
    }

    private final Map<Integer, TreeMap<Long, Double>> kept = new ConcurrentHashMap<>();
    private final Map<Integer, Long> intervals = new ConcurrentHashMap<>();

    /** The finite ones of what is kept after the first n arrivals: of one time the latest. */
    TreeMap<Long, Double> kept(int n) {
      return kept.computeIfAbsent(
          n,
          k -> {
            var out = new TreeMap<Long, Double>();
            arrivals.subList(0, n).forEach(s -> out.put(s.time(), s.value()));
            out.values().removeIf(v -> !Double.isFinite(v));
            return out;
          });
    }

    long interval(int n) {
      return intervals.computeIfAbsent(n, this::typical);
    }

    /**
     * The typical interval: the longest median of 32 samples, taken whenever a run of up to 512 has
     * grown by 32; of fewer, the median of what is there.
     */
    private long typical(int n) {
      long longest = 0;
      var run = new TreeMap<Long, Double>();
      for (var s : arrivals.subList(0, n)) {
        if (run.put(s.time(), s.value()) != null) {
          continue;
        }
        if (run.size() % 32 == 0) {
          var newest = new ArrayList<>(run.keySet()).subList(run.size() - 32, run.size());
          longest = Math.max(longest, median(newest));
        }
        if (run.size() == 512) {
          run.clear();
        }
      }
      return longest > 0 ? longest : median(new ArrayList<>(run.keySet()));
    }

    private static long median(List<Long> times) {
      var between = new ArrayList<Long>();
      for (int i = 1; i < times.size(); i++) {
        between.add(times.get(i) - times.get(i - 1));
      }
      Collections.sort(between);
      return between.isEmpty() ? 0 : between.get((between.size() - 1) / 2);
    }
  }

  public final List<Series> series;
  public final long start;
  public final long end;
  public final long step;

  SlowData(List<Series> series, long start, long end, long step) {
    this.series = series;
    this.start = start;
    this.end = end;
    this.step = step;
  }

  /** So many arrivals of each series, as a part of all. */
  public int[] part(double share) {
    return series.stream().mapToInt(s -> (int) Math.ceil(s.arrivals.size() * share)).toArray();
  }

  /** The time of the newest sample of all. */
  public long newest() {
    return series.stream()
        .flatMap(s -> s.arrivals.stream())
        .mapToLong(Sample::time)
        .max()
        .orElseThrow();
  }

  /**
   * Random series.
   *
   * @param step the usual ms between samples
   */
  public static SlowData random(Random random, long start, long step, int samples) {
    var out = new ArrayList<Series>();
    for (int h = 1; h <= 3; h++) {
      var labels = Map.of("host", "h" + h, "site", h < 3 ? "s1" : "s2");
      out.add(new Series("g", labels, false, walk(random, start, step, samples, false)));
      out.add(new Series("c", labels, true, walk(random, start, step, samples, true)));
      for (var le : List.of("0.1", "1", "+Inf")) {
        var more = new TreeMap<>(labels);
        more.put("le", le);
        if (h < 3) {
          out.add(
              new Series("hist.bucket", more, true, walk(random, start, step, samples / 2, true)));
        }
      }
    }
    for (int gate = 1; gate <= 1 + random.nextInt(3); gate++) {
      var few =
          walk(random, start + random.nextInt(3) * step * samples / 4, step, samples / 3, true);
      out.add(new Series("r", Map.of("gate", "n" + gate, "result", "refused"), true, few));
    }
    for (int gate = 1; gate <= 4; gate++) {
      out.add(
          new Series(
              "a", Map.of("gate", "n" + gate), true, walk(random, start, step, samples, true)));
    }
    var once = List.of(new Sample(start + step * samples / 3, 7));
    out.add(new Series("g", Map.of("host", "once", "site", "s2"), false, once));
    out.add(new Series("c", Map.of("host", "once", "site", "s2"), true, once));
    out.add(
        new Series(
            "slow",
            Map.of("host", "h1"),
            true,
            walk(random, start, step * 90, samples / 60, true)));
    out.add(
        new Series("edge", Map.of("host", "h1"), false, even(random, start, step, samples, false)));
    out.add(
        new Series("edgec", Map.of("host", "h1"), true, even(random, start, step, samples, true)));
    var huge = new ArrayList<Sample>();
    for (int i = 0; i < samples / 2; i++) {
      huge.add(
          new Sample(
              start + i * step,
              (random.nextBoolean() ? 1.7e308 : 1.6e308) * (random.nextInt(9) == 0 ? -1 : 1)));
    }
    out.add(new Series("huge", Map.of("host", "h1"), false, huge));
    return new SlowData(out, start, start + step * samples, step);
  }

  private static List<Sample> walk(Random random, long start, long step, int n, boolean counter) {
    var out = new ArrayList<Sample>();
    long time = start + random.nextInt((int) step);
    double level = random.nextInt(1000);
    boolean whole = random.nextBoolean();
    for (int i = 0; i < n; i++) {
      level =
          counter
              ? (random.nextInt(120) == 0 ? 0 : level) + random.nextInt(20)
              : level + random.nextInt(21) - 10;
      double v = whole || counter ? level : level / 8 - 40;
      if (random.nextInt(150) == 0) {
        v = random.nextBoolean() ? Double.NaN : Double.POSITIVE_INFINITY;
      }
      out.add(new Sample(time, v));
      time += step + random.nextInt((int) (step / 5) + 1) - step / 10;
      time += random.nextInt(180) == 0 ? step * (30 + random.nextInt(150)) : 0;
      time += random.nextInt(60) == 0 ? step * (1 + random.nextInt(4)) : 0;
    }
    return disturbed(random, out);
  }

  private static List<Sample> even(Random random, long start, long step, int n, boolean counter) {
    var out = new ArrayList<Sample>();
    long time = start - start % step;
    double level = 0;
    for (int i = 0; i < n; i++) {
      level = counter ? level + random.nextInt(9) : random.nextInt(100);
      out.add(new Sample(time, level));
      time += step * (random.nextInt(100) == 0 ? 40 : 1);
    }
    return out;
  }

  /** Some come late, some twice, some with another value. */
  private static List<Sample> disturbed(Random random, List<Sample> in) {
    var out = new ArrayList<>(in);
    for (int i = 1; i < out.size(); i++) {
      if (random.nextInt(80) == 0) {
        int to = i;
        var moved = out.get(i);
        while (to + 1 < out.size()
            && to < i + 40
            && out.get(to + 1).time() - moved.time() < 3_000_000) {
          to++;
        }
        out.remove(i);
        out.add(to, moved);
      }
      if (random.nextInt(100) == 0) {
        var again = out.get(i);
        out.add(i + 1, new Sample(again.time(), again.value() + random.nextInt(2)));
      }
    }
    return out;
  }
}
