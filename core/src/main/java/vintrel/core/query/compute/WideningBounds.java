package vintrel.core.query.compute;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.NavigableMap;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BiFunction;
import java.util.function.Function;
import java.util.function.ToLongFunction;
import vintrel.core.chunk.Samples;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.Summaries.Need;
import vintrel.core.series.Condition;
import vintrel.core.series.Labels;
import vintrel.core.series.Series;
import vintrel.core.store.MemoryClaim;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;

/**
 * A source in which the bounds of a histogram go back as far as the histogram does. Where a bound
 * has its first sample within what is read, and the next lower one with a sample at the same time
 * has the same count, nothing had fallen between the two: the samples of the lower one are put
 * before its own. If there is no lower one and its count is 0, nothing had fallen below it. So a
 * window in which a bound appears counts what is below it like any other.
 *
 * <p>For one query; any thread.
 */
final class WideningBounds implements SampleSource {
  private static final String BOUND = "le";

  /** Bytes of what is remembered of a bound. */
  private static final int REMEMBERED = 250;

  private final SampleSource source;
  private final MemoryClaim memory;
  private final Runnable check;
  private final Map<Family, List<Series>> families = new HashMap<>();

  /** By the start of what is read: when histograms begin within it. */
  private final Map<Long, Map<Family, Long>> infinite = new ConcurrentHashMap<>();

  private final Set<String> found = new HashSet<>();
  private final Map<Map.Entry<Family, Long>, NavigableMap<Double, Older>> olders = new HashMap<>();

  /** The bounds of one histogram. */
  private record Family(String store, String metric, Labels labels) {
    static Family of(Series s) {
      return new Family(s.store(), s.metric(), s.labels().drop(List.of(BOUND)));
    }
  }

  /**
   * What goes before the samples of a series.
   *
   * @param beside whose samples
   * @param until exclusive
   * @param nothing only their times, at 0
   */
  private record Earlier(Series beside, long until, boolean nothing) {
    Samples of(Samples s) {
      return nothing ? Samples.of(s.times(), new double[s.count()]) : s;
    }

    Summaries of(Summaries s) {
      return nothing ? s.ofNothing() : s;
    }
  }

  /** A bound with its count at some time. */
  private record Older(Series series, double count) {}

  /**
   * @param memory asked for the bounds of a metric that are looked at
   * @param check called for each histogram that is looked at; it may throw to end the query
   */
  WideningBounds(SampleSource source, MemoryClaim memory, Runnable check) {
    this.source = source;
    this.memory = memory;
    this.check = check;
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to) {
    return read(series, from, to, MemoryClaim.NONE);
  }

  @Override
  public List<Samples> read(List<Series> series, long from, long to, MemoryClaim memory) {
    var own = source.read(series, from, to, memory);
    return filled(
        series,
        own,
        1,
        from,
        s -> s.isEmpty() ? Long.MAX_VALUE : s.firstTime(),
        (beside, until) -> source.read(List.of(beside), from, until, memory).getFirst(),
        parts -> {
          long bytes = (long) SAMPLE_BYTES * parts.stream().mapToInt(Samples::count).sum();
          memory.take(bytes);
          var out = parts.getLast();
          for (int i = parts.size() - 2; i >= 0; i--) {
            out = out.after(parts.get(i));
          }
          memory.give(bytes);
          return out;
        },
        Earlier::of);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Need> needs, long from, long to) {
    return summaries(series, tier, needs, from, to, MemoryClaim.NONE);
  }

  @Override
  public List<Summaries> summaries(
      List<Series> series, Tier tier, Set<Need> needs, long from, long to, MemoryClaim memory) {
    var own = source.summaries(series, tier, needs, from, to, memory);
    return filled(
        series,
        own,
        tier.pitch(),
        from,
        s -> s.count == 0 ? Long.MAX_VALUE : s.firstAt == null ? s.times[0] : s.firstAt[0],
        (beside, until) -> {
          long whole = Math.max(from, until - Math.floorMod(until, tier.pitch()));
          var of = List.of(beside);
          var rest = summed(source.read(of, whole, until).getFirst(), tier, needs);
          memory.take(rest.bytes());
          return whole == from
              ? rest
              : joined(
                  List.of(source.summaries(of, tier, needs, from, whole, memory).getFirst(), rest),
                  memory);
        },
        parts -> joined(parts, memory),
        Earlier::of);
  }

  /** The samples before a bound's first within its own bucket. */
  private static Summaries summed(Samples samples, Tier tier, Set<Need> needs) {
    boolean grows = needs.contains(Need.GROWTH) || needs.contains(Need.ENDS);
    return Summaries.of(samples, tier.pitch(), grows, MIN_GAP);
  }

  @Override
  public List<Summaries> pieces(List<Series> series, long[] edges, long from, long to) {
    return pieces(series, edges, from, to, MemoryClaim.NONE);
  }

  @Override
  public List<Summaries> pieces(
      List<Series> series, long[] edges, long from, long to, MemoryClaim memory) {
    var own = source.pieces(series, edges, from, to, memory);
    return filled(
        series,
        own,
        1,
        from,
        s -> s.count == 0 ? Long.MAX_VALUE : s.times[0],
        (beside, until) -> source.pieces(List.of(beside), edges, from, until, memory).getFirst(),
        parts -> joined(parts, memory),
        Earlier::of);
  }

  /** Parts, for which memory was taken, as one. */
  private static Summaries joined(List<Summaries> parts, MemoryClaim memory) {
    long bytes = parts.stream().mapToLong(Summaries::bytes).sum();
    memory.take(bytes);
    var out = Summaries.join(parts);
    memory.give(2 * bytes - out.bytes());
    return out;
  }

  /**
   * What was read of some series, each with what goes before it.
   *
   * @param width ms within which the first sample lies after the time that is told of it
   * @param first that time; {@link Long#MAX_VALUE} if there is nothing
   * @param reading reads another series up to a time, exclusive
   */
  private <T> List<T> filled(
      List<Series> series,
      List<T> own,
      long width,
      long from,
      ToLongFunction<T> first,
      BiFunction<Series, Long, T> reading,
      Function<List<T>, T> joining,
      BiFunction<Earlier, T, T> changing) {
    if (series.stream().noneMatch(WideningBounds::isBound)) {
      return own;
    }
    var begins = begins(series, own, first, from);
    var out = new ArrayList<>(own);
    for (int i = 0; i < out.size(); i++) {
      var s = series.get(i);
      long time = first.applyAsLong(own.get(i));
      if (time == Long.MAX_VALUE || !isBound(s) || !isLate(s, time, from, begins)) {
        continue;
      }
      var parts = new ArrayDeque<T>();
      parts.add(own.get(i));
      var e = before(s, time, width);
      while (e != null) {
        var part = changing.apply(e, reading.apply(e.beside, e.until));
        parts.addFirst(part);
        time = first.applyAsLong(part);
        boolean late = time != Long.MAX_VALUE && source.before(e.beside, time).isEmpty();
        e = late && !e.nothing ? before(e.beside, time, width) : null;
      }
      if (parts.size() > 1) {
        out.set(i, joining.apply(List.copyOf(parts)));
      }
    }
    return out;
  }

  private static boolean isBound(Series s) {
    return s.kind().cumulative() && s.labels().get(BOUND) != null;
  }

  /** When histograms begin within what is read: where their last bound, +Inf, does. */
  private <T> Map<Family, Long> begins(
      List<Series> series, List<T> own, ToLongFunction<T> first, long from) {
    var out = infinite.computeIfAbsent(from, k -> new ConcurrentHashMap<>());
    for (int i = 0; i < own.size(); i++) {
      if ("+Inf".equals(series.get(i).labels().get(BOUND))) {
        out.put(Family.of(series.get(i)), first.applyAsLong(own.get(i)));
      }
    }
    return out;
  }

  /** Whether a bound has its first sample of all at a time, and its histogram has earlier ones. */
  private boolean isLate(Series s, long time, long from, Map<Family, Long> begins) {
    var begun = begins.get(Family.of(s));
    if (begun != null && begun >= time) {
      return false;
    }
    if (begun == null) {
      // It is asked for without the rest: too dear to look at each that begins where it should.
      long interval = source.interval(s);
      if (time - from <= 2 * (interval > 0 ? interval : Durations.MINUTE)) {
        return false;
      }
    }
    return source.before(s, time).isEmpty();
  }

  /**
   * What goes before a bound, or null.
   *
   * @param width ms after a time in which its first sample is
   */
  private Earlier before(Series s, long time, long width) {
    var own = source.read(List.of(s), time, time + width).getFirst();
    if (own.isEmpty()) {
      return null;
    }
    long at = own.firstTime();
    double count = own.values()[0];
    var older = older(s, at);
    var lower = older.lowerEntry(number(s));
    if (lower == null) {
      return older.isEmpty() || count != 0
          ? null
          : new Earlier(older.lastEntry().getValue().series(), at, true);
    }
    return lower.getValue().count() == count
        ? new Earlier(lower.getValue().series(), at, false)
        : null;
  }

  /** The bounds of a series' histogram that have a sample at a time and earlier ones. */
  private synchronized NavigableMap<Double, Older> older(Series s, long at) {
    return olders.computeIfAbsent(
        Map.entry(Family.of(s), at),
        k -> {
          check.run();
          var out = new TreeMap<Double, Older>();
          var all = family(s);
          var there = source.read(all, at, at + 1);
          for (int i = 0; i < all.size(); i++) {
            var x = all.get(i);
            if (!there.get(i).isEmpty() && !source.before(x, at).isEmpty()) {
              out.put(number(x), new Older(x, there.get(i).values()[0]));
            }
          }
          return out;
        });
  }

  /** All bounds of a series' histogram. */
  private List<Series> family(Series s) {
    if (found.add(s.store() + "\n" + s.metric())) {
      var all = source.select(s.store(), s.metric(), Condition.ALL);
      memory.take((long) REMEMBERED * all.size());
      for (var x : all) {
        if (isBound(x)) {
          families.computeIfAbsent(Family.of(x), k -> new ArrayList<>()).add(x);
        }
      }
    }
    return families.getOrDefault(Family.of(s), List.of());
  }

  private static double number(Series s) {
    var text = s.labels().get(BOUND);
    try {
      return text.equals("+Inf") ? Double.POSITIVE_INFINITY : Double.parseDouble(text);
    } catch (NumberFormatException e) {
      return Double.NaN;
    }
  }

  @Override
  public List<Series> select(String store, String metric, Condition where) {
    return source.select(store, metric, where);
  }

  @Override
  public boolean hasMetric(String store, String name) {
    return source.hasMetric(store, name);
  }

  @Override
  public Collection<String> metricNames(String store) {
    return source.metricNames(store);
  }

  @Override
  public Collection<String> stores() {
    return source.stores();
  }

  @Override
  public String unit(String metric) {
    return source.unit(metric);
  }

  @Override
  public long interval(Series series) {
    return source.interval(series);
  }

  @Override
  public Samples before(Series series, long time) {
    return source.before(series, time);
  }

  @Override
  public long oldest() {
    return source.oldest();
  }

  @Override
  public int drops() {
    return source.drops();
  }

  @Override
  public long newest(int seriesId) {
    return source.newest(seriesId);
  }

  @Override
  public long writes(int seriesId) {
    return source.writes(seriesId);
  }

  @Override
  public long lateWrite(int seriesId) {
    return source.lateWrite(seriesId);
  }

  @Override
  public long late() {
    return source.late();
  }

  @Override
  public long rawSince(Series series) {
    return source.rawSince(series);
  }
}
