package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import java.util.function.Supplier;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.Summaries.Need;
import vintrel.core.query.plan.BucketCache;
import vintrel.core.query.plan.BucketReuse;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.InputRange;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.TierChoice;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/**
 * Computes the first steps on a metric from the tier that {@link TierChoice} chose, reusing buckets
 * of earlier answers. Where no tier fits, long windows are computed from the summaries of the
 * chunks inside them; only the chunks at their ends are decoded.
 */
final class TierReader {
  private static final int ASKED_FOR_INTERVAL = 20;

  /** Shorter windows hold no whole chunk as a rule; ms. */
  private static final long MIN_PIECED = Durations.HOUR;

  /** The query that this works for. */
  interface Reading {
    List<Series> select(Expr.Source s);

    /** Work whose time counts as planning; not within another. */
    <T> T planned(Supplier<T> work);

    /** How many series are read together, by the distance of what is read of each, ms. */
    int groupOf(List<Series> found, long from, long to, long pitch);

    /** How many series are read together as encoded samples. */
    int groupOf(List<Series> found, long from, long to);

    void countSeries(int n);

    void countSamples(long n, String tier);

    void checkTime();
  }

  /**
   * @param passed steps before that are still to be computed on the set
   * @param next the first step that is not answered yet
   */
  record TierResult(SeriesSet.Gridded set, int passed, int next) {}

  /** What each series' summaries become. */
  private interface Summing {
    Row row(Series series, Summaries summaries, Grid grid);
  }

  private final SampleSource source;
  private final Request request;
  private final Observer observer;
  private final Reading reading;
  private final BucketCache remembered;
  private final Room room;

  TierReader(
      SampleSource source,
      BucketCache remembered,
      Request request,
      Observer observer,
      Reading reading,
      Room room) {
    this.room = room;
    this.remembered = remembered;
    this.source = source;
    this.request = request;
    this.observer = observer;
    this.reading = reading;
  }

  /** Whether a kind is drawn by its last value rather than by a mean. */
  static boolean reducesToLast(MetricKind kind) {
    return kind.cumulative() || kind == MetricKind.STATE;
  }

  /** A metric on the request's grid, by its kind; null if only raw samples do. */
  SeriesSet.Gridded source(Expr.Source s, long from, long to) {
    var grid = request.grid(from, to, request.pitch());
    var tier = TierChoice.coarsest(grid, request);
    return tier == null ? null : byKind(s, tier, from, to, grid);
  }

  /**
   * The first steps of a chain on a metric; null if only raw samples do.
   *
   * @param ranges what each step must cover: entry i is what goes into step i
   */
  TierResult chain(Expr.Chain c, InputRange.Range[] ranges) {
    var choice = TierChoice.of(c, ranges, request);
    if (choice == null) {
      return null;
    }
    var s = (Expr.Source) c.input();
    int k = choice.passed();
    var range = ranges[0];
    if (choice.step() == null) {
      var drawn =
          choice.tier() == null
              ? null
              : byKind(s, choice.tier(), range.from(), range.to(), choice.grid());
      return drawn == null ? null : new TierResult(drawn, k, k);
    }
    boolean pieced =
        choice.step() instanceof Step.Bucketing o && inPieces(o, choice.grid().pitch());
    if (choice.tier() == null && !pieced) {
      return null;
    }
    var found = reading.select(s);
    var set = choice.tier() == null ? null : summed(found, choice, range);
    if (set == null && pieced) {
      if (found.stream().anyMatch(x -> source.rawSince(x) > range.from() + Durations.HOUR)) {
        observer.rawDropped(s);
      }
      set = pieces(found, (Step.Bucketing) choice.step(), choice.next(), range, choice.grid());
    }
    return set == null ? null : new TierResult(set, k, k + 1);
  }

  /** A step answered by a tier, or null. */
  private SeriesSet.Gridded summed(List<Series> found, TierChoice choice, InputRange.Range range) {
    var step = choice.step();
    var tier = choice.tier();
    boolean cumulative = !found.isEmpty() && found.getFirst().kind().cumulative();
    if (found.stream().anyMatch(x -> x.kind().cumulative() != cumulative)) {
      return null;
    }
    var needs = needs(step, cumulative, choice.next());
    if (needs == null
        || needs.contains(Need.SKETCH) && !sketches(found, tier, range.from(), step)
        || needs.contains(Need.GROWTH) && sparse(found, range.from())) {
      return null;
    }
    if (step instanceof Step.Bucketing o) {
      observer.window(o, slowest(found));
    }
    return read(
        found,
        tier,
        needs,
        range,
        choice.grid(),
        Printer.print(step) + needs,
        (series, parts, on) -> row(step, series, parts, on, needs, range.to()));
  }

  /** Whether only raw samples say which of them are joined; if they are gone, tiers must do. */
  private boolean sparse(List<Series> found, long from) {
    return found.stream()
        .anyMatch(x -> gap(x) > SampleSource.MIN_GAP && source.rawSince(x) <= from);
  }

  private long gap(Series series) {
    return SampleSource.gap(source.interval(series));
  }

  /** Whether windows are so long that chunks fit into them. */
  private static boolean inPieces(Step.Bucketing o, long pitch) {
    long width = o.sliding() ? o.millis() : pitch;
    return width >= MIN_PIECED && SummaryBuckets.ofPieces(o.reducer()) != null;
  }

  /** A step answered by summaries of whole chunks and the samples around them. */
  private SeriesSet.Gridded pieces(
      List<Series> found, Step.Bucketing o, Step next, InputRange.Range range, Grid grid) {
    reading.countSeries(found.size());
    observer.window(o, slowest(found));
    var edges = edges(grid, o.sliding() ? o.millis() : 0);
    var rows = new ArrayList<Row>(found.size());
    int size = reading.groupOf(found, range.from(), range.to());
    for (int at = 0; at < found.size(); at += size) {
      reading.checkTime();
      var group = found.subList(at, Math.min(at + size, found.size()));
      var parts = source.pieces(group, edges, range.from(), range.to(), room.memory());
      reading.countSamples(parts.stream().mapToLong(p -> p.count).sum(), "summaries");
      var needs = needs(o, false, next);
      long before = taken(parts, grid, needs);
      IntStream.range(0, group.size())
          .parallel()
          .filter(i -> parts.get(i).count > 0)
          .mapToObj(i -> windows(o, group.get(i), parts.get(i), grid, needs))
          .forEachOrdered(rows::add);
      room.memory().give(before);
    }
    return new SeriesSet.Gridded(grid, rows);
  }

  /**
   * Takes room for the buckets of what was read.
   *
   * @return bytes of the summaries, to be given back once the buckets are made
   */
  private long taken(List<Summaries> parts, Grid grid, Set<Need> needs) {
    long some = parts.stream().filter(p -> p.count > 0).count();
    room.series(some, grid.count(), needs.contains(Need.RANGE) ? 3 : 1);
    return bytes(parts);
  }

  /** The ends of all windows, rising. */
  private static long[] edges(Grid grid, long window) {
    var ends = LongStream.concat(Arrays.stream(grid.times()), LongStream.of(grid.end())).toArray();
    return window == 0
        ? ends
        : LongStream.concat(Arrays.stream(ends), Arrays.stream(ends).map(t -> t - window))
            .sorted()
            .distinct()
            .toArray();
  }

  /** Percentiles are exact from raw samples; sketches serve if those are gone. */
  private boolean sketches(List<Series> found, Tier tier, long from, Step step) {
    if (tier != Tier.HOUR || found.stream().noneMatch(s -> source.rawSince(s) > from)) {
      return false;
    }
    observer.sketched(step);
    return true;
  }

  private static Set<Need> needs(Step step, boolean cumulative, Step next) {
    if (step instanceof Step.Bucketing o) {
      var needs = SummaryBuckets.needs(o.reducer(), cumulative);
      if (needs == null || o.sliding()) {
        return needs == null || needs.contains(Need.SKETCH) ? null : needs;
      }
      return needs;
    }
    return cumulative ? EnumSet.of(Need.GROWTH) : null;
  }

  private Row row(Step step, Series series, Summaries parts, Grid grid, Set<Need> needs, long to) {
    if (step instanceof Step.Bucketing o) {
      return windows(o, series, parts, grid, needs);
    }
    var row = Row.of(series);
    boolean bridged = step instanceof Step.Increase;
    var growth = SummaryBuckets.growth(parts, grid, gap(series), to, bridged);
    var grown =
        step instanceof Step.Rate r
            ? row.on(growth.rate(r.perMillis())).unit(Units.per(row.unit(), r.perMillis()))
            : row.on(growth.increase());
    return grown.kind(MetricKind.GAUGE);
  }

  private static Row windows(
      Step.Bucketing o, Series series, Summaries parts, Grid grid, Set<Need> needs) {
    var row = Row.of(series);
    var values =
        o.sliding()
            ? SummaryBuckets.sliding(parts, grid, o.reducer(), o.millis())
            : SummaryBuckets.buckets(parts, grid, o.reducer());
    return row.on(values).unit(o.reducer().unit(row.unit())).kind(MetricKind.GAUGE);
  }

  private long slowest(List<Series> found) {
    return reading.planned(
        () -> found.stream().limit(ASKED_FOR_INTERVAL).mapToLong(source::interval).max().orElse(0));
  }

  private SeriesSet.Gridded byKind(Expr.Source s, Tier tier, long from, long to, Grid grid) {
    var found = reading.select(s);
    var last = found.stream().filter(x -> reducesToLast(x.kind())).toList();
    var other = found.stream().filter(x -> !reducesToLast(x.kind())).toList();
    var ends = EnumSet.of(Need.ENDS);
    var drawn =
        read(
            last,
            tier,
            ends,
            new InputRange.Range(from, to),
            grid,
            "last",
            (x, parts, on) -> Row.of(x).on(SummaryBuckets.buckets(parts, on, Reducer.LAST)));
    drawn.rows().forEach(r -> observer.drawnRaw(r, s.span()));
    var means =
        read(
            other,
            tier,
            EnumSet.of(Need.SUM, Need.RANGE),
            new InputRange.Range(from, to),
            grid,
            "mean",
            (x, parts, on) -> SummaryBuckets.envelope(Row.of(x), parts, on));
    if (drawn.rows().isEmpty() || means.rows().isEmpty()) {
      return drawn.rows().isEmpty() ? means : drawn;
    }
    var all = new ArrayList<>(drawn.rows());
    all.addAll(means.rows());
    return new SeriesSet.Gridded(grid, all);
  }

  private SeriesSet.Gridded read(
      List<Series> found,
      Tier tier,
      Set<Need> needs,
      InputRange.Range range,
      Grid grid,
      String what,
      Summing summing) {
    reading.countSeries(found.size());
    int n = found.size();
    var writes = found.stream().mapToLong(s -> source.writes(s.id())).toArray();
    var newest = found.stream().mapToLong(s -> source.newest(s.id())).toArray();
    var gaps = needs.contains(Need.GROWTH) ? found.stream().mapToLong(this::gap).toArray() : null;
    boolean counted = n > 0 && writes[0] >= 0;
    boolean kept =
        grid.edges() == null
            && request.origin() == 0
            && request.moved() == 0
            && request.cap() == Long.MAX_VALUE
            && counted;
    var ids = found.stream().map(Series::id).toList();
    long phase = Math.floorMod(grid.start(), grid.pitch());
    var key = new BucketCache.Key(tier.code() + what, grid.pitch(), phase, source.drops(), ids);
    var known = kept ? remembered.get(key) : null;
    var part = BucketReuse.of(known, found, writes, gaps, range, grid, source);
    var rows =
        part == null
            ? fresh(found, tier, needs, range, grid, summing)
            : joined(known, part, found, tier, needs, range, grid, summing);
    if (kept) {
      var entry = new BucketCache.Entry(grid, rows, writes, newest, gaps, range.from(), range.to());
      remembered.put(key, entry);
    }
    return new SeriesSet.Gridded(
        grid, Arrays.stream(rows).filter(java.util.Objects::nonNull).toList());
  }

  /** Known buckets, with fresh ones before and after them. */
  private Row[] joined(
      BucketCache.Entry known,
      BucketReuse.Part part,
      List<Series> found,
      Tier tier,
      Set<Need> needs,
      InputRange.Range range,
      Grid grid,
      Summing summing) {
    int a = part.from();
    int b = part.to();
    int n = found.size();
    long lookBack = Math.max(0, grid.time(0) - range.from());
    var before = range.between(range.from(), a == 0 ? range.from() : grid.time(a));
    var head = a == 0 ? new Row[n] : fresh(found, tier, needs, before, grid.part(0, a), summing);
    var tail = new Row[n];
    if (b < grid.count()) {
      var after = range.between(grid.time(b) - lookBack, range.to());
      tail = fresh(found, tier, needs, after, grid.part(b, grid.count()), summing);
    }
    var rows = new Row[n];
    boolean wide = needs.contains(Need.RANGE);
    for (int i = 0; i < n; i++) {
      if (head[i] != null || known.rows()[i] != null || tail[i] != null) {
        room.series(1, grid.count(), wide ? 3 : 1);
      }
      var row = BucketReuse.join(grid.count(), part, head[i], known.rows()[i], tail[i]);
      rows[i] = present(found.get(i), row, tier, needs, range);
    }
    return rows;
  }

  /** Rows in the order of the series, null if one has nothing. */
  private Row[] fresh(
      List<Series> found,
      Tier tier,
      Set<Need> needs,
      InputRange.Range range,
      Grid grid,
      Summing summing) {
    var rows = new Row[found.size()];
    // A window takes more than a sample, and twice that while it is read.
    int size = reading.groupOf(found, range.from(), range.to(), tier.pitch() / 2);
    for (int at = 0; at < found.size(); at += size) {
      reading.checkTime();
      int first = at;
      var group = found.subList(at, Math.min(at + size, found.size()));
      var parts =
          range.joined()
              ? joinedSummaries(group, tier, needs, range)
              : source.summaries(group, tier, needs, range.from(), range.to(), room.memory());
      reading.countSamples(parts.stream().mapToLong(p -> p.count).sum(), tier.text());
      long read = taken(parts, grid, needs);
      IntStream.range(0, group.size())
          .parallel()
          .filter(i -> parts.get(i).count > 0)
          .forEach(
              i -> {
                var row = summing.row(group.get(i), parts.get(i), grid);
                rows[first + i] = present(group.get(i), row, tier, needs, range);
              });
      room.memory().give(read);
    }
    return rows;
  }

  /** A row that has a value, or whose series has a sample in the range; else null. */
  private Row present(Series series, Row row, Tier tier, Set<Need> needs, InputRange.Range range) {
    if (row == null || !row.isMissing()) {
      return row;
    }
    var own = source.summaries(List.of(series), tier, needs, range.from(), range.to());
    return own.getFirst().count > 0 ? row : null;
  }

  /** Summaries of a range, with the samples before and after that growth within it joins. */
  private List<Summaries> joinedSummaries(
      List<Series> group, Tier tier, Set<Need> needs, InputRange.Range range) {
    long gap = group.stream().mapToLong(this::gap).max().orElse(0);
    long from = range.from();
    long to = range.to();
    var memory = room.memory();
    var within = source.summaries(group, tier, needs, from - gap, to, memory);
    boolean more = group.stream().anyMatch(s -> source.newest(s.id()) >= to);
    var after = more ? source.summaries(group, tier, needs, to, to + gap, memory) : null;
    long read = bytes(within) + (after == null ? 0 : bytes(after));
    memory.take(read);
    var out =
        IntStream.range(0, group.size())
            .mapToObj(
                i -> {
                  var parts = new ArrayList<Summaries>();
                  var own = within.get(i);
                  if (range.far() && own.count > 0 && own.firstAt[0] >= from) {
                    var before = source.before(group.get(i), from - gap);
                    parts.add(
                        Summaries.of(before, Tier.MINUTE.pitch(), true, SampleSource.MIN_GAP));
                  }
                  parts.add(own);
                  if (after != null && after.get(i).count > 0) {
                    parts.add(after.get(i).firstSample());
                  }
                  return Summaries.join(parts);
                })
            .toList();
    memory.give(2 * read - bytes(out));
    return out;
  }

  private static long bytes(List<Summaries> parts) {
    return parts.stream().mapToLong(Summaries::bytes).sum();
  }
}
