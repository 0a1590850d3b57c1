package vintrel.core.query;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import vintrel.core.chunk.Samples;
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Spans;

/**
 * Answers queries from a source.
 *
 * <p>Evaluation goes down the tree with the range that each part must cover (wider below a sliding
 * window, earlier below a shift) and comes up with series sets. A source is read raw; the first
 * step that needs a grid puts it on one. Each line is evaluated once for each range it is asked
 * for.
 */
public final class Evaluator {
  private static final int GROUP = 256;

  private final SampleSource source;
  private final Limits limits;

  public Evaluator(SampleSource source, Limits limits) {
    this.source = source;
    this.limits = limits;
  }

  /**
   * The answers of all shown lines.
   *
   * @throws QueryException where a name is unknown, a limit is passed, or the query is cancelled
   */
  public Answer evaluate(Query query, Request request) {
    return new Run(query, request).all();
  }

  /**
   * The value of each series of a line at an instant: the newest bucket that ends at or before it
   * and is not older than three pitches or one minute.
   *
   * @param line a line's name; empty for the last line
   * @param pitch ms of the buckets, which are laid so that one ends at the instant
   */
  public List<Reading> readings(Query query, String line, long at, long pitch, long timeout) {
    long fresh = Math.max(3 * pitch, Spans.MINUTE);
    long deadline = System.nanoTime() + timeout * 1_000_000;
    var request =
        new Request(
            at - Math.max(fresh, 2 * longestPin(query)),
            at,
            pitch,
            at,
            "",
            Map.of(),
            () -> System.nanoTime() > deadline);
    var wanted = line.isEmpty() ? query.lines().getLast() : query.line(line);
    if (wanted == null) {
      throw new QueryException("name", "no line is called '" + line + "'", 0, 0);
    }
    var set = new Run(query, request).line(wanted, request.from(), request.to());
    var out = new ArrayList<Reading>();
    for (var row : set.rows()) {
      int i = set.grid().count() - 1;
      long oldest = at - Math.max(fresh, set.grid().pitch());
      while (i >= 0 && Double.isNaN(row.values()[i]) && set.grid().time(i) >= oldest) {
        i--;
      }
      boolean found = i >= 0 && !Double.isNaN(row.values()[i]);
      out.add(new Reading(row, found ? row.values()[i] : Double.NaN));
    }
    return out;
  }

  /** A series at an instant; NaN where it has no fresh value. */
  public record Reading(Row row, double value) {}

  private static long longestPin(Query query) {
    long[] longest = {0};
    for (var line : query.lines()) {
      visit(line.expr(), longest);
    }
    return longest[0];
  }

  private static void visit(Expr expr, long[] longest) {
    switch (expr) {
      case Expr.Binary b -> {
        visit(b.left(), longest);
        visit(b.right(), longest);
      }
      case Expr.Negative n -> visit(n.of(), longest);
      case Expr.Chain c -> {
        visit(c.input(), longest);
        for (var s : c.steps()) {
          longest[0] = Math.max(longest[0], pin(s));
        }
      }
      default -> {}
    }
  }

  static long pin(Step step) {
    return switch (step) {
      case Step.OverTime o -> o.millis();
      case Step.Rate r -> r.every();
      case Step.Increase i -> i.every();
      default -> 0;
    };
  }

  private final class Run implements TierAnswers.Reading {
    final Query query;
    final Request request;
    final Advisor advisor;
    final TierAnswers tiered;
    final Map<String, SeriesSet> lines = new HashMap<>();
    final List<String> open = new ArrayList<>();
    final long started = System.nanoTime();
    final TreeSet<String> tiers = new TreeSet<>();
    int seriesRead;
    long samplesRead;

    Run(Query query, Request request) {
      this.query = query;
      this.request = request;
      this.advisor = new Advisor(query.source().text());
      this.tiered = new TierAnswers(source, request, advisor, this);
    }

    Answer all() {
      var out = new ArrayList<Answer.LineAnswer>();
      for (var line : query.lines()) {
        if (!line.hidden()) {
          out.add(new Answer.LineAnswer(line.name(), line(line, request.from(), request.to())));
        }
      }
      double millis = (System.nanoTime() - started) / 1e6;
      return new Answer(
          out,
          advisor.advice(),
          new Answer.Stats(seriesRead, samplesRead, millis, String.join(", ", tiers)));
    }

    SeriesSet line(Query.Line line, long from, long to) {
      var key = line.name() + "\n" + from + "\n" + to;
      var known = lines.get(key);
      if (known != null) {
        return known;
      }
      if (open.contains(line.name())) {
        throw new QueryException(
            "cycle", "the lines " + String.join(" → ", open) + " go round in a circle", 0, 0);
      }
      open.add(line.name());
      var set = onGrid(line.expr(), from, to);
      open.removeLast();
      lines.put(key, set);
      return set;
    }

    SeriesSet eval(Expr expr, long from, long to) {
      return switch (expr) {
        case Expr.Number n -> {
          var grid = grid(from, to, request.pitch());
          var row =
              Row.raw(
                  "",
                  vintrel.core.series.Labels.NONE,
                  vintrel.core.series.MetricKind.GAUGE,
                  "",
                  null);
          yield new SeriesSet(
              grid, List.of(row.on(AcrossSeries.constant(grid.count(), n.value()))), true);
        }
        case Expr.Negative n -> {
          var set = onGrid(n.of(), from, to);
          yield set.map(r -> r.on(apply(r.values(), v -> -v)));
        }
        case Expr.Source s ->
            query.line(s.name()) != null ? reference(s, from, to) : raw(s, from, to);
        case Expr.Chain c -> chain(c, from, to);
        case Expr.Binary b -> {
          var left = onGrid(b.left(), from, to);
          var right = onGrid(b.right(), from, to);
          var outcome = Pairing.apply(b, left, right);
          advisor.paired(b, outcome);
          yield outcome.set();
        }
      };
    }

    private SeriesSet reference(Expr.Source s, long from, long to) {
      var set = line(query.line(s.name()), from, to);
      return set.scalar()
          ? set
          : set
              .map(r -> s.where().bind(request.controls()::get).test(r.labels()) ? r : null)
              .rows()
              .stream()
              .filter(r -> r != null)
              .collect(
                  java.util.stream.Collectors.collectingAndThen(
                      java.util.stream.Collectors.toList(),
                      rows -> new SeriesSet(set.grid(), rows)));
    }

    /** A part of the query on the grid; a metric comes from a tier where one answers. */
    private SeriesSet onGrid(Expr expr, long from, long to) {
      var lifted = isMetric(expr) ? tiered.source((Expr.Source) expr, from, to) : null;
      if (lifted != null) {
        return lifted;
      }
      return gridded(eval(expr, from, to), from, to, expr.span());
    }

    private boolean isMetric(Expr expr) {
      return expr instanceof Expr.Source s && query.line(s.name()) == null;
    }

    @Override
    public List<Series> select(Expr.Source s) {
      var store = s.store().isEmpty() ? request.store() : s.store();
      if (!source.hasMetric(store, s.name())) {
        var near = Vocabulary.nearest(s.name(), source.metricNames(store));
        throw QueryException.at(
            "name",
            "no metric `"
                + s.name()
                + "`"
                + (store.isEmpty() ? "" : " in the store `" + store + "`")
                + (near == null ? "" : "; did you mean `" + near + "`?"),
            query.source().text(),
            s.span().start());
      }
      var where = s.where().bind(request.controls()::get);
      var found = source.select(store, s.name(), where);
      if (found.isEmpty()) {
        advisor.nothingMatches(s, where);
      }
      return found;
    }

    @Override
    public void countSeries(int n) {
      seriesRead += n;
      if (seriesRead > limits.series()) {
        throw new QueryException(
            "limit.series",
            "the query reads "
                + seriesRead
                + " series, more than the limit of "
                + limits.series()
                + "; narrow it with where",
            0,
            0);
      }
    }

    @Override
    public void countSamples(long samples, String tier) {
      tiers.add(tier);
      samplesRead += samples;
      if (samplesRead > limits.samples()) {
        throw new QueryException(
            "limit.samples",
            "the query reads more than "
                + limits.samples()
                + " samples; shorten the range or narrow it with where",
            0,
            0);
      }
    }

    private SeriesSet raw(Expr.Source s, long from, long to) {
      var found = select(s);
      countSeries(found.size());
      if (found.stream().anyMatch(x -> source.rawSince(x) > from + Spans.HOUR)) {
        advisor.rawDropped(s);
      }
      var rows = new ArrayList<Row>(found.size());
      for (int at = 0; at < found.size(); at += GROUP) {
        checkTime();
        var group = found.subList(at, Math.min(at + GROUP, found.size()));
        var samples = source.read(group, from, to);
        countSamples(samples.stream().mapToLong(Samples::count).sum(), "raw");
        for (int i = 0; i < group.size(); i++) {
          if (!samples.get(i).isEmpty()) {
            rows.add(Row.of(group.get(i)).with(samples.get(i)));
          }
        }
      }
      return new SeriesSet(null, rows);
    }

    @Override
    public void checkTime() {
      if (request.cancelled().getAsBoolean()) {
        throw new QueryException("cancelled", "the query was cancelled", 0, 0);
      }
      if (System.nanoTime() - started > limits.millis() * 1_000_000) {
        throw new QueryException(
            "limit.time",
            "the query took longer than "
                + Spans.words(limits.millis())
                + "; shorten the range or narrow it with where",
            0,
            0);
      }
    }

    private SeriesSet chain(Expr.Chain c, long from, long to) {
      int n = c.steps().size();
      var starts = new long[n + 1];
      var ends = new long[n + 1];
      starts[n] = from;
      ends[n] = to;
      for (int i = n - 1; i >= 0; i--) {
        starts[i] = starts[i + 1];
        ends[i] = ends[i + 1];
        switch (c.steps().get(i)) {
          case Step.OverTime o when o.sliding() -> starts[i] -= o.millis();
          case Step.OverTime o ->
              starts[i] -= Math.floorMod(starts[i] - request.origin(), o.millis());
          case Step.Rate r -> starts[i] -= lookBack(r.every());
          case Step.Increase inc -> starts[i] -= lookBack(inc.every());
          case Step.Shift s -> {
            starts[i] -= s.millis();
            ends[i] -= s.millis();
          }
          default -> {}
        }
      }
      var lifted = isMetric(c.input()) ? tiered.chain(c, starts, ends) : null;
      var set = lifted == null ? eval(c.input(), starts[0], ends[0]) : lifted.set();
      if (lifted != null) {
        for (int i = 0; i < lifted.passed(); i++) {
          set = step(c.steps().get(i), set, starts[i + 1], ends[i + 1], c, i);
        }
      }
      for (int i = lifted == null ? 0 : lifted.next(); i < n; i++) {
        checkTime();
        set = step(c.steps().get(i), set, starts[i + 1], ends[i + 1], c, i);
      }
      return set;
    }

    private long lookBack(long every) {
      return Math.max(5 * Spans.MINUTE, 2 * Math.max(request.pitch(), every));
    }

    private SeriesSet step(Step step, SeriesSet in, long from, long to, Expr.Chain chain, int at) {
      advisor.before(step, in, chain, at, request.pitch());
      return switch (step) {
        case Step.OverTime o -> overTime(o, in, from, to);
        case Step.Rate r -> {
          var grid = grid(from, to, r.every() > 0 ? r.every() : pitch(in));
          yield onGrid(
              in,
              grid,
              row -> OverTime.rate(OverTime.samples(in, row), grid, r.perMillis()),
              unit -> vintrel.core.unit.Units.per(unit, r.perMillis()));
        }
        case Step.Increase inc -> {
          var grid = grid(from, to, inc.every() > 0 ? inc.every() : pitch(in));
          yield onGrid(
              in, grid, row -> OverTime.increase(OverTime.samples(in, row), grid), unit -> unit);
        }
        case Step.Across a ->
            AcrossSeries.reduce(gridded(in, from, to, a.span()), a.reducer(), a.grouping());
        case Step.Pick p -> AcrossSeries.pick(gridded(in, from, to, p.span()), p);
        case Step.Share s -> AcrossSeries.share(gridded(in, from, to, s.span()));
        case Step.Quantile q -> AcrossSeries.quantile(gridded(in, from, to, q.span()), q);
        case Step.Value v -> values(in, x -> v.function().apply(x, v.a(), v.b()));
        case Step.KeepWhen k ->
            values(in, x -> k.operator().apply(x, k.value()) == 1 ? x : Double.NaN);
        case Step.Fill f ->
            gridded(in, from, to, f.span()).map(r -> r.on(OverTime.fill(r.values(), f)));
        case Step.Shift s -> shifted(in, s.millis());
        case Step.LabelAs l -> in.map(r -> r.name(Names.fill(l.template(), r)));
        case Step.UnitIs u -> in.map(r -> r.unit(u.unit()));
      };
    }

    private SeriesSet overTime(Step.OverTime o, SeriesSet in, long from, long to) {
      var grid = grid(from, to, o.sliding() ? pitch(in) : o.millis());
      if (!o.sliding() && o.reducer().equals(Reducer.MEAN) && in.raw()) {
        return new SeriesSet(
            grid,
            in.rows().parallelStream().map(r -> OverTime.envelope(r, r.raw(), grid)).toList());
      }
      return onGrid(
          in,
          grid,
          row -> {
            var s = OverTime.samples(in, row);
            return o.sliding()
                ? OverTime.sliding(s, grid, o.reducer(), o.millis())
                : OverTime.buckets(s, grid, o.reducer());
          },
          o.reducer()::unit);
    }

    private SeriesSet onGrid(
        SeriesSet in,
        Grid grid,
        java.util.function.Function<Row, double[]> values,
        java.util.function.UnaryOperator<String> unit) {
      return new SeriesSet(
          grid,
          in.rows().stream()
              .map(
                  r ->
                      r.on(values.apply(r))
                          .unit(unit.apply(r.unit()))
                          .kind(vintrel.core.series.MetricKind.GAUGE))
              .toList());
    }

    /** Values changed one by one, raw or not; the envelope does not survive. */
    private SeriesSet values(SeriesSet in, java.util.function.DoubleUnaryOperator f) {
      return in.map(
          r -> {
            if (!in.raw()) {
              return r.on(apply(r.values(), f));
            }
            var s = r.raw();
            var out = new double[s.count()];
            for (int i = 0; i < out.length; i++) {
              out[i] = f.applyAsDouble(s.values()[i]);
            }
            return r.with(new Samples(s.times(), out, s.count()));
          });
    }

    private double[] apply(double[] in, java.util.function.DoubleUnaryOperator f) {
      var out = new double[in.length];
      for (int i = 0; i < out.length; i++) {
        out[i] = f.applyAsDouble(in[i]);
      }
      return out;
    }

    private SeriesSet shifted(SeriesSet in, long millis) {
      if (!in.raw()) {
        return new SeriesSet(in.grid().shifted(millis), in.rows(), in.scalar());
      }
      return in.map(
          r -> {
            var times = new long[r.raw().count()];
            for (int i = 0; i < times.length; i++) {
              times[i] = r.raw().times()[i] + millis;
            }
            return r.with(new Samples(times, r.raw().values(), times.length));
          });
    }

    /** Puts raw series on the grid by their kind, and a grid of another place on this one. */
    private SeriesSet gridded(SeriesSet in, long from, long to, Span span) {
      if (!in.raw()) {
        return in;
      }
      var grid = grid(from, to, request.pitch());
      return new SeriesSet(
          grid,
          in.rows().stream()
              .map(
                  r -> {
                    if (TierAnswers.lasting(r.kind())) {
                      advisor.drawnRaw(r, span);
                      return r.on(OverTime.buckets(r.raw(), grid, Reducer.LAST));
                    }
                    return OverTime.envelope(r, r.raw(), grid);
                  })
              .toList());
    }

    private long pitch(SeriesSet in) {
      return in.raw() ? request.pitch() : Math.max(in.grid().pitch(), request.pitch());
    }

    private Grid grid(long from, long to, long pitch) {
      return Grid.covering(from, to, pitch, request.origin());
    }
  }
}
