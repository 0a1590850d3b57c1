package vintrel.core.query;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import java.util.stream.IntStream;
import vintrel.core.chunk.Summaries;
import vintrel.core.chunk.Summaries.Need;
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.store.Tier;
import vintrel.core.unit.Units;

/**
 * Answers the first steps on a metric from a tier, where that gives what the raw samples would: the
 * step that first needs a grid must be one that summaries answer, on a grid whose buckets are
 * filled by whole buckets of the tier.
 */
final class TierAnswers {
  private static final int GROUP = 256;
  private static final int ASKED_FOR_INTERVAL = 20;

  /** The run of a query that this works for. */
  interface Reading {
    List<Series> select(Expr.Source s);

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
    Row row(Series series, Summaries summaries);
  }

  private final SampleSource source;
  private final Request request;
  private final Advisor advisor;
  private final Reading reading;

  TierAnswers(SampleSource source, Request request, Advisor advisor, Reading reading) {
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
   * @param starts what each step must cover, from: entry i is what goes into step i
   * @param ends the same, to
   */
  Lifted chain(Expr.Chain c, long[] starts, long[] ends) {
    var s = (Expr.Source) c.input();
    int n = c.steps().size();
    int k = 0;
    long shift = 0;
    while (k < n && passive(c.steps().get(k))) {
      shift += c.steps().get(k) instanceof Step.Shift by ? by.millis() : 0;
      k++;
    }
    var step = k < n ? c.steps().get(k) : null;
    boolean grids =
        step instanceof Step.OverTime || step instanceof Step.Rate || step instanceof Step.Increase;
    if (needsSamples(step)) {
      return null;
    }
    long pinned = step == null ? 0 : Run.pin(step);
    long pitch = pinned > 0 ? pinned : request.pitch();
    int after = grids ? k + 1 : k;
    var grid = request.grid(starts[after] - shift, ends[after] - shift, pitch);
    var tier = fitting(grid);
    if (tier == null || shift % tier.pitch() != 0 || shift % pitch != 0) {
      return null;
    }
    if (!grids) {
      return new Lifted(byKind(s, tier, starts[0], ends[0], grid), k, k);
    }
    var found = reading.select(s);
    boolean cumulative = !found.isEmpty() && found.getFirst().kind().cumulative();
    if (found.stream().anyMatch(x -> x.kind().cumulative() != cumulative)) {
      return null;
    }
    var needs = needs(step, cumulative, k + 1 < n ? c.steps().get(k + 1) : null);
    if (needs == null || needs.contains(Need.SKETCH) && !sketches(found, tier, starts[0], step)) {
      return null;
    }
    if (step instanceof Step.OverTime o) {
      advisor.window(o, slowest(found, starts[0], ends[0]));
    }
    var set =
        read(
            found,
            tier,
            needs,
            starts[0],
            ends[0],
            grid,
            (series, parts) -> row(step, series, parts, grid, needs, starts[0], ends[0]));
    return new Lifted(set, k, k + 1);
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
    if (step instanceof Step.OverTime o) {
      var needs = o.sliding() ? null : SummaryBuckets.needs(o.reducer(), cumulative);
      if (needs != null && o.reducer().equals(Reducer.MEAN) && !(next instanceof Step.Across)) {
        needs.add(Need.RANGE);
      }
      return needs;
    }
    return cumulative ? EnumSet.of(Need.GROWTH) : null;
  }

  private Row row(
      Step step, Series series, Summaries parts, Grid grid, Set<Need> needs, long from, long to) {
    var row = Row.of(series);
    if (step instanceof Step.OverTime o) {
      if (o.reducer().equals(Reducer.MEAN)) {
        return needs.contains(Need.RANGE)
            ? SummaryBuckets.envelope(row, parts, grid)
            : row.on(SummaryBuckets.buckets(parts, grid, o.reducer()));
      }
      return row.on(SummaryBuckets.buckets(parts, grid, o.reducer()))
          .unit(o.reducer().unit(row.unit()))
          .kind(MetricKind.GAUGE);
    }
    long gap = SampleSource.gap(source.interval(series, from, to));
    var grown =
        step instanceof Step.Rate r
            ? row.on(SummaryBuckets.rate(parts, grid, r.perMillis(), gap))
                .unit(Units.per(row.unit(), r.perMillis()))
            : row.on(SummaryBuckets.increase(parts, grid, gap));
    return grown.kind(MetricKind.GAUGE);
  }

  private long slowest(List<Series> found, long from, long to) {
    return found.stream()
        .limit(ASKED_FOR_INTERVAL)
        .mapToLong(s -> source.interval(s, from, to))
        .max()
        .orElse(0);
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
            from,
            to,
            grid,
            (x, parts) -> Row.of(x).on(SummaryBuckets.buckets(parts, grid, Reducer.LAST)));
    drawn.rows().forEach(r -> advisor.drawnRaw(r, s.span()));
    var means =
        read(
            other,
            tier,
            EnumSet.of(Need.SUM, Need.RANGE),
            from,
            to,
            grid,
            (x, parts) -> SummaryBuckets.envelope(Row.of(x), parts, grid));
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
      long from,
      long to,
      Grid grid,
      Summing summing) {
    reading.countSeries(found.size());
    var rows = new ArrayList<Row>(found.size());
    for (int at = 0; at < found.size(); at += GROUP) {
      reading.checkTime();
      var group = found.subList(at, Math.min(at + GROUP, found.size()));
      var parts = source.summaries(group, tier, needs, from, to);
      reading.countSamples(parts.stream().mapToLong(p -> p.count).sum(), tier.text());
      rows.addAll(
          IntStream.range(0, group.size())
              .parallel()
              .filter(i -> parts.get(i).count > 0)
              .mapToObj(i -> summing.row(group.get(i), parts.get(i)))
              .toList());
    }
    return new SeriesSet(grid, rows);
  }
}
