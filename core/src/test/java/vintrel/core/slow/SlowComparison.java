package vintrel.core.slow;

import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.TreeMap;
import vintrel.core.query.Evaluator;
import vintrel.core.query.Sets;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.SampleSource;

/**
 * One random case: data, a query and ranges; asks an engine and compares with the slow evaluator.
 */
public final class SlowComparison {
  private static final long HOUR = 3_600_000;
  private static final List<ZoneId> ZONES =
      List.of(
          ZoneOffset.UTC,
          ZoneId.of("Europe/Berlin"),
          ZoneId.of("America/New_York"),
          ZoneId.of("Australia/Lord_Howe"));

  /** A range of a case, and the pitch of its grid. */
  public record Range(long from, long to, long pitch, ZoneId zone) {
    Request request(String store) {
      return Request.range(from, to, pitch).at(zone).in(store);
    }
  }

  public final long seed;
  public final SlowData data;
  private final SlowQuery query;
  private final Range range;
  private final List<Range> others;
  private String store = "";

  private SlowComparison(
      long seed, SlowData data, SlowQuery query, Range range, List<Range> others) {
    this.seed = seed;
    this.data = data;
    this.query = query;
    this.range = range;
    this.others = others;
  }

  /** Data for many cases: hours of seconds, or weeks in which clocks change. */
  public static SlowData data(long seed) {
    var random = new Random(seed);
    boolean days = seed % 3 == 0;
    var start =
        !days
            ? Instant.parse("2025-10-25T23:17:03Z")
            : Instant.parse(seed % 2 == 0 ? "2025-10-17T05:00:00Z" : "2026-03-20T05:00:00Z");
    return SlowData.random(random, start.toEpochMilli(), days ? 1_200_000 : 10_000, 600);
  }

  public static SlowComparison random(long seed, SlowData data) {
    var random = new Random(seed);
    var generator = new SlowGenerator(random, data.step);
    var query = generator.query();
    long length = data.end - data.start;
    var zone = ZONES.get(random.nextInt(ZONES.size()));
    long pitch = generator.gridPitch();
    long from = data.start - length / 10 + (long) (random.nextDouble() * length);
    long to = from + 1 + (long) (random.nextDouble() * length * 0.7);
    if (random.nextBoolean()) {
      from -= Math.floorMod(from, pitch);
      to -= Math.floorMod(to, pitch);
      to = to <= from ? from + pitch : to;
    }
    pitch = Math.max(pitch, (to - from) / 70 / data.step * data.step);
    while (!query.isDefined(pitch)) {
      query = generator.query();
    }
    var range = new Range(from, to, pitch, zone);
    var others = new ArrayList<Range>();
    others.add(new Range(from - length / 7, to + length / 5, pitch, zone));
    others.add(new Range(from + (to - from) / 3, to - (to - from) / 4, pitch, zone));
    others.remove(random.nextInt(2));
    others.add(new Range(from - pitch, to - pitch / 2, pitch, zone));
    return new SlowComparison(seed, data, query, range, others);
  }

  boolean isOneLine() {
    return query.lines().size() == 1;
  }

  String text() {
    return query.text();
  }

  /** The text of the last line's expression. */
  String last() {
    return new SlowQuery(List.of(new SlowQuery.Line("", query.lines().getLast().node()))).text();
  }

  Request request() {
    return range.request(store);
  }

  /** What the slow evaluator gives, or null if the query is to be refused. */
  SlowEvaluator.Result expected(int[] arrived) {
    return slow(query, range, arrived);
  }

  /** Asks a named store instead of all. */
  public SlowComparison in(String newStore) {
    store = newStore;
    return this;
  }

  /** What is wrong, or null. A range is asked cold and warm, after others, and plain. */
  public String check(SampleSource source, int[] arrived, Evaluator warm) {
    try {
      var expected = slow(query, range, arrived);
      var wrong = compare("cold", new Evaluator(source, Limits.DEFAULT), query, range, expected);
      wrong = wrong != null ? wrong : compare("warm", warm, query, range, expected);
      for (int i = 0; i < others.size() && wrong == null; i++) {
        wrong =
            compare(
                "other range " + i,
                warm,
                query,
                others.get(i),
                slow(query, others.get(i), arrived));
      }
      wrong = wrong != null ? wrong : compare("warm after others", warm, query, range, expected);
      if (wrong != null) {
        var plain = Evaluator.plain(source, Limits.DEFAULT);
        var alone = compare("plain", plain, query, range, expected);
        return wrong + (alone == null ? " (plain is right)" : " (plain: " + alone + ")");
      }
      return compare("plain", Evaluator.plain(source, Limits.DEFAULT), query, range, expected);
    } catch (RuntimeException e) {
      var at = Arrays.stream(e.getStackTrace()).limit(4).map(String::valueOf).toList();
      return "failed: " + e + " " + at;
    }
  }

  private SlowEvaluator.Result slow(SlowQuery q, Range r, int[] arrived) {
    try {
      return new SlowEvaluator(data, arrived, q, r.to(), r.pitch(), r.zone()).answer(r.from());
    } catch (SlowEvaluator.Refused e) {
      return null;
    }
  }

  private String compare(
      String how, Evaluator engine, SlowQuery q, Range r, SlowEvaluator.Result expected) {
    vintrel.core.query.plan.SeriesSet set;
    try {
      var answer = engine.evaluate(Parser.parse(q.text()), r.request(store));
      set = answer.lines().getLast().set();
    } catch (QueryException e) {
      return expected == null ? null : how + ": refused: " + e.getMessage();
    }
    if (expected == null) {
      return how + ": should have been refused";
    }
    var found = new TreeMap<String, double[]>();
    for (var row : set.rows()) {
      if (Arrays.stream(row.values()).anyMatch(v -> !Double.isNaN(v))) {
        found.put(row.labels().asMap().toString(), row.values());
      }
    }
    var wanted = new TreeMap<String, double[]>();
    expected.series().forEach((l, v) -> wanted.put(new TreeMap<>(l).toString(), v));
    if (!found.keySet().equals(wanted.keySet())) {
      return how + ": series " + found.keySet() + " instead of " + wanted.keySet();
    }
    for (var e : wanted.entrySet()) {
      var v = found.get(e.getKey());
      for (int i = 0; i < e.getValue().length; i++) {
        long t = expected.times()[i];
        if (i >= v.length || Sets.grid(set).time(i) != t) {
          return how
              + ": buckets differ at "
              + Instant.ofEpochMilli(t)
              + ": "
              + v.length
              + " instead of "
              + e.getValue().length
              + (i < v.length ? ", " + Instant.ofEpochMilli(Sets.grid(set).time(i)) : "");
        }
        if (!close(v[i], e.getValue()[i], e.getValue())) {
          return "%s: %s, bucket %d at %s: %s instead of %s"
              .formatted(how, e.getKey(), i, Instant.ofEpochMilli(t), v[i], e.getValue()[i]);
        }
      }
    }
    return null;
  }

  private static boolean close(double a, double b, double[] all) {
    if (Double.isNaN(a) || Double.isNaN(b)) {
      return Double.isNaN(a) && Double.isNaN(b);
    }
    double scale = 1e-3;
    for (double v : all) {
      scale = Double.isFinite(v) ? Math.max(scale, Math.abs(v)) : scale;
    }
    return a == b || Math.abs(a - b) <= 1e-8 * Math.max(scale, 1);
  }

  /** The same case with a smaller query that is still wrong, as far as one is found. */
  public SlowComparison smallest(java.util.function.Predicate<SlowComparison> wrong) {
    for (var smaller : smaller(query)) {
      var c = new SlowComparison(seed, data, smaller, range, others).in(store);
      if (wrong.test(c)) {
        return c.smallest(wrong);
      }
    }
    return this;
  }

  private static List<SlowQuery> smaller(SlowQuery q) {
    var out = new ArrayList<SlowQuery>();
    int n = q.lines().size();
    for (int i = 0; i < n; i++) {
      for (var node : smaller(q.lines().get(i).node())) {
        var lines = new ArrayList<>(q.lines());
        lines.set(i, new SlowQuery.Line(q.lines().get(i).name(), node));
        out.add(new SlowQuery(lines));
      }
      out.add(new SlowQuery(List.of(new SlowQuery.Line("", q.lines().get(i).node()))));
    }
    out.removeIf(s -> s.equals(q) || s.lines().size() == 1 && refers(s.lines().getFirst().node()));
    return out;
  }

  private static boolean refers(SlowQuery.Node node) {
    return switch (node) {
      case SlowQuery.LineRef l -> true;
      case SlowQuery.Chain c -> refers(c.input());
      case SlowQuery.Two t -> refers(t.left()) || refers(t.right());
      case SlowQuery.Neg g -> refers(g.of());
      default -> false;
    };
  }

  private static List<SlowQuery.Node> smaller(SlowQuery.Node node) {
    var out = new ArrayList<SlowQuery.Node>();
    switch (node) {
      case SlowQuery.Neg g -> out.add(g.of());
      case SlowQuery.Two t -> {
        out.add(t.left());
        out.add(t.right());
        smaller(t.left())
            .forEach(l -> out.add(new SlowQuery.Two(t.op(), l, t.right(), t.on(), t.missing())));
        smaller(t.right())
            .forEach(r -> out.add(new SlowQuery.Two(t.op(), t.left(), r, t.on(), t.missing())));
      }
      case SlowQuery.Chain c -> {
        for (int i = 0; i < c.steps().size(); i++) {
          var steps = new ArrayList<>(c.steps());
          steps.remove(i);
          out.add(steps.isEmpty() ? c.input() : new SlowQuery.Chain(c.input(), steps));
        }
        smaller(c.input()).forEach(in -> out.add(new SlowQuery.Chain(in, c.steps())));
      }
      default -> {}
    }
    out.removeIf(x -> x instanceof SlowQuery.Chain c && c.input() instanceof SlowQuery.Chain);
    return out;
  }

  @Override
  public String toString() {
    return "seed %d, %s to %s (%d to %d), pitch %s, %s:%n%s"
        .formatted(
            seed,
            Instant.ofEpochMilli(range.from()),
            Instant.ofEpochMilli(range.to()),
            range.from(),
            range.to(),
            SlowQuery.duration(range.pitch()),
            range.zone(),
            query.text());
  }
}
