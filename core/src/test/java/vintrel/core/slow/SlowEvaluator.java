package vintrel.core.slow;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import vintrel.core.slow.SlowQuery.Chain;
import vintrel.core.slow.SlowQuery.LineRef;
import vintrel.core.slow.SlowQuery.Metric;
import vintrel.core.slow.SlowQuery.Neg;
import vintrel.core.slow.SlowQuery.Node;
import vintrel.core.slow.SlowQuery.Num;
import vintrel.core.slow.SlowQuery.Step;
import vintrel.core.slow.SlowQuery.Two;

/**
 * What docs/query-language.md says, calculated from all samples for each bucket on its own: no
 * index, tier, memory or look-back that could be wrong, and no class of the engine.
 */
public final class SlowEvaluator {
  private static final long DAY = 86_400_000;

  /** Answers that the document calls an error. */
  public static final class Refused extends RuntimeException {
    Refused(String why) {
      super(why);
    }
  }

  /** A series of the answer by its labels; values for each bucket, NaN if missing. */
  public record Result(long[] times, Map<Map<String, String>, double[]> series) {}

  private static final class Row {
    TreeMap<String, String> labels = new TreeMap<>();
    boolean counter;
    long interval;
    TreeMap<Long, Double> raw;
    double[] v;

    Row like() {
      var out = new Row();
      out.labels = labels;
      out.interval = interval;
      out.counter = counter;
      return out;
    }

    Row with(double[] values) {
      var out = like();
      out.v = values;
      return out;
    }
  }

  private static final class Data {
    boolean scalar;
    long pitch;
    long[] edges;
    List<Row> rows = new ArrayList<>();

    boolean raw() {
      return edges == null;
    }
  }

  /** How series of a metric look. */
  private interface PerBucket {
    double of(Row row, TreeMap<Long, Double> samples, long a, long b);
  }

  private final SlowData data;
  private final int[] arrived;
  private final SlowQuery query;
  private final long requestTo;
  private final long requestPitch;
  private final ZoneId zone;

  /** Nothing after it counts; for the last bucket, if the range ends within it. */
  private long cap = Long.MAX_VALUE;

  /** Whether buckets are laid for a shift of them. */
  private int shifted;

  /**
   * @param arrived how many samples of each series have
   */
  public SlowEvaluator(
      SlowData data, int[] arrived, SlowQuery query, long to, long pitch, ZoneId zone) {
    this.data = data;
    this.arrived = arrived;
    this.query = query;
    this.requestTo = to;
    this.requestPitch = pitch;
    this.zone = zone;
  }

  /** The answer of the last line. */
  public Result answer(long from) {
    // All of them, since any may be refused.
    var set = new Data();
    for (var line : query.lines()) {
      set = gridded(eval(line.node(), from, requestTo, 0), from, requestTo, 0);
    }
    var out = new HashMap<Map<String, String>, double[]>();
    for (var row : set.rows) {
      boolean any = false;
      for (double v : row.v) {
        any |= !Double.isNaN(v);
      }
      if (any) {
        out.put(row.labels, row.v);
      }
    }
    return new Result(set.edges, out);
  }

  private long[] grid(long from, long to, long pitch, long moved) {
    var edges = new ArrayList<Long>();
    long a = from + moved;
    long b = to + moved;
    if (pitch % DAY == 0 && !zone.getRules().isFixedOffset()) {
      long days = pitch / DAY;
      LocalDate day = Instant.ofEpochMilli(a).atZone(zone).toLocalDate();
      while (Math.floorMod(day.toEpochDay() - (days % 7 == 0 ? 4 : 0), days) != 0) {
        day = day.minusDays(1);
      }
      edges.add(midnight(day));
      while (edges.getLast() < b) {
        day = day.plusDays(days);
        edges.add(midnight(day));
      }
    } else {
      long anchor = pitch % (7 * DAY) == 0 ? 4 * DAY : 0;
      long t = a - Math.floorMod(a - anchor, pitch);
      edges.add(t);
      while (t < b) {
        t += pitch;
        edges.add(t);
      }
    }
    return edges.stream().mapToLong(t -> t - moved).toArray();
  }

  private long midnight(LocalDate day) {
    return day.atStartOfDay(zone).toInstant().toEpochMilli();
  }

  // ---- the tree

  private Data eval(Node node, long from, long to, long moved) {
    return switch (node) {
      case Metric m -> metric(m);
      case LineRef l -> {
        var line = query.lines().stream().filter(x -> x.name().equals(l.name())).findFirst();
        yield gridded(eval(line.orElseThrow().node(), from, to, moved), from, to, moved);
      }
      case Num n -> {
        var out = new Data();
        out.scalar = true;
        out.pitch = requestPitch;
        out.edges = grid(from, to, requestPitch, moved);
        var row = new Row();
        row.v = new double[out.edges.length - 1];
        java.util.Arrays.fill(row.v, n.value());
        out.rows.add(row);
        yield out;
      }
      case Neg n -> map(gridded(eval(n.of(), from, to, moved), from, to, moved), v -> -v);
      case Two t -> two(t, from, to, moved);
      case Chain c -> chain(c, c.steps().size(), from, to, moved);
    };
  }

  private Data metric(Metric m) {
    var out = new Data();
    for (int i = 0; i < data.series.size(); i++) {
      var s = data.series.get(i);
      var value = m.label() == null ? null : s.labels.get(m.label());
      boolean meets = m.label() == null || m.value().equals(value) == m.op().equals("=");
      if (s.metric.equals(m.name()) && meets) {
        var row = new Row();
        row.labels = s.labels;
        row.counter = s.counter;
        row.raw = s.kept(arrived[i]);
        row.interval = s.interval(arrived[i]);
        out.rows.add(row);
      }
    }
    return out;
  }

  private Data gridded(Data in, long from, long to, long moved) {
    if (!in.raw()) {
      return in;
    }
    return onto(
        in,
        from,
        to,
        requestPitch,
        grid(from, to, requestPitch, moved),
        (row, samples, a, b) ->
            reduce(
                row.counter ? "last" : "mean",
                samples
                    .subMap(Math.max(a, from), Math.max(Math.max(a, from), Math.min(b, to)))
                    .values()));
  }

  /**
   * @param from of the input: series that have neither a sample in the range nor a value are left
   *     out
   */
  private static Data onto(Data in, long from, long to, long pitch, long[] edges, PerBucket f) {
    var out = new Data();
    out.pitch = pitch;
    out.edges = edges;
    for (var row : in.rows) {
      var samples = samples(in, row);
      var v = new double[edges.length - 1];
      for (int i = 0; i < v.length; i++) {
        v[i] = f.of(row, samples, edges[i], edges[i + 1]);
      }
      boolean any = java.util.Arrays.stream(v).anyMatch(x -> !Double.isNaN(x));
      if (!in.raw() || any || !between(row.raw, from, to).isEmpty()) {
        out.rows.add(row.with(v));
      }
    }
    return out;
  }

  private static TreeMap<Long, Double> samples(Data in, Row row) {
    if (in.raw()) {
      return row.raw;
    }
    var out = new TreeMap<Long, Double>();
    for (int i = 0; i < row.v.length; i++) {
      if (!Double.isNaN(row.v[i])) {
        out.put(in.edges[i], row.v[i]);
      }
    }
    return out;
  }

  private static Data map(Data in, java.util.function.DoubleUnaryOperator f) {
    var out = new Data();
    out.scalar = in.scalar;
    out.pitch = in.pitch;
    out.edges = in.edges;
    for (var row : in.rows) {
      var r = row.like();
      if (in.raw()) {
        r.raw = new TreeMap<>();
        row.raw.forEach((t, v) -> r.raw.put(t, f.applyAsDouble(v)));
      } else {
        r.v = java.util.Arrays.stream(row.v).map(f).toArray();
      }
      out.rows.add(r);
    }
    return out;
  }

  // ---- what the text says

  private static final Set<String> PASSING =
      Set.of("value", "keep", "shift", "label", "unit", "off");

  private boolean raw(Chain c, int k) {
    return c.input() instanceof Metric
        && c.steps().subList(0, k).stream().allMatch(s -> PASSING.contains(s.kind()));
  }

  private long pitch(Node node) {
    return switch (node) {
      case LineRef l ->
          pitch(
              query.lines().stream()
                  .filter(x -> x.name().equals(l.name()))
                  .findFirst()
                  .orElseThrow()
                  .node());
      case Neg n -> pitch(n.of());
      case Two t ->
          t.left() instanceof Num
              ? pitch(t.right())
              : t.right() instanceof Num
                  ? pitch(t.left())
                  : Math.max(pitch(t.left()), pitch(t.right()));
      case Chain c -> pitch(c, c.steps().size());
      default -> requestPitch;
    };
  }

  private long widest(Chain c, int k) {
    long out = Math.max(requestPitch, pitch(c, k));
    return k == 0 ? out : Math.max(out, widest(c, k - 1));
  }

  private long pitch(Chain c, int k) {
    if (k == 0) {
      return pitch(c.input());
    }
    var s = c.steps().get(k - 1);
    boolean pins =
        s.millis() > 0
            && (s.kind().equals("every")
                || s.kind().equals("rate")
                || s.kind().equals("increase")
                || (s.kind().equals("change") || s.kind().equals("slope")) && !s.flag());
    long before = pitch(c, k - 1);
    if (pins) {
      return s.millis();
    }
    boolean lays = Set.of("over", "rate", "increase", "change", "slope", "age").contains(s.kind());
    return lays ? Math.max(before, requestPitch) : before;
  }

  private Set<String> labelNames(Node node) {
    return switch (node) {
      case Metric m -> null;
      case LineRef l ->
          labelNames(
              query.lines().stream()
                  .filter(x -> x.name().equals(l.name()))
                  .findFirst()
                  .orElseThrow()
                  .node());
      case Num n -> Set.of();
      case Neg n -> labelNames(n.of());
      case Two t -> {
        var l = labelNames(t.left());
        var r = labelNames(t.right());
        yield !t.on().isEmpty() ? leftNames(t) ? l : r : l != null && !l.isEmpty() ? l : r;
      }
      case Chain c -> {
        var names = labelNames(c.input());
        for (var s : c.steps()) {
          if (s.kind().equals("across")) {
            names =
                s.flag() && !s.labels().isEmpty()
                    ? less(names, s.labels())
                    : new HashSet<>(s.labels());
          } else if (s.kind().equals("quantile")) {
            names = s.labels().isEmpty() ? less(names, List.of("le")) : new HashSet<>(s.labels());
          } else if (s.kind().equals("band") && names != null) {
            names = new HashSet<>(names);
            names.add("band");
          }
        }
        yield names;
      }
    };
  }

  private static Set<String> less(Set<String> names, List<String> gone) {
    if (names == null) {
      return null;
    }
    var out = new HashSet<>(names);
    out.removeAll(gone);
    return out;
  }

  private boolean leftNames(Two t) {
    var l = labelNames(t.left());
    var r = labelNames(t.right());
    boolean rightOne = r != null && t.on().containsAll(r);
    return l == null || !t.on().containsAll(l) || rightOne;
  }

  // ---- steps

  /** The first k steps, for the range [from, to), of which the last bucket may be cut. */
  private Data chain(Chain c, int k, long from, long to, long moved) {
    to = Math.min(to, cap);
    var out = uncapped(c, k, from, to, moved);
    boolean cut = !out.raw() && out.edges[out.edges.length - 1] > to;
    if (!cut || to != requestTo || cap != Long.MAX_VALUE || shifted > 0 || !looksBeyond(c, k)) {
      return out;
    }
    cap = to;
    var capped = uncapped(c, k, from, to, moved);
    cap = Long.MAX_VALUE;
    return withLast(out, capped);
  }

  /** Whether the last of some steps reads buckets after those that it gives. */
  private boolean looksBeyond(Chain c, int k) {
    return k > 0
        && (Set.of("smooth", "outliers").contains(c.steps().get(k - 1).kind())
            || Set.of("rate", "increase", "change").contains(c.steps().get(k - 1).kind())
                && !raw(c, k - 1));
  }

  private static Data withLast(Data out, Data capped) {
    int last = out.edges.length - 2;
    var rows = new java.util.LinkedHashMap<Map<String, String>, Row>();
    for (var row : out.rows) {
      row.v = row.v.clone();
      row.v[last] = Double.NaN;
      rows.put(row.labels, row);
    }
    for (var row : capped.rows) {
      var all =
          rows.computeIfAbsent(
              row.labels,
              l -> {
                var v = new double[last + 1];
                java.util.Arrays.fill(v, Double.NaN);
                return row.with(v);
              });
      all.v[last] = row.v[row.v.length - 1];
    }
    out.rows = new ArrayList<>(rows.values());
    out.rows.removeIf(r -> java.util.Arrays.stream(r.v).allMatch(Double::isNaN));
    return out;
  }

  private Data uncapped(Chain c, int k, long from, long to, long moved) {
    if (k == 0) {
      return eval(c.input(), from, to, moved);
    }
    var s = c.steps().get(k - 1);
    return switch (s.kind()) {
      case "off", "label", "unit" -> chain(c, k - 1, from, to, moved);
      case "value" -> map(chain(c, k - 1, from, to, moved), v -> function(s, v));
      case "keep" ->
          map(
              chain(c, k - 1, from, to, moved),
              v -> compare(s.by(), v, s.a()) == 1 ? v : Double.NaN);
      case "every" -> {
        long[] edges = grid(from, to, s.millis(), moved);
        var in = chain(c, k - 1, edges[0], to, moved);
        yield onto(
            in,
            edges[0],
            to,
            s.millis(),
            edges,
            (r, x, a, b) -> reduce(s.by(), between(x, a, Math.min(b, to))));
      }
      case "over" -> {
        long p = pitch(c, k);
        var in = chain(c, k - 1, from - s.millis(), to, moved);
        yield onto(
            in,
            from - s.millis(),
            to,
            p,
            grid(from, to, p, moved),
            (r, x, a, b) -> reduce(s.by(), between(x, b - s.millis(), Math.min(b, to))));
      }
      case "rate", "increase" -> present(c, k, growth(c, k, from, to, moved));
      case "change" -> present(c, k, change(c, k, from, to, moved));
      case "slope" -> {
        long p = pitch(c, k);
        long[] edges = grid(from, to, p, moved);
        var in =
            chain(c, k - 1, s.flag() && s.millis() > 0 ? from - s.millis() : edges[0], to, moved);
        yield onto(
            in,
            s.flag() && s.millis() > 0 ? from - s.millis() : edges[0],
            to,
            p,
            edges,
            (r, x, a, b) ->
                slope(between(x, s.flag() && s.millis() > 0 ? b - s.millis() : a, Math.min(b, to)))
                    * s.a());
      }
      case "age" -> present(c, k, age(c, k, from, to, moved));
      case "shift" -> shift(c, k, from, to, moved);
      case "gap", "smooth", "band", "outliers" -> neighbours(c, k, from, to, moved);
      default -> across(s, gridded(chain(c, k - 1, from, to, moved), from, to, moved), to);
    };
  }

  /** Of buckets that were looked at beyond the range, series without a value are left out. */
  private Data present(Chain c, int k, Data out) {
    if (!raw(c, k - 1)) {
      out.rows.removeIf(r -> java.util.Arrays.stream(r.v).allMatch(Double::isNaN));
    }
    return out;
  }

  private static Map<Long, Double> between(TreeMap<Long, Double> x, long a, long b) {
    return a < b ? x.subMap(a, b) : Map.of();
  }

  private static double reduce(String by, Map<Long, Double> samples) {
    return reduce(by, samples.values());
  }

  private static double reduce(String by, Collection<Double> all) {
    var v = all.stream().filter(Double::isFinite).toList();
    if (v.isEmpty()) {
      return Double.NaN;
    }
    int n = v.size();
    return switch (by) {
      case "count" -> n;
      case "first" -> v.getFirst();
      case "last" -> v.getLast();
      case "min" -> Collections.min(v);
      case "max" -> Collections.max(v);
      case "spread" -> Collections.max(v) - Collections.min(v);
      case "sum" -> finite(v.stream().mapToDouble(x -> x).sum());
      case "mean" -> mean(v);
      case "stddev" -> {
        double mean = mean(v);
        yield Math.sqrt(v.stream().mapToDouble(x -> (x - mean) * (x - mean)).sum() / n);
      }
      case "median" -> quantile(v, 0.5);
      default -> quantile(v, Double.parseDouble(by.substring(1)) / 100);
    };
  }

  private static double finite(double v) {
    return Double.isFinite(v) ? v : Double.NaN;
  }

  private static double mean(List<Double> v) {
    double sum = v.stream().mapToDouble(x -> x).sum();
    if (Double.isFinite(sum)) {
      return sum / v.size();
    }
    var exact = v.stream().map(BigDecimal::new).reduce(BigDecimal.ZERO, BigDecimal::add);
    return exact.divide(new BigDecimal(v.size()), java.math.MathContext.DECIMAL64).doubleValue();
  }

  private static double quantile(List<Double> values, double q) {
    var v = values.stream().sorted().toList();
    double rank = q * (v.size() - 1);
    int low = (int) Math.floor(rank);
    double part = rank - low;
    return part == 0 ? v.get(low) : v.get(low) * (1 - part) + v.get(low + 1) * part;
  }

  private static double slope(Map<Long, Double> samples) {
    var x = new ArrayList<Long>();
    var y = new ArrayList<Double>();
    samples.forEach(
        (t, v) -> {
          if (Double.isFinite(v)) {
            x.add(t);
            y.add(v);
          }
        });
    if (x.size() < 2) {
      return Double.NaN;
    }
    double mx = x.stream().mapToDouble(t -> t - x.getFirst()).average().orElseThrow();
    double my = mean(y);
    double xy = 0;
    double xx = 0;
    for (int i = 0; i < x.size(); i++) {
      double d = x.get(i) - x.getFirst() - mx;
      xy += d * (y.get(i) - my);
      xx += d * d;
    }
    return xy / xx;
  }

  private static double function(Step s, double v) {
    return switch (s.by()) {
      case "abs" -> v < 0 ? -v : v;
      case "round" ->
          BigDecimal.valueOf(1).doubleValue()
              * (Double.isFinite(v)
                  ? new BigDecimal(v).setScale(0, java.math.RoundingMode.HALF_EVEN).doubleValue()
                  : v);
      case "floor" -> Math.floor(v);
      case "ceil" -> Math.ceil(v);
      case "ln" -> v > 0 ? Math.log(v) : Double.NaN;
      case "log10" -> v > 0 ? Math.log10(v) : Double.NaN;
      case "sqrt" -> v >= 0 ? Math.sqrt(v) : Double.NaN;
      case "times" -> v * s.a();
      case "clamp" -> Double.isNaN(v) ? v : v < s.a() ? s.a() : v > s.b() ? s.b() : v;
      default -> throw new IllegalArgumentException(s.by());
    };
  }

  private static double compare(String op, double a, double b) {
    if (Double.isNaN(a) || Double.isNaN(b)) {
      return Double.NaN;
    }
    boolean holds =
        switch (op) {
          case ">" -> a > b;
          case "<=" -> a <= b;
          case "!=" -> a != b;
          default -> throw new IllegalArgumentException(op);
        };
    return holds ? 1 : 0;
  }

  private static long gap(long interval) {
    return Math.max(300_000, 5 * interval);
  }

  private Data growth(Chain c, int k, long from, long to, long moved) {
    var s = c.steps().get(k - 1);
    boolean raw = raw(c, k - 1);
    long p = pitch(c, k);
    long[] edges = grid(from, to, p, moved);
    long far = raw ? 0 : gap(pitch(c, k - 1)) + 3 * widest(c, k - 1);
    var in = chain(c, k - 1, edges[0] - far, to + far, moved);
    boolean bridged = s.kind().equals("increase") && raw && seesAll(c, k - 1);
    return onto(
        in,
        edges[0],
        to,
        p,
        edges,
        (row, samples, a, b) -> {
          long gap = gap(in.raw() ? row.interval : in.pitch);
          double grown = 0;
          double covered = 0;
          boolean any = false;
          Map.Entry<Long, Double> before = null;
          for (var e : samples.entrySet()) {
            if (!Double.isFinite(e.getValue())) {
              continue;
            }
            if (before != null) {
              double fall = before.getValue() - e.getValue();
              double g =
                  fall <= 0 ? -fall : fall <= 1e-9 * Math.abs(before.getValue()) ? 0 : e.getValue();
              long t0 = before.getKey();
              long t1 = e.getKey();
              double within = Math.min(Math.min(t1, b), to) - Math.max(t0, a);
              if (t1 - t0 > gap) {
                if (bridged && t1 >= a && t1 < b && t1 < to) {
                  grown += g;
                  any = true;
                }
              } else if (within > 0) {
                grown += g * (within / (t1 - t0));
                covered += within;
                any = true;
              }
            }
            before = e;
          }
          return !any ? Double.NaN : s.kind().equals("rate") ? grown / covered * s.a() : grown;
        });
  }

  private boolean seesAll(Chain c, int k) {
    return raw(c, k)
        && c.steps().subList(0, k).stream()
            .noneMatch(
                x -> x.kind().equals("keep") || Set.of("ln", "log10", "sqrt").contains(x.by()));
  }

  private Data change(Chain c, int k, long from, long to, long moved) {
    var s = c.steps().get(k - 1);
    boolean raw = raw(c, k - 1);
    long p = pitch(c, k);
    long[] edges = grid(from, to, p, moved);
    long window = s.flag() ? s.millis() : 0;
    long far = raw ? 0 : gap(pitch(c, k - 1)) + 3 * widest(c, k - 1);
    var in = chain(c, k - 1, edges[0] - window - far, to + far, moved);
    return onto(
        in,
        edges[0] - window,
        to,
        p,
        edges,
        (row, samples, a, b) -> {
          long gap = gap(in.raw() ? row.interval : in.pitch);
          long start = window == 0 ? a : b - window;
          Map.Entry<Long, Double> before = null;
          var within = new ArrayList<Map.Entry<Long, Double>>();
          for (var e : samples.entrySet()) {
            if (Double.isFinite(e.getValue()) && e.getKey() < start) {
              before = e;
            } else if (Double.isFinite(e.getValue()) && e.getKey() < Math.min(b, to)) {
              within.add(e);
            }
          }
          if (within.isEmpty()) {
            return Double.NaN;
          }
          boolean near = before != null && within.getFirst().getKey() - before.getKey() <= gap;
          return near
              ? within.getLast().getValue() - before.getValue()
              : within.size() == 1
                  ? Double.NaN
                  : within.getLast().getValue() - within.getFirst().getValue();
        });
  }

  private Data age(Chain c, int k, long from, long to, long moved) {
    long p = pitch(c, k);
    long before = pitch(c, k - 1);
    boolean raw = raw(c, k - 1);
    var in = chain(c, k - 1, raw ? from : from - 3_600_000 - 13 * before, to, moved);
    long oldest =
        seesAll(c, k - 1)
            ? Long.MAX_VALUE
            : Math.max(3_600_000, 10 * (raw ? requestPitch : in.pitch));
    return onto(
        in,
        from,
        to,
        p,
        grid(from, to, p, moved),
        (row, samples, a, b) -> {
          long at = Math.min(b, to);
          long newest = Long.MIN_VALUE;
          for (var e : samples.headMap(at).entrySet()) {
            newest = Double.isFinite(e.getValue()) ? e.getKey() : newest;
          }
          return newest == Long.MIN_VALUE || at - newest > oldest
              ? Double.NaN
              : (at - newest) / 1000.0;
        });
  }

  // ---- shifts

  private boolean byCalendar(long millis) {
    return millis % DAY == 0 && !zone.getRules().isFixedOffset();
  }

  private LocalDateTime clock(long t) {
    return LocalDateTime.ofInstant(Instant.ofEpochMilli(t), zone);
  }

  /** The instant so long before, or null if the clock left it out. */
  private Long back(long t, long millis) {
    if (!byCalendar(millis)) {
      return t - millis;
    }
    var there = clock(t).minusDays(millis / DAY);
    var offsets = zone.getRules().getValidOffsets(there);
    return offsets.isEmpty() ? null : there.toInstant(offsets.getFirst()).toEpochMilli();
  }

  /** The same, or the moment of the jump. */
  private long backOrJump(long t, long millis) {
    var back = back(t, millis);
    return back != null
        ? back
        : zone.getRules().getTransition(clock(t).minusDays(millis / DAY)).toEpochSecond() * 1000;
  }

  private Data shift(Chain c, int k, long from, long to, long moved) {
    shifted += raw(c, k - 1) ? 0 : 1;
    try {
      return movedLater(c, k, from, to, moved);
    } finally {
      shifted -= raw(c, k - 1) ? 0 : 1;
    }
  }

  private Data movedLater(Chain c, int k, long from, long to, long moved) {
    long millis = c.steps().get(k - 1).millis();
    if (raw(c, k - 1)) {
      var in = chain(c, k - 1, from, to, moved);
      var out = new Data();
      for (var row : in.rows) {
        var r = row.like();
        r.raw = new TreeMap<>();
        row.raw.forEach((t, v) -> later(t, millis).forEach(u -> r.raw.put(u, v)));
        out.rows.add(r);
      }
      return out;
    }
    long p = pitch(c, k - 1);
    long[] edges = grid(from, to, p, moved);
    var out = new Data();
    out.pitch = p;
    out.edges = edges;
    var rows = new java.util.LinkedHashMap<Map<String, String>, Row>();
    boolean wholeDays = p % DAY == 0 && millis % p == 0 && byCalendar(millis);
    for (int i = 0; i + 1 < edges.length; i++) {
      long a = Math.max(edges[i], from);
      Data part;
      if (wholeDays) {
        part =
            gridded(
                chain(c, k - 1, backOrJump(a, millis), backOrJump(to, millis), moved),
                backOrJump(a, millis),
                backOrJump(to, millis),
                moved);
      } else if (back(edges[i], millis) == null) {
        continue;
      } else {
        long by = edges[i] - back(edges[i], millis);
        // Whole buckets move; others are laid anew.
        long lying = by % p == 0 ? moved : moved + by;
        part = gridded(chain(c, k - 1, a - by, to - by, lying), a - by, to - by, lying);
      }
      for (var row : part.rows) {
        var whole =
            rows.computeIfAbsent(
                row.labels,
                l -> {
                  var v = new double[edges.length - 1];
                  java.util.Arrays.fill(v, Double.NaN);
                  return row.with(v);
                });
        whole.v[i] = row.v[0];
      }
    }
    out.rows.addAll(rows.values());
    return out;
  }

  /** The instants whose instant so long before this is. */
  private List<Long> later(long t, long millis) {
    if (!byCalendar(millis)) {
      return List.of(t + millis);
    }
    var there = clock(t).plusDays(millis / DAY);
    return zone.getRules().getValidOffsets(there).stream()
        .map(o -> there.toInstant(o).toEpochMilli())
        .filter(u -> back(u, millis) == t)
        .collect(Collectors.toList());
  }

  // ---- buckets and their neighbours

  private Data neighbours(Chain c, int k, long from, long to, long moved) {
    var s = c.steps().get(k - 1);
    long p = pitch(c, k - 1);
    long far =
        switch (s.kind()) {
          case "gap" -> s.millis() + 3 * p;
          // No farther: a series with values only beyond what is smoothed is none.
          case "smooth" -> s.millis() / 2 + p;
          case "band" -> s.millis() == 0 ? 62 * p : 7 * s.millis() + 20 * p;
          default -> 12 * p;
        };
    long end = Set.of("smooth", "outliers").contains(s.kind()) ? Math.min(to + far, cap) : to;
    var in = gridded(chain(c, k - 1, from - far, end, moved), from - far, end, moved);
    long[] edges = grid(from, to, p, moved);
    if (s.kind().equals("band") && s.millis() > 0 && Math.round((double) s.millis() / p) < 2) {
      throw new Refused("season");
    }
    int skip = 0;
    while (in.edges[skip] < edges[0]) {
      skip++;
    }
    var out = new Data();
    out.pitch = p;
    out.edges = edges;
    for (var row : in.rows) {
      if (s.kind().equals("band")) {
        var bounds = new double[3][edges.length - 1];
        for (int i = 0; i + 1 < edges.length; i++) {
          band(s, row.v, skip + i, (int) Math.round((double) s.millis() / p), i, bounds);
        }
        var names = List.of("expected", "lower", "upper");
        for (int n = 0; n < 3; n++) {
          var r = row.with(bounds[n]);
          r.labels = new TreeMap<>(row.labels);
          r.labels.put("band", names.get(n));
          if (java.util.Arrays.stream(r.v).anyMatch(x -> !Double.isNaN(x))) {
            out.rows.add(r);
          }
        }
        continue;
      }
      var v = new double[edges.length - 1];
      for (int i = 0; i < v.length; i++) {
        int at = skip + i;
        v[i] =
            switch (s.kind()) {
              case "gap" -> held(in, row.v, at, s.millis());
              case "smooth" -> smooth(row.v, at, (int) (s.millis() / 2 / p));
              default -> outlier(in, row.v, at, s.a());
            };
      }
      boolean any = java.util.Arrays.stream(v).anyMatch(x -> !Double.isNaN(x));
      if (any) {
        out.rows.add(row.with(v));
      }
    }
    return out;
  }

  private static double held(Data in, double[] v, int at, long millis) {
    for (int i = at; i >= 0; i--) {
      if (!Double.isNaN(v[i])) {
        return i == at || in.edges[at] - in.edges[i + 1] < millis ? v[i] : Double.NaN;
      }
    }
    return Double.NaN;
  }

  private static double smooth(double[] v, int at, int beside) {
    if (Double.isNaN(v[at])) {
      return Double.NaN;
    }
    double sum = 0;
    double weight = 0;
    for (int i = Math.max(0, at - beside); i <= at + beside && i < v.length; i++) {
      if (!Double.isNaN(v[i])) {
        double d = Math.abs(i - at) / (beside + 1.0);
        double w = (1 - d * d * d) * (1 - d * d * d) * (1 - d * d * d);
        sum += w * v[i];
        weight += w;
      }
    }
    return sum / weight;
  }

  private static double outlier(Data in, double[] own, int at, double limit) {
    var crowd =
        in.rows.stream().map(r -> r.v[at]).filter(Double::isFinite).collect(Collectors.toList());
    if (crowd.size() < 4) {
      crowd = new ArrayList<>();
      for (int i = Math.max(0, at - 10); i <= at + 10 && i < own.length; i++) {
        if (Double.isFinite(own[i])) {
          crowd.add(own[i]);
        }
      }
    }
    if (crowd.size() < 4 || !Double.isFinite(own[at])) {
      return Double.NaN;
    }
    double median = quantile(crowd, 0.5);
    double sigma = 1.4826 * quantile(crowd.stream().map(x -> Math.abs(x - median)).toList(), 0.5);
    double reach = sigma > 0 ? limit * sigma : Math.abs(median) * 1e-6;
    return Math.abs(own[at] - median) > reach ? own[at] : Double.NaN;
  }

  private static void band(Step s, double[] v, int at, int season, int i, double[][] out) {
    var some = new ArrayList<Double>();
    if (season == 0) {
      for (int j = Math.max(0, at - 60); j < at; j++) {
        some.add(v[j]);
      }
    } else {
      int beside = Math.min(5, Math.max(1, season / 200));
      for (int n = 1; n <= 7; n++) {
        for (int j = at - n * season - beside; j <= at - n * season + beside; j++) {
          if (j >= 0 && j < at) {
            some.add(v[j]);
          }
        }
      }
    }
    some.removeIf(x -> !Double.isFinite(x));
    double median = some.size() < 5 ? Double.NaN : quantile(some, 0.5);
    double sigma =
        some.size() < 5
            ? Double.NaN
            : 1.4826 * quantile(some.stream().map(x -> Math.abs(x - median)).toList(), 0.5);
    out[0][i] = median;
    out[1][i] = median - s.a() * sigma;
    out[2][i] = median + s.a() * sigma;
  }

  // ---- across series, and along one

  private Data across(Step s, Data in, long to) {
    var out = new Data();
    out.pitch = in.pitch;
    out.edges = in.edges;
    int n = in.edges.length - 1;
    switch (s.kind()) {
      case "across" ->
          groups(in, l -> key(l, s))
              .forEach(
                  (labels, rows) -> {
                    var v = new double[n];
                    for (int i = 0; i < n; i++) {
                      int at = i;
                      v[i] = reduce(s.by(), rows.stream().map(r -> r.v[at]).toList());
                    }
                    var r = rows.getFirst().with(v);
                    r.labels = new TreeMap<>(labels);
                    out.rows.add(r);
                  });
      case "quantile" ->
          groups(in, l -> s.labels().isEmpty() ? without(l, List.of("le")) : key(l, s))
              .forEach(
                  (labels, rows) -> {
                    var v = new double[n];
                    for (int i = 0; i < n; i++) {
                      v[i] = histogram(rows, i, s.a());
                    }
                    var r = rows.getFirst().with(v);
                    r.labels = new TreeMap<>(labels);
                    out.rows.add(r);
                  });
      case "share" -> {
        for (var row : in.rows) {
          var v = new double[n];
          for (int i = 0; i < n; i++) {
            int at = i;
            double total =
                in.rows.stream().mapToDouble(r -> Double.isNaN(r.v[at]) ? 0 : r.v[at]).sum();
            v[i] = total == 0 ? Double.NaN : row.v[i] / total * 100;
          }
          out.rows.add(row.with(v));
        }
      }
      case "since" -> {
        for (var row : in.rows) {
          var v = new double[n];
          for (int i = 0; i < n; i++) {
            v[i] = Math.min(in.edges[i + 1], to) / 1000.0 - row.v[i];
          }
          out.rows.add(row.with(v));
        }
      }
      case "top", "bottom" -> pick(s, in, out);
      case "cumulate" -> {
        for (var row : in.rows) {
          var v = new double[n];
          double sum = 0;
          for (int i = 0; i < n; i++) {
            sum += Double.isNaN(row.v[i]) ? 0 : row.v[i];
            v[i] = Double.isNaN(row.v[i]) ? Double.NaN : sum;
          }
          out.rows.add(row.with(v));
        }
      }
      case "forecast" -> forecast(s, in, out);
      case "fill" -> in.rows.forEach(r -> out.rows.add(r.with(filled(s, r.v))));
      default -> throw new IllegalArgumentException(s.kind());
    }
    return out;
  }

  /** Theil and Sen's line, with the median of each phase of a day if two days are there. */
  private static void forecast(Step s, Data in, Data out) {
    int n = in.edges.length - 1;
    int more = (int) ((s.millis() + in.pitch - 1) / in.pitch);
    out.edges = java.util.Arrays.copyOf(in.edges, n + 1 + more);
    for (int i = n + 1; i < out.edges.length; i++) {
      out.edges[i] = out.edges[i - 1] + in.pitch;
    }
    int season = (int) (DAY / in.pitch);
    for (var row : in.rows) {
      var at =
          java.util.stream.IntStream.range(0, n).filter(i -> Double.isFinite(row.v[i])).toArray();
      if (at.length < 5) {
        continue;
      }
      var slopes = new ArrayList<Double>();
      int stride = Math.max(1, at.length / 300);
      for (int a = 0; a < at.length; a += stride) {
        for (int b = a + stride; b < at.length; b += stride) {
          slopes.add((row.v[at[b]] - row.v[at[a]]) / (at[b] - at[a]));
        }
      }
      double slope = quantile(slopes, 0.5);
      double level =
          quantile(java.util.Arrays.stream(at).mapToObj(i -> row.v[i] - slope * i).toList(), 0.5);
      var v = new double[n + more];
      java.util.Arrays.fill(v, Double.NaN);
      for (int i = n; i < n + more; i++) {
        int phase = season > 1 ? i % season : 0;
        var same =
            java.util.Arrays.stream(at)
                .filter(k -> season > 1 && n >= 2 * season && k % season == phase)
                .mapToObj(k -> row.v[k] - slope * k - level)
                .toList();
        v[i] = level + slope * i + (same.isEmpty() ? 0 : quantile(same, 0.5));
      }
      out.rows.add(row.with(v));
    }
  }

  private static double[] filled(Step s, double[] v) {
    var out = v.clone();
    for (int i = 0; i < v.length; i++) {
      if (!Double.isNaN(v[i])) {
        continue;
      }
      int before = i;
      while (before >= 0 && Double.isNaN(v[before])) {
        before--;
      }
      int after = i;
      while (after < v.length && Double.isNaN(v[after])) {
        after++;
      }
      out[i] =
          switch (s.by()) {
            case "number" -> s.a();
            case "previous" -> before < 0 ? Double.NaN : v[before];
            default ->
                before < 0 || after == v.length
                    ? Double.NaN
                    : v[before] + (v[after] - v[before]) * (i - before) / (after - before);
          };
    }
    return out;
  }

  private static void pick(Step s, Data in, Data out) {
    var ranked = new ArrayList<>(in.rows);
    ranked.removeIf(r -> Double.isNaN(ranking(s, r)));
    var order = java.util.Comparator.<Row>comparingDouble(r -> ranking(s, r));
    ranked.sort(s.kind().equals("top") ? order.reversed() : order);
    out.rows.addAll(ranked.subList(0, Math.min(ranked.size(), (int) s.a())));
  }

  private static double ranking(Step s, Row r) {
    return reduce(s.by(), java.util.Arrays.stream(r.v).boxed().toList());
  }

  private static double histogram(List<Row> rows, int at, double q) {
    var counts = new TreeMap<Double, Double>();
    for (var r : rows) {
      var le = r.labels.get("le");
      if (le == null) {
        continue;
      }
      double bound = le.equals("+Inf") ? Double.POSITIVE_INFINITY : Double.parseDouble(le);
      double v = r.v[at];
      counts.merge(bound, v, (a, b) -> Double.isNaN(a) ? b : Double.isNaN(b) ? a : a + b);
    }
    Double total = counts.remove(Double.POSITIVE_INFINITY);
    if (total == null || !(total > 0)) {
      return Double.NaN;
    }
    counts.values().removeIf(v -> Double.isNaN(v));
    double rank = q * total;
    double from = counts.isEmpty() ? 0 : Math.min(0, counts.firstKey());
    double below = 0;
    for (var e : counts.entrySet()) {
      if (e.getValue() >= rank) {
        double within = e.getValue() - below;
        return within <= 0 ? e.getKey() : from + (e.getKey() - from) * (rank - below) / within;
      }
      from = e.getKey();
      below = e.getValue();
    }
    return counts.isEmpty() ? Double.NaN : from;
  }

  private static Map<Map<String, String>, List<Row>> groups(
      Data in, java.util.function.UnaryOperator<Map<String, String>> key) {
    return in.rows.stream()
        .collect(
            Collectors.groupingBy(
                r -> key.apply(r.labels), java.util.LinkedHashMap::new, Collectors.toList()));
  }

  private static Map<String, String> key(Map<String, String> labels, Step s) {
    if (s.labels().isEmpty()) {
      return Map.of();
    }
    return s.flag() ? without(labels, s.labels()) : only(labels, s.labels());
  }

  private static Map<String, String> only(Map<String, String> labels, List<String> names) {
    var out = new TreeMap<>(labels);
    out.keySet().retainAll(names);
    return out;
  }

  private static Map<String, String> without(Map<String, String> labels, List<String> names) {
    var out = new TreeMap<>(labels);
    out.keySet().removeAll(names);
    return out;
  }

  // ---- two sides

  private Data two(Two t, long from, long to, long moved) {
    var l = gridded(eval(t.left(), from, to, moved), from, to, moved);
    var r = gridded(eval(t.right(), from, to, moved), from, to, moved);
    boolean rightGrid = !r.scalar && (l.scalar || r.pitch > l.pitch);
    var out = new Data();
    out.scalar = l.scalar && r.scalar;
    out.pitch = rightGrid ? r.pitch : l.pitch;
    out.edges = rightGrid ? r.edges : l.edges;
    var left = onto(l, out.edges);
    var right = onto(r, out.edges);
    var ln = labelNames(t.left());
    var rn = labelNames(t.right());
    boolean leftAll = ln != null && ln.isEmpty();
    boolean rightAll = rn != null && rn.isEmpty();
    if (t.on().isEmpty() && (leftAll || rightAll)) {
      if (t.missing() != null && left.isEmpty() && leftAll && !right.isEmpty()) {
        left.add(absent(out, new TreeMap<>()));
      }
      if (t.missing() != null && right.isEmpty() && rightAll && !left.isEmpty()) {
        right.add(absent(out, new TreeMap<>()));
      }
      for (var x : left) {
        for (var y : right) {
          out.rows.add(pair(t, x, y, leftAll && !rightAll ? y.labels : x.labels));
        }
      }
      return out;
    }
    boolean leftNames = t.on().isEmpty() || leftNames(t);
    var keys = new java.util.LinkedHashSet<Map<String, String>>();
    left.forEach(x -> keys.add(pairKey(t, x)));
    right.forEach(y -> keys.add(pairKey(t, y)));
    for (var key : keys) {
      var xs = left.stream().filter(x -> pairKey(t, x).equals(key)).toList();
      var ys = right.stream().filter(y -> pairKey(t, y).equals(key)).toList();
      if (xs.size() > 1 && ys.size() > 1
          || !t.on().isEmpty() && (leftNames ? ys.size() > 1 && !xs.isEmpty() : xs.size() > 1)) {
        throw new Refused("pairing");
      }
      if (t.missing() != null && xs.isEmpty()) {
        ys.forEach(
            y ->
                out.rows.add(
                    pair(t, absent(out, y.labels), y, leftNames ? new TreeMap<>(key) : y.labels)));
      } else if (t.missing() != null && ys.isEmpty()) {
        xs.forEach(
            x ->
                out.rows.add(
                    pair(t, x, absent(out, x.labels), leftNames ? x.labels : new TreeMap<>(key))));
      }
      for (var x : xs) {
        for (var y : ys) {
          out.rows.add(pair(t, x, y, leftNames ? x.labels : y.labels));
        }
      }
    }
    return out;
  }

  private static Map<String, String> pairKey(Two t, Row row) {
    return t.on().isEmpty() ? row.labels : only(row.labels, t.on());
  }

  private static Row absent(Data out, TreeMap<String, String> labels) {
    var row = new Row();
    row.labels = labels;
    row.v = new double[out.edges.length - 1];
    java.util.Arrays.fill(row.v, Double.NaN);
    return row;
  }

  private static Row pair(Two t, Row x, Row y, TreeMap<String, String> labels) {
    var v = new double[x.v.length];
    for (int i = 0; i < v.length; i++) {
      double a = x.v[i];
      double b = y.v[i];
      if (t.missing() != null && Double.isNaN(a) != Double.isNaN(b)) {
        a = Double.isNaN(a) ? t.missing() : a;
        b = Double.isNaN(b) ? t.missing() : b;
      }
      v[i] =
          switch (t.op()) {
            case "+" -> a + b;
            case "-" -> a - b;
            case "*" -> a * b;
            case "/" -> b == 0 ? Double.NaN : a / b;
            case "%" ->
                b == 0 || Double.isNaN(a) || Double.isNaN(b)
                    ? Double.NaN
                    : new BigDecimal(a).remainder(new BigDecimal(b)).doubleValue();
            default -> compare(t.op(), a, b);
          };
    }
    var row = new Row();
    row.labels = labels;
    row.v = v;
    return row;
  }

  private static List<Row> onto(Data in, long[] edges) {
    var out = new ArrayList<Row>();
    for (var row : in.rows) {
      var v = new double[edges.length - 1];
      for (int i = 0; i < v.length; i++) {
        int at = java.util.Arrays.binarySearch(in.edges, edges[i]);
        boolean same = at >= 0 && at + 1 < in.edges.length && in.edges[at + 1] == edges[i + 1];
        v[i] =
            in.scalar
                ? row.v[0]
                : same
                    ? row.v[at]
                    : reduce("mean", between(samples(in, row), edges[i], edges[i + 1]));
      }
      out.add(row.with(v));
    }
    return out;
  }
}
