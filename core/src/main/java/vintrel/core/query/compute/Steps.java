package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.function.DoubleUnaryOperator;
import java.util.function.Function;
import java.util.function.UnaryOperator;
import vintrel.core.chunk.Samples;
import vintrel.core.model.Band;
import vintrel.core.model.Outliers;
import vintrel.core.model.Trend;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.InputRange;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet.Gridded;
import vintrel.core.query.plan.SeriesSet.OfSeries;
import vintrel.core.query.plan.SeriesSet.Raw;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.MetricKind;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;
import vintrel.core.unit.Units;

/** Each step on series: what goes in, over which range an answer is wanted, what comes out. */
final class Steps {
  private final Request request;
  private final Observer observer;
  private final Runnable check;
  private final Room room;

  /**
   * @param check called for each series and now and then within one, from any thread; it may throw
   * @param room asked for what a step makes before it is made
   */
  Steps(Request request, Observer observer, Runnable check, Room room) {
    this.room = room;
    this.request = request;
    this.observer = observer;
    this.check = check;
  }

  /**
   * @param seen the range that the input covers, from {@link InputRange}
   * @param from inclusive: the result covers [from, to)
   * @param bridged whether what goes in are all samples of the series, so that growth over gaps
   *     between them is known
   */
  OfSeries apply(
      Step step, OfSeries in, InputRange.Range seen, long from, long to, boolean bridged) {
    return switch (step) {
      case Step.Bucketing o -> overTime(o, in, seen, from, to);
      case Step.Rate r -> {
        var grid = request.grid(from, to, r.every() > 0 ? r.every() : pitch(in));
        yield joined(
            in,
            seen,
            grid,
            row ->
                Bucketing.growth(in.samples(row), grid, gap(in, row), to, false)
                    .rate(r.perMillis()),
            unit -> Units.per(unit, r.perMillis()));
      }
      case Step.Increase inc -> {
        var grid = request.grid(from, to, inc.every() > 0 ? inc.every() : pitch(in));
        yield joined(
            in,
            seen,
            grid,
            row -> Bucketing.growth(in.samples(row), grid, gap(in, row), to, bridged).increase(),
            unit -> unit);
      }
      case Step.Change c -> {
        var grid = windowGrid(c.sliding(), c.millis(), in, from, to);
        yield joined(
            in,
            seen,
            grid,
            row ->
                ChangeFunctions.change(
                    in.samples(row), grid, c.sliding() ? c.millis() : 0, gap(in, row), to),
            unit -> unit);
      }
      case Step.Slope s -> {
        var grid = windowGrid(s.sliding(), s.millis(), in, from, to);
        yield onto(
            in,
            seen,
            grid,
            row ->
                ChangeFunctions.slope(
                    in.samples(row), grid, s.sliding() ? s.millis() : 0, s.perMillis(), check),
            unit -> Units.per(unit, s.perMillis()));
      }
      case Step.Across a ->
          AcrossSeries.reduce(gridded(in, from, to, a.span()), a.reducer(), a.grouping(), room);
      case Step.Pick p -> AcrossSeries.pick(gridded(in, from, to, p.span()), p);
      case Step.Share s -> AcrossSeries.share(same(gridded(in, from, to, s.span())));
      case Step.Quantile q ->
          AcrossSeries.quantile(gridded(in, from, to, q.span()), q, room, check);
      case Step.Value v -> values(in, x -> v.function().apply(x, v.a(), v.b()));
      case Step.KeepWhen k ->
          values(in, x -> k.operator().apply(x, k.value()) == 1 ? x : Double.NaN);
      case Step.Fill f ->
          // What was filled in on purpose stays after the series has ended.
          each(
              same(gridded(in, from, to, f.span())),
              r -> r.on(Bucketing.fill(r.values(), f)).origin(null));
      case Step.GapAfter g -> {
        var set = twice(gridded(in, seen, g.span()));
        yield set.map(r -> checked(r).on(ChangeFunctions.hold(r.values(), set.grid(), g.millis())))
            .crop(from, to)
            .present();
      }
      case Step.Cumulate c ->
          each(same(gridded(in, from, to, c.span())), r -> r.on(ChangeFunctions.total(r.values())));
      case Step.Smooth s -> {
        var set = twice(gridded(in, seen, s.span()));
        yield set.map(
                r ->
                    checked(r)
                        .on(ChangeFunctions.smooth(r.values(), set.grid(), s.millis(), check)))
            .crop(from, to)
            .present();
      }
      case Step.Age a -> {
        var grid = request.grid(from, to, pitch(in));
        yield joined(
            in,
            seen,
            grid,
            row ->
                ChangeFunctions.age(
                    in.samples(row),
                    grid,
                    to,
                    bridged ? Long.MAX_VALUE : Traits.ageReach(pitchOf(in))),
            unit -> "s");
      }
      case Step.Since s -> since(same(gridded(in, from, to, s.span())), to);
      case Step.Band b -> band(b, gridded(in, seen, b.span()), from, to);
      case Step.Forecast f -> forecast(f, gridded(in, from, to, f.span()));
      case Step.Outliers o -> {
        var set = twice(gridded(in, seen, o.span()));
        yield outliers(o, set, from, to);
      }
      case Step.Shift s -> throw new IllegalArgumentException("a shift");
      case Step.LabelAs l -> in.map(r -> r.name(LegendNames.fill(l.template(), r)));
      case Step.UnitIs u -> in.map(r -> r.unit(u.unit()));
      case Step.Off off -> in;
      case Step.OnTable t -> throw new IllegalArgumentException("a table step");
    };
  }

  /** A set, with room for one of the same size that is made of it. */
  private Gridded same(Gridded set) {
    room.series(set.rows().size(), set.grid().count(), 1);
    return set;
  }

  /** A set, with room for one of the same size that is made of it, and for the part that stays. */
  private Gridded twice(Gridded set) {
    room.series(set.rows().size(), set.grid().count(), 2);
    return set;
  }

  private Grid windowGrid(boolean sliding, long millis, OfSeries in, long from, long to) {
    return request.grid(from, to, sliding || millis == 0 ? pitch(in) : millis);
  }

  private Gridded overTime(
      Step.Bucketing o, OfSeries in, InputRange.Range seen, long from, long to) {
    var grid = request.grid(from, to, o.sliding() ? pitch(in) : o.millis());
    return onto(
        in,
        seen,
        grid,
        row -> {
          var s = in.samples(row);
          return o.sliding()
              ? Bucketing.sliding(s, grid, o.reducer(), o.millis(), check)
              : Bucketing.buckets(s, grid, o.reducer());
        },
        o.reducer()::unit);
  }

  /**
   * For steps that read buckets beyond the range: series that have no value within are left out.
   */
  private Gridded joined(
      OfSeries in,
      InputRange.Range seen,
      Grid grid,
      Function<Row, double[]> values,
      UnaryOperator<String> unit) {
    var out = onto(in, seen, grid, values, unit);
    return in instanceof Raw ? out : out.present();
  }

  private Gridded onto(
      OfSeries in,
      InputRange.Range seen,
      Grid grid,
      Function<Row, double[]> values,
      UnaryOperator<String> unit) {
    // Growth takes a second array while it is computed.
    room.series(in.rows().size(), grid.count(), 1);
    room.scratch(in);
    room.bytes((long) grid.count() * Double.BYTES * Math.min(in.rows().size(), Room.THREADS));
    return new Gridded(
        grid,
        rows(
            in,
            seen,
            r -> r.on(values.apply(r)).unit(unit.apply(r.unit())).kind(MetricKind.GAUGE)));
  }

  /** Series that have neither a value in the answer nor a sample in the range are left out. */
  private List<Row> rows(OfSeries in, InputRange.Range seen, UnaryOperator<Row> change) {
    return in.rows().parallelStream()
        .map(r -> in instanceof Raw ? present(r, seen, checked(r, change)) : checked(r, change))
        .filter(Objects::nonNull)
        .toList();
  }

  private static Row present(Row before, InputRange.Range seen, Row after) {
    int first = before.raw().indexOf(seen.from());
    boolean sampled = first < before.raw().count() && before.raw().times()[first] < seen.to();
    return sampled || !after.isMissing() ? after : null;
  }

  private static long gap(OfSeries in, Row row) {
    return SampleSource.gap(in instanceof Gridded g ? g.grid().pitch() : row.interval());
  }

  private OfSeries each(OfSeries in, UnaryOperator<Row> change) {
    return in.map(r -> checked(r, change));
  }

  private Row checked(Row row, UnaryOperator<Row> change) {
    return change.apply(checked(row));
  }

  private Row checked(Row row) {
    check.run();
    return row;
  }

  /** Values changed one by one, raw or not; the envelope does not survive. */
  private OfSeries values(OfSeries in, DoubleUnaryOperator f) {
    switch (in) {
      case Gridded g -> same(g);
      case Raw r -> room.values(r);
    }
    return each(
        in,
        r -> {
          if (in instanceof Gridded) {
            return r.on(each(r.values(), f));
          }
          var s = r.raw();
          var out = each(Arrays.copyOf(s.values(), s.count()), f);
          return r.with(new Samples(s.times(), out, s.count()));
        });
  }

  static double[] each(double[] in, DoubleUnaryOperator f) {
    var out = new double[in.length];
    for (int i = 0; i < out.length; i++) {
      out[i] = f.applyAsDouble(in[i]);
    }
    return out;
  }

  /** A time of seconds since the epoch (or ms, by the unit) → how long ago at each bucket's end. */
  private static Gridded since(Gridded in, long to) {
    var grid = in.grid();
    return in.map(
        r -> {
          double perSecond = r.unit().equals("ms") ? 1000 : 1;
          var out = new double[grid.count()];
          for (int i = 0; i < out.length; i++) {
            double now = Math.min(grid.end(i), to) / 1000.0;
            out[i] = now - r.values()[i] / perSecond;
          }
          return r.on(out).unit("s").kind(MetricKind.GAUGE);
        });
  }

  private Gridded band(Step.Band b, Gridded set, long from, long to) {
    int season = (int) Math.round((double) b.season() / set.grid().pitch());
    if (b.season() > 0 && season < 2) {
      throw new QueryException(
          "window",
          "the season (%s) must cover at least two buckets of %s. Shorten the range or set narrower"
                  .formatted(Durations.text(b.season()), Durations.text(set.grid().pitch()))
              + " buckets with `every`",
          0,
          0);
    }
    // Three rows, of which one has the others as its envelope, and the parts that stay.
    room.series(3L * set.rows().size(), set.grid().count(), 3);
    var out = new ArrayList<Row>();
    for (var row : set.rows()) {
      check.run();
      var bounds = Band.of(row.values(), season, b.width(), check);
      var labels = row.labels();
      out.add(
          row.on(bounds.expected(), bounds.lower(), bounds.upper())
              .labels(labels.with("band", "expected")));
      out.add(row.on(bounds.lower()).labels(labels.with("band", "lower")));
      out.add(row.on(bounds.upper()).labels(labels.with("band", "upper")));
    }
    return new Gridded(set.grid(), out).crop(from, to).present();
  }

  private Gridded forecast(Step.Forecast f, Gridded in) {
    int n = in.grid().count();
    int more = (int) Math.min(Grid.MAX, Math.ceilDiv(f.millis(), in.grid().pitch()));
    int season = (int) (Durations.DAY / in.grid().pitch());
    room.series(in.rows().size(), (long) n + more, 3);
    var out = new ArrayList<Row>();
    for (var row : in.rows()) {
      check.run();
      var trend = Trend.of(row.values(), season);
      if (trend != null) {
        var values = missing(n + more);
        var low = missing(n + more);
        var high = missing(n + more);
        for (int i = n; i < n + more; i++) {
          values[i] = trend.at(i);
          low[i] = trend.low(i);
          high[i] = trend.high(i);
        }
        out.add(row.on(values, low, high));
      }
    }
    return new Gridded(in.grid().longer(more), out);
  }

  private static double[] missing(int n) {
    var out = new double[n];
    Arrays.fill(out, Double.NaN);
    return out;
  }

  private Gridded outliers(Step.Outliers o, Gridded in, long from, long to) {
    var values = in.rows().stream().map(Row::values).toArray(double[][]::new);
    var kept = Outliers.of(values, o.limit(), check);
    var rows = new ArrayList<Row>();
    for (int i = 0; i < kept.length; i++) {
      rows.add(in.rows().get(i).on(kept[i]));
    }
    return new Gridded(in.grid(), rows).crop(from, to).present();
  }

  private Gridded gridded(OfSeries in, InputRange.Range range, SourceSpan span) {
    return gridded(in, range.from(), range.to(), span);
  }

  /** Puts raw series on the grid by their kind; what is on one stays. */
  Gridded gridded(OfSeries in, long from, long to, SourceSpan span) {
    if (in instanceof Gridded gridded) {
      return gridded;
    }
    var grid = request.grid(from, to, request.pitch());
    in.rows().stream()
        .filter(r -> TierReader.reducesToLast(r.kind()))
        .forEach(r -> observer.drawnRaw(r, span));
    room.series(in.rows().size(), grid.count(), 3);
    return new Gridded(
        grid,
        rows(
            in,
            new InputRange.Range(from, to),
            r ->
                TierReader.reducesToLast(r.kind())
                    ? r.on(Bucketing.buckets(r.raw(), grid, Reducer.LAST))
                    : Bucketing.envelope(r, r.raw(), grid)));
  }

  private long pitchOf(OfSeries in) {
    return in instanceof Gridded g ? g.grid().pitch() : request.pitch();
  }

  private long pitch(OfSeries in) {
    return Math.max(pitchOf(in), request.pitch());
  }
}
