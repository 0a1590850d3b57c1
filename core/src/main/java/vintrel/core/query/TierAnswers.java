package vintrel.core.query;

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
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/**
 * Answers the first steps on a metric from a tier, where that gives what the raw samples would: the
 * step that first needs a grid must be one that summaries answer, on a grid whose buckets (or
 * windows) are filled by whole buckets of the tier. Where no tier fits, long windows are answered
 * from the summaries of the chunks that lie within them; only those at their ends are decoded.
 */
final class TierAnswers {
  private static final int GROUP = 256;
  private static final int ASKED_FOR_INTERVAL = 20;

  /** Shorter windows hold no whole chunk as a rule; ms. */
  private static final long MIN_PIECED = Durations.HOUR;

  /** Fewer buckets than this are as quickly read again. */
  private static final int MIN_REUSED = 10;

  /** The run of a query that this works for. */
  interface Reading {
    List<Series> select(Expr.Source s);

    /** Work whose time counts as planning; not within another. */
    <T> T planned(Supplier<T> work);

    void countSeries(int n);

    void countSamples(long n, String tier);

    void checkTime();
  }

  /**
   * @param passed so many steps before are still to be done on the set
   * @param next the first step that is not answered yet
   */
  record Lifted(SeriesSet set, int passed, int next) {}

  /** What each series' summaries become. */
  private interface Summing {
    Row row(Series series, Summaries summaries, Grid grid);
  }

  private final SampleSource source;
  private final Request request;
  private final Advisor advisor;
  private final Reading reading;
  private final BucketCache remembered;

  TierAnswers(
      SampleSource source,
      BucketCache remembered,
      Request request,
      Advisor advisor,
      Reading reading) {
    this.remembered = remembered;
    this.source = source;
    this.request = request;
    this.advisor = advisor;
    this.reading = reading;
  }

  /** The coarsest tier whose buckets fill a grid's buckets exactly, or null. */
  private Tier fitting(Grid grid) {
    var tier = Tier.fitting(grid.pitch(), request.origin());
    while (tier != null && !grid.at(tier.pitch())) {
      tier = tier.finer();
    }
    return tier;
  }

  /** Whether a kind is drawn by its last value rather than by a mean. */
  static boolean lasting(MetricKind kind) {
    return kind.cumulative() || kind == MetricKind.STATE;
  }

  /** A metric on the request's grid, by its kind; null where only raw samples do. */
  SeriesSet source(Expr.Source s, long from, long to) {
    var grid = request.grid(from, to, request.pitch());
    var tier = fitting(grid);
    return tier == null ? null : byKind(s, tier, from, to, grid);
  }

  /**
   * The first steps of a chain on a metric; null where only raw samples do.
   *
   * @param ranges what each step must cover: entry i is what goes into step i
   */
  Lifted chain(Expr.Chain c, InputRange.Range[] ranges) {
    var s = (Expr.Source) c.input();
    int n = c.steps().size();
    int k = 0;
    long shift = 0;
    while (k < n && passive(c.steps().get(k))) {
      if (c.steps().get(k) instanceof Step.Shift by) {
        var out = ranges[k + 1];
        if (ClockShift.pieces(out.from(), out.to(), by.millis(), request.zone()).size() != 1) {
          return null;
        }
        shift += out.from() - ranges[k].from();
      }
      k++;
    }
    var step = k < n ? c.steps().get(k) : null;
    boolean grids =
        step instanceof Step.Bucketing
            || step instanceof Step.Rate
            || step instanceof Step.Increase;
    if (needsSamples(step)) {
      return null;
    }
    boolean slides = step instanceof Step.Bucketing o && o.sliding();
    long pinned = step == null || slides ? 0 : FixedWidths.of(step);
    long pitch = pinned > 0 ? pinned : request.pitch();
    int after = grids ? k + 1 : k;
    var grid = request.grid(ranges[after].from() - shift, ranges[after].to() - shift, pitch);
    if (shift % pitch != 0 || shift != 0 && grid.edges() != null) {
      return null;
    }
    var tier = fitting(grid);
    if (tier != null && slides) {
      tier = Tier.fitting(tier.pitch(), FixedWidths.of(step));
    }
    if (tier != null && shift % tier.pitch() != 0) {
      return null;
    }
    if (!grids) {
      var drawn = tier == null ? null : byKind(s, tier, ranges[0].from(), ranges[0].to(), grid);
      return drawn == null ? null : new Lifted(drawn, k, k);
    }
    var range = ranges[0];
    var next = k + 1 < n ? c.steps().get(k + 1) : null;
    boolean pieced = step instanceof Step.Bucketing o && inPieces(o, pitch);
    if (tier == null && !pieced) {
      return null;
    }
    var found = reading.select(s);
    var set = tier == null ? null : summed(found, tier, step, next, range, grid);
    if (set == null && pieced) {
      if (found.stream().anyMatch(x -> source.rawSince(x) > range.from() + Durations.HOUR)) {
        advisor.rawDropped(s);
      }
      set = pieces(found, (Step.Bucketing) step, next, range, grid);
    }
    return set == null ? null : new Lifted(set, k, k + 1);
  }

  /** A step answered by a tier, or null. */
  private SeriesSet summed(
      List<Series> found, Tier tier, Step step, Step next, InputRange.Range range, Grid grid) {
    boolean cumulative = !found.isEmpty() && found.getFirst().kind().cumulative();
    if (found.stream().anyMatch(x -> x.kind().cumulative() != cumulative)) {
      return null;
    }
    var needs = needs(step, cumulative, next);
    if (needs == null
        || needs.contains(Need.SKETCH) && !sketches(found, tier, range.from(), step)
        || needs.contains(Need.GROWTH) && sparse(found, range.from())) {
      return null;
    }
    if (step instanceof Step.Bucketing o) {
      advisor.window(o, slowest(found));
    }
    return read(
        found,
        tier,
        needs,
        range,
        grid,
        Printer.print(step) + needs,
        (series, parts, on) -> row(step, series, parts, on, needs, range.to()));
  }

  /** Whether only raw samples say which of them are joined; where they are gone, tiers must do. */
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
  private SeriesSet pieces(
      List<Series> found, Step.Bucketing o, Step next, InputRange.Range range, Grid grid) {
    reading.countSeries(found.size());
    advisor.window(o, slowest(found));
    var edges = edges(grid, o.sliding() ? o.millis() : 0);
    var rows = new ArrayList<Row>(found.size());
    for (int at = 0; at < found.size(); at += GROUP) {
      reading.checkTime();
      var group = found.subList(at, Math.min(at + GROUP, found.size()));
      var parts = source.pieces(group, edges, range.from(), range.to());
      reading.countSamples(parts.stream().mapToLong(p -> p.count).sum(), "summaries");
      var needs = needs(o, false, next);
      IntStream.range(0, group.size())
          .parallel()
          .filter(i -> parts.get(i).count > 0)
          .mapToObj(i -> windows(o, group.get(i), parts.get(i), grid, needs))
          .forEachOrdered(rows::add);
    }
    return new SeriesSet(grid, rows);
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

  /** Percentiles are exact from raw samples; sketches serve where those are gone. */
  private boolean sketches(List<Series> found, Tier tier, long from, Step step) {
    if (tier != Tier.HOUR || found.stream().noneMatch(s -> source.rawSince(s) > from)) {
      return false;
    }
    advisor.sketched(step);
    return true;
  }

  /** Steps that look at each sample before a grid is laid. */
  private static boolean needsSamples(Step step) {
    return step instanceof Step.Value
        || step instanceof Step.KeepWhen
        || step instanceof Step.Change
        || step instanceof Step.Slope
        || step instanceof Step.Age
        || step instanceof Step.OnTable;
  }

  private static boolean passive(Step step) {
    return step instanceof Step.Shift
        || step instanceof Step.LabelAs
        || step instanceof Step.UnitIs
        || step instanceof Step.Off;
  }

  private static Set<Need> needs(Step step, boolean cumulative, Step next) {
    if (step instanceof Step.Bucketing o) {
      var needs = SummaryBuckets.needs(o.reducer(), cumulative);
      if (needs == null || o.sliding()) {
        return needs == null || needs.contains(Need.SKETCH) ? null : needs;
      }
      if (o.reducer().equals(Reducer.MEAN) && !(next instanceof Step.Across)) {
        needs.add(Need.RANGE);
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
    if (o.reducer().equals(Reducer.MEAN) && !o.sliding()) {
      return needs.contains(Need.RANGE)
          ? SummaryBuckets.envelope(row, parts, grid)
          : row.on(SummaryBuckets.buckets(parts, grid, o.reducer()));
    }
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

  private SeriesSet byKind(Expr.Source s, Tier tier, long from, long to, Grid grid) {
    var found = reading.select(s);
    var last = found.stream().filter(x -> lasting(x.kind())).toList();
    var other = found.stream().filter(x -> !lasting(x.kind())).toList();
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
    drawn.rows().forEach(r -> advisor.drawnRaw(r, s.span()));
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
    return new SeriesSet(grid, all);
  }

  private SeriesSet read(
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
    boolean kept = grid.edges() == null && request.origin() == 0 && request.moved() == 0 && counted;
    var ids = found.stream().map(Series::id).toList();
    long phase = Math.floorMod(grid.start(), grid.pitch());
    var key = new BucketCache.Key(tier.code() + what, grid.pitch(), phase, source.drops(), ids);
    var known = kept ? remembered.get(key) : null;
    int[] reuse = known == null ? new int[2] : reusable(known, found, writes, gaps, range, grid);
    Row[] rows;
    if (reuse[1] - reuse[0] < MIN_REUSED) {
      rows = fresh(found, tier, needs, range, grid, summing);
    } else {
      int a = reuse[0];
      int b = reuse[1];
      long lookBack = Math.max(0, grid.time(0) - range.from());
      var head =
          a == 0
              ? new Row[n]
              : fresh(
                  found,
                  tier,
                  needs,
                  range.between(range.from(), grid.time(a)),
                  grid.part(0, a),
                  summing);
      var tail =
          b == grid.count()
              ? new Row[n]
              : fresh(
                  found,
                  tier,
                  needs,
                  range.between(grid.time(b) - lookBack, range.to()),
                  grid.part(b, grid.count()),
                  summing);
      rows = new Row[n];
      int shift = (int) known.grid().bucket(grid.time(a)) - a;
      for (int i = 0; i < n; i++) {
        var row = joined(grid.count(), a, b, shift, head[i], known.rows()[i], tail[i]);
        rows[i] = present(found.get(i), row, tier, needs, range);
      }
    }
    if (kept) {
      var entry = new BucketCache.Entry(grid, rows, writes, newest, gaps, range.from(), range.to());
      remembered.put(key, entry);
    }
    return new SeriesSet(grid, Arrays.stream(rows).filter(java.util.Objects::nonNull).toList());
  }

  /**
   * The buckets [a, b) of a grid that are known, whole then and now, and closed: no sample taken
   * since can have changed them. A sample that is newer than all before changes nothing before the
   * newest of then, since growth up to it starts there; a late one, nothing that ended longer
   * before than it may be late and be joined.
   *
   * @param gaps how far apart each series' samples may be to be joined; null if it does not matter
   */
  private int[] reusable(
      BucketCache.Entry known,
      List<Series> found,
      long[] writes,
      long[] gaps,
      InputRange.Range range,
      Grid grid) {
    if (!Arrays.equals(gaps, known.gaps())) {
      return new int[2];
    }
    long closed = Math.min(known.to(), range.to());
    for (int i = 0; i < writes.length; i++) {
      if (writes[i] != known.writes()[i]) {
        long newest = known.newest()[i];
        boolean ordered = source.lateWrite(found.get(i).id()) <= known.writes()[i];
        long reach = ordered ? 0 : source.late() + (gaps == null ? 0 : gaps[i]);
        closed = Math.min(closed, newest == Long.MIN_VALUE ? newest : newest - reach);
      }
    }
    long open = Math.max(known.from(), range.from());
    long a = grid.bucket(known.grid().start());
    a = Math.max(a, open <= grid.time(0) ? 0 : grid.bucket(open - 1) + 1);
    long b = Math.min(grid.count(), grid.bucket(Math.min(closed, known.grid().end())));
    return a < b ? new int[] {(int) a, (int) b} : new int[2];
  }

  private static Row joined(int count, int a, int b, int shift, Row head, Row known, Row tail) {
    var some = head != null ? head : known != null ? known : tail;
    if (some == null) {
      return null;
    }
    boolean wide = wide(head) || wide(known) || wide(tail);
    var values = new double[count];
    var low = wide ? new double[count] : null;
    var high = wide ? new double[count] : null;
    copy(head, 0, 0, a, values, low, high);
    copy(known, a + shift, a, b, values, low, high);
    copy(tail, 0, b, count, values, low, high);
    return some.on(values, low, high);
  }

  private static boolean wide(Row row) {
    return row != null && row.low() != null;
  }

  private static void copy(
      Row from, int at, int a, int b, double[] values, double[] low, double[] high) {
    for (int i = a; i < b; i++) {
      double v = from == null ? Double.NaN : from.values()[at + i - a];
      values[i] = v;
      if (low != null) {
        low[i] = wide(from) ? from.low()[at + i - a] : v;
        high[i] = wide(from) ? from.high()[at + i - a] : v;
      }
    }
  }

  /** Rows in the order of the series, null where one has nothing. */
  private Row[] fresh(
      List<Series> found,
      Tier tier,
      Set<Need> needs,
      InputRange.Range range,
      Grid grid,
      Summing summing) {
    var rows = new Row[found.size()];
    for (int at = 0; at < found.size(); at += GROUP) {
      reading.checkTime();
      int first = at;
      var group = found.subList(at, Math.min(at + GROUP, found.size()));
      var parts =
          range.joined()
              ? joinedSummaries(group, tier, needs, range)
              : source.summaries(group, tier, needs, range.from(), range.to());
      reading.countSamples(parts.stream().mapToLong(p -> p.count).sum(), tier.text());
      IntStream.range(0, group.size())
          .parallel()
          .filter(i -> parts.get(i).count > 0)
          .forEach(
              i -> {
                var row = summing.row(group.get(i), parts.get(i), grid);
                rows[first + i] = present(group.get(i), row, tier, needs, range);
              });
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
    var within = source.summaries(group, tier, needs, from - gap, to);
    boolean more = group.stream().anyMatch(s -> source.newest(s.id()) >= to);
    var after = more ? source.summaries(group, tier, needs, to, to + gap) : null;
    return IntStream.range(0, group.size())
        .mapToObj(
            i -> {
              var parts = new ArrayList<Summaries>();
              var own = within.get(i);
              if (range.far() && own.count > 0 && own.firstAt[0] >= from) {
                var before = source.before(group.get(i), from - gap);
                parts.add(Summaries.of(before, Tier.MINUTE.pitch(), true, SampleSource.MIN_GAP));
              }
              parts.add(own);
              if (after != null && after.get(i).count > 0) {
                parts.add(after.get(i).firstSample());
              }
              return Summaries.join(parts);
            })
        .toList();
  }
}
