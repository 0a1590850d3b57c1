package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.FrameException;
import vintrel.core.query.plan.Allowance;
import vintrel.core.query.plan.BucketCache;
import vintrel.core.query.plan.ClockShift;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.InputRange;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Pitches;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Gridded;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;

/**
 * One query being answered: sources, lines, arithmetic; {@link Steps} do the rest. One thread.
 *
 * <p>Without remembered buckets it is plain: answered from raw samples alone.
 */
public final class QueryExecution {
  private final SampleSource source;
  private final ExternalSource outside;
  private final BucketCache remembered;
  private final Limits limits;
  private final Query query;
  private final Request request;
  private final Observer observer;
  private final QueryReader reads;
  private final TierReader tiered;
  private final boolean plain;
  private final Steps steps;
  private final TableSteps tables;
  private final Room room;
  private final Allowance allowance;
  private final Map<String, SeriesSet> lines = new HashMap<>();
  private final LabelNames names;
  private final Pitches pitches;
  private final List<String> open = new ArrayList<>();
  private final Map<Object, Answer.Trace> traces = new IdentityHashMap<>();

  /** Lines that use each other; so deep can a thread with a stack of 512 kB go. */
  private static final int MAX_DEPTH = 60;

  /** With fewer values it is not surprising that all pass a limit. */
  private static final int MIN_DOUBTED = 10;

  /** What is asked for is moved in time afterwards. */
  private boolean part;

  /** A line is read over another range than the request's, for a step of another line. */
  private boolean aside;

  public QueryExecution(
      SampleSource stored,
      ExternalSource outside,
      BucketCache remembered,
      Allowance allowance,
      Query query,
      Request request,
      Observer observer) {
    var source = new WideningBounds(stored, allowance.memory(), this::checkTime);
    this.allowance = allowance;
    this.limits = allowance.limits();
    this.room = new Room(allowance.memory(), limits);
    this.plain = remembered == null;
    this.source = source;
    this.outside = outside;
    this.remembered = remembered;
    this.query = query;
    this.request = request;
    this.names = new LabelNames(query);
    this.pitches = new Pitches(query, request.pitch());
    this.observer = observer;
    this.reads = new QueryReader(source, outside, allowance, room, query, request, observer);
    this.tiered = new TierReader(source, remembered, request, observer, reads, room);
    this.steps = new Steps(request, observer, reads::checkTime, room);
    this.tables = new TableSteps(request, limits, reads::checkTime, room);
  }

  private void checkTime() {
    reads.checkTime();
  }

  /**
   * @param also names of hidden lines that are answered too
   */
  public Answer all(Collection<String> also) {
    var shown = new ArrayList<Answer.LineAnswer>();
    var aside = new ArrayList<Answer.LineAnswer>();
    for (var line : query.lines()) {
      if (!line.hidden() || also.contains(line.name())) {
        var set = line(line, request.from(), request.to());
        (line.hidden() ? aside : shown).add(new Answer.LineAnswer(line.name(), set));
      }
    }
    return new Answer(shown, aside, observer.advice(), reads.stats(), traces);
  }

  /** The lines with what is known of their answering. */
  public Answer told(List<Answer.LineAnswer> out) {
    return new Answer(out, List.of(), observer.advice(), reads.stats(), traces);
  }

  /** Raw samples of series within [from, to). */
  public List<Samples> samples(List<Series> series, long from, long to) {
    return series.isEmpty() ? List.of() : source.read(series, from, to);
  }

  /**
   * Whether the last sample of each series within [from, to) is NaN, which says that it has no
   * value from there on.
   */
  public boolean[] ended(List<Series> series, long from, long to) {
    var out = new boolean[series.size()];
    var found = series.isEmpty() ? List.<Samples>of() : source.read(series, from, to);
    for (int i = 0; i < out.length; i++) {
      var s = found.get(i);
      out[i] = !s.isEmpty() && Double.isNaN(s.values()[s.count() - 1]);
    }
    return out;
  }

  public SeriesSet line(Query.Line line, long from, long to) {
    var key = line.name() + "\n" + from + "\n" + to;
    var known = lines.get(key);
    if (known != null) {
      return known;
    }
    if (open.contains(line.name())) {
      throw new QueryException(
          "cycle", "the lines refer to each other in a circle: " + String.join(" → ", open), 0, 0);
    }
    if (allowance.depth() + open.size() >= MAX_DEPTH) {
      throw new QueryException(
          "limit.depth", "lines use each other more than " + MAX_DEPTH + " deep", 0, 0);
    }
    reads.checkTime();
    open.add(line.name());
    boolean before = aside;
    aside = from != request.from() || to != request.to();
    var set = tableOrGrid(line.expr(), from, to);
    aside = before;
    open.removeLast();
    lines.put(key, set);
    return set;
  }

  private SeriesSet tableOrGrid(Expr expr, long from, long to) {
    return switch (evaluated(expr, from, to)) {
      case SeriesSet.Table t -> t;
      case SeriesSet.OfSeries s -> gridded(s, from, to, expr.span());
    };
  }

  /** On the grid; what that takes is counted. */
  private Gridded gridded(SeriesSet.OfSeries set, long from, long to, SourceSpan span) {
    long before = room.taken();
    var out = steps.gridded(set, from, to, span);
    if (out != set) {
      room.settle(before, out);
    }
    return out;
  }

  private SeriesSet eval(Expr expr, long from, long to) {
    return switch (expr) {
      case Expr.Number n -> number(n, from, to);
      case Expr.Negative n -> {
        var set = onGrid(n.of(), from, to);
        room.series(set.rows().size(), set.grid().count(), 1);
        yield set.map(r -> r.on(Steps.each(r.values(), v -> -v)));
      }
      case Expr.Source s -> {
        yield query.line(s.name()) != null
            ? reference(s, from, to)
            : metric(s, new InputRange.Range(from, to));
      }
      case Expr.Events e -> {
        var line = query.line(Parser.EVENTS);
        yield line != null && e.store().isEmpty()
            ? reference(new Expr.Source(line.name(), "", e.where(), e.span()), from, to)
            : traced(e, () -> reads.events(e, from, to));
      }
      case Expr.Sql s -> reads.asSeries(traced(s, () -> reads.sql(s, from, to)), from, to);
      case Expr.Chain c -> chain(c, from, to);
      case Expr.Binary b -> {
        var left = onGrid(b.left(), from, to);
        var right = onGrid(b.right(), from, to);
        yield traced(
            b,
            () -> {
              var outcome =
                  new Pairing(b, names, left, right, limits.values(), reads::checkTime, room)
                      .outcome();
              observer.paired(b, outcome, left, right);
              return outcome.set();
            });
      }
    };
  }

  private Gridded number(Expr.Number n, long from, long to) {
    var grid = request.grid(from, to, request.pitch());
    room.series(1, grid.count(), 1);
    var row = Row.raw("", Labels.NONE, MetricKind.GAUGE, "", null);
    return new Gridded(grid, List.of(row.on(AcrossSeries.constant(grid.count(), n.value()))), true);
  }

  private SeriesSet reference(Expr.Source s, long from, long to) {
    var set = line(query.line(s.name()), from, to);
    if (!(set instanceof Gridded g) || g.scalar()) {
      return set;
    }
    var where = s.where().bind(request.controls()::get);
    return new Gridded(g.grid(), g.rows().stream().filter(r -> where.test(r.labels())).toList());
  }

  /** A part of the query as series on the grid. */
  private Gridded onGrid(Expr expr, long from, long to) {
    var set = series(evaluated(expr, from, to), expr.span(), "arithmetic");
    return gridded(set, from, to, expr.span());
  }

  private SeriesSet evaluated(Expr expr, long from, long to) {
    if (isMetric(expr)) {
      var s = (Expr.Source) expr;
      if (reads.remote(s)) {
        return traced(s, () -> reads.pushedDown(s, List.of(), from, to));
      }
      var lifted = plain ? null : traced(s, () -> tiered.source(s, from, to));
      if (lifted != null) {
        return lifted;
      }
    }
    return eval(expr, from, to);
  }

  private boolean isMetric(Expr expr) {
    return expr instanceof Expr.Source s && query.line(s.name()) == null;
  }

  private SeriesSet metric(Expr.Source s, InputRange.Range range) {
    return traced(
        s,
        () ->
            reads.remote(s)
                ? reads.pushedDown(s, List.of(), range.from(), range.to())
                : reads.raw(s, range));
  }

  /** Series as they are, a table as raw series. */
  private SeriesSet.OfSeries series(SeriesSet in, SourceSpan span, String what) {
    if (in instanceof SeriesSet.OfSeries series) {
      return series;
    }
    var frame = ((SeriesSet.Table) in).frame();
    tables.forSeries(frame);
    var set = Frames.toSeries(frame);
    if (set == null) {
      throw QueryException.at(
          "table",
          what
              + " needs series, but its input is a table without a time column (columns: "
              + String.join(", ", frame.names())
              + ")",
          query.source().text(),
          span.start());
    }
    return set;
  }

  private SeriesSet chain(Expr.Chain c, long from, long to) {
    int n = c.steps().size();
    var ranges = InputRange.through(c, isMetric(c.input()), from, to, request, pitches);
    int next = 0;
    SeriesSet set;
    if (c.input() instanceof Expr.Source s && isMetric(s) && reads.remote(s)) {
      while (next < n && pushable(c.steps().get(next))) {
        next++;
      }
      var sent = c.steps().subList(0, next);
      set = traced(s, () -> reads.pushedDown(s, sent, from, to));
    } else {
      var lifted = lifted(c, ranges);
      set = lifted == null ? input(c, ranges[0]) : lifted.set();
      for (int i = 0; lifted != null && i < lifted.passed(); i++) {
        set = step(c, i, set, ranges);
      }
      next = lifted == null ? 0 : lifted.next();
    }
    int far = CutEnd.lastBeyond(ranges, to);
    for (int i = next; i < n; i++) {
      reads.checkTime();
      set = step(c, i, set, ranges);
      if (i == far && set instanceof Gridded g && lastIsCut(c, i, g.grid(), to)) {
        set = withCutEnd(c, i, g, ranges[i + 1].from(), to);
      }
    }
    return set;
  }

  /** Whether the last bucket may hold what lies after the range's end. */
  private boolean lastIsCut(Expr.Chain c, int i, Grid grid, long to) {
    return !part
        && to == request.to()
        && request.cap() == Long.MAX_VALUE
        && grid.count() > 0
        && grid.end() > to
        && (reads.newest() >= to
            || !isMetric(c.input())
            || !CutEnd.endWithSamples(c.steps().subList(0, i)));
  }

  /**
   * A set whose last bucket is as if there were nothing after the range, though steps looked there
   * for the sake of the buckets before.
   *
   * @param i the last step that did
   */
  private Gridded withCutEnd(Expr.Chain c, int i, Gridded set, long from, long to) {
    var steps = c.steps().subList(0, i + 1);
    boolean alone = isMetric(c.input()) && CutEnd.alone(steps);
    long begin = alone ? Math.max(from, set.grid().time(set.grid().count() - 1)) : from;
    var run =
        new QueryExecution(
            source, outside, remembered, deeper(), query, request.capped(), Observer.NONE);
    var capped = run.onGrid(new Expr.Chain(c.input(), steps, c.span()), begin, to);
    room.series(set.rows().size() + capped.rows().size(), set.grid().count(), 3);
    return CutEnd.join(set, capped);
  }

  private static boolean pushable(Step step) {
    return !(step instanceof Step.OnTable) && !(step instanceof Step.Off);
  }

  private TierReader.TierResult lifted(Expr.Chain c, InputRange.Range[] ranges) {
    if (plain || !isMetric(c.input())) {
      return null;
    }
    TierReader.TierResult[] found = new TierReader.TierResult[1];
    var own = traces.remove(c.input());
    traced(
        c.input(),
        () -> {
          found[0] = tiered.chain(c, ranges);
          return found[0] == null ? null : found[0].set();
        });
    if (found[0] != null && found[0].next() > found[0].passed()) {
      keep(c.steps().get(found[0].next() - 1), traces.remove(c.input()));
    }
    if (aside && own != null) {
      traces.put(c.input(), own);
    }
    return found[0];
  }

  private SeriesSet input(Expr.Chain c, InputRange.Range range) {
    long from = range.from();
    long to = range.to();
    return switch (c.input()) {
      case Expr.Sql s when firstStep(c) instanceof Step.OnTable ->
          traced(s, () -> reads.sql(s, from, to));
      case Expr.Source s -> isMetric(s) ? metric(s, range) : eval(s, from, to);
      case Expr.Events e when onSeries(c) && query.line(Parser.EVENTS) == null ->
          traced(e, () -> reads.eventSeries(e, from, to));
      case Expr.Events e -> eval(e, from, to);
      case Expr.Sql s -> eval(s, from, to);
      default -> onGrid(c.input(), from, to);
    };
  }

  /** Whether the first step that is on is one for series, which has no use for texts. */
  private static boolean onSeries(Expr.Chain c) {
    var first = firstStep(c);
    return first != null && !(first instanceof Step.OnTable);
  }

  private static Step firstStep(Expr.Chain c) {
    return c.steps().stream().filter(s -> !(s instanceof Step.Off)).findFirst().orElse(null);
  }

  private SeriesSet step(Expr.Chain c, int i, SeriesSet in, InputRange.Range[] ranges) {
    var step = c.steps().get(i);
    long from = ranges[i + 1].from();
    long to = ranges[i + 1].to();
    if (step instanceof Step.Off) {
      return in;
    }
    if (step instanceof Step.OnTable t) {
      var set =
          in instanceof SeriesSet.OfSeries s && !tables.onSeries(t)
              ? steps.gridded(s, from, to, t.span())
              : in;
      // What another line takes stays: it is not part of this step.
      var other = t instanceof Step.Join j ? joined(j) : null;
      return traced(t, () -> table(t, set, other, from, to));
    }
    var set = series(in, step.span(), "this step");
    boolean sampled = set == in;
    return traced(
        step,
        () -> {
          observer.before(step, set, c, i, sampled);
          var out =
              step instanceof Step.Shift s
                  ? shifted(c, i, s, set, from, to)
                  : measured(step, steps.apply(step, set, ranges[i], from, to, seesAll(c, i)));
          observer.after(step, out, c);
          if (step instanceof Step.KeepWhen k) {
            limit(k, c, i, passing(set, out));
          }
          return out;
        });
  }

  private boolean seesAll(Expr.Chain c, int at) {
    return isMetric(c.input()) && Traits.seesAll(c, at);
  }

  /**
   * What was so long before. Samples move, and buckets too if that makes buckets of the same grid;
   * else the steps before are done again with buckets laid so that they become such.
   */
  private SeriesSet.OfSeries shifted(
      Expr.Chain c, int i, Step.Shift s, SeriesSet.OfSeries set, long from, long to) {
    var zone = request.zone();
    if (!(set instanceof Gridded in)) {
      room.bytes(Room.samples((SeriesSet.Raw) set) * Room.SAMPLE);
      return set.map(r -> r.with(ClockShift.moved(r.raw(), s.millis(), zone)).origin(null));
    }
    var grid = in.grid();
    boolean wholeBuckets = s.millis() % grid.pitch() == 0;
    if (grid.edges() != null
        && wholeBuckets
        && request.moved() == 0
        && ClockShift.byCalendar(s.millis(), zone)) {
      var edges = grid.edges().clone();
      java.util.Arrays.setAll(edges, k -> ClockShift.midnight(edges[k], s.millis(), zone));
      var moved = new Grid(edges[0], grid.pitch(), grid.count(), edges);
      return new Gridded(moved, without(in.rows()), in.scalar()).crop(from, to);
    }
    var pieces = ClockShift.pieces(from, to, s.millis(), zone);
    boolean asOne =
        pieces.size() == 1 && pieces.getFirst().from() == from && pieces.getFirst().to() == to;
    if (grid.edges() == null && asOne && pieces.getFirst().by() % grid.pitch() == 0) {
      return new Gridded(grid.shifted(pieces.getFirst().by()), without(in.rows()), in.scalar())
          .crop(from, to);
    }
    var target = request.grid(from, to, grid.pitch());
    room.series(in.rows().size(), target.count(), 1);
    var rows = new java.util.LinkedHashMap<String, Row>();
    for (int a = 0; a < target.count(); ) {
      long by = target.time(a) - ClockShift.back(target.time(a), s.millis(), zone);
      boolean leftOut = ClockShift.isLeftOut(target.time(a), s.millis(), zone);
      int b = a + 1;
      while (b < target.count()
          && target.time(b) - ClockShift.back(target.time(b), s.millis(), zone) == by
          && ClockShift.isLeftOut(target.time(b), s.millis(), zone) == leftOut) {
        b++;
      }
      // To an hour that the clock left out nothing corresponds.
      if (!leftOut) {
        long first = Math.max(from, target.time(a));
        long moved = by % target.pitch() == 0 ? 0 : by;
        put(rows, before(c, i, first - by, to - by, by, moved), target, a, b);
      }
      a = b;
    }
    return new Gridded(target, List.copyOf(rows.values()), in.scalar());
  }

  /** Values that are shown at another time than their samples have. */
  private static List<Row> without(List<Row> rows) {
    return rows.stream().map(r -> r.origin(null)).toList();
  }

  /** The first steps of a chain, on buckets that are shown so much later. */
  private Gridded before(Expr.Chain c, int steps, long from, long to, long by, long moved) {
    var run =
        new QueryExecution(
            source, outside, remembered, deeper(), query, request.before(by, moved), Observer.NONE);
    var first =
        steps == 0 ? c.input() : new Expr.Chain(c.input(), c.steps().subList(0, steps), c.span());
    run.part = true;
    return run.onGrid(first, from, to);
  }

  /** Copies buckets of one set into the buckets [a, b) of rows on a wider grid. */
  private static void put(Map<String, Row> rows, SeriesSet part, Grid target, int a, int b) {
    for (var row : part.rows()) {
      var whole =
          rows.computeIfAbsent(
              row.metric() + row.labels() + row.name(),
              k -> row.on(AcrossSeries.constant(target.count(), Double.NaN)).origin(null));
      System.arraycopy(row.values(), 0, whole.values(), a, Math.min(b - a, row.values().length));
    }
  }

  /** Quantiles of a histogram have the unit of what was observed, which its sum has too. */
  private SeriesSet.OfSeries measured(Step step, SeriesSet.OfSeries out) {
    return step instanceof Step.Quantile
        ? out.map(r -> r.unit(source.unit(r.metric() + ".sum")))
        : out;
  }

  /** A limit that nothing or everything passes is looked at over a week before it is doubted. */
  private void limit(Step.KeepWhen k, Expr.Chain c, int at, Observer.MatchFrequency passing) {
    if (passing == Observer.MatchFrequency.SOMETIMES || request.origin() != 0) {
      return;
    }
    if (request.to() - request.from() >= Durations.WEEK || open.size() != 1) {
      observer.limit(k, passing, "in this range");
      return;
    }
    var before =
        at == 0 ? c.input() : new Expr.Chain(c.input(), c.steps().subList(0, at), c.span());
    var lines = new ArrayList<Query.Line>();
    for (var line : query.lines()) {
      boolean own = line.name().equals(open.getFirst());
      lines.add(own ? new Query.Line(line.name(), false, before, line.span()) : line);
    }
    var week =
        new Request(
            request.to() - Durations.WEEK,
            request.to(),
            Math.max(request.pitch(), Durations.HOUR),
            0,
            request.zone(),
            request.store(),
            request.controls(),
            request.cancelled(),
            false);
    try {
      var asked = new Query(lines, query.source());
      var run =
          new QueryExecution(source, outside, remembered, deeper(), asked, week, Observer.NONE);
      var line = asked.line(open.getFirst());
      var set = series(run.line(line, week.from(), week.to()), line.span(), "this step");
      var all = new InputRange.Range(week.from(), week.to());
      var out = run.steps.apply(k, set, all, week.from(), week.to(), false);
      if (passing(set, out) == passing) {
        observer.limit(k, passing, "in the last week");
      }
    } catch (QueryException e) {
      // A week is too much to read: the advice covers this range only.
      observer.limit(k, passing, "in this range");
    }
  }

  /** How often the values of a comparison meet it. */
  private static Observer.MatchFrequency passing(SeriesSet.OfSeries in, SeriesSet.OfSeries out) {
    long before = count(in);
    long after = count(out);
    return before > 0 && after == 0
        ? Observer.MatchFrequency.NEVER
        : before > MIN_DOUBTED && after == before
            ? Observer.MatchFrequency.ALWAYS
            : Observer.MatchFrequency.SOMETIMES;
  }

  private static long count(SeriesSet.OfSeries set) {
    return set.rows().stream()
        .flatMapToDouble(
            r ->
                set instanceof SeriesSet.Raw
                    ? Arrays.stream(r.raw().values(), 0, r.raw().count())
                    : Arrays.stream(r.values()))
        .filter(Double::isFinite)
        .count();
  }

  /** The line that a step joins. */
  private SeriesSet joined(Step.Join j) {
    var other = query.line(j.line());
    if (other == null) {
      throw QueryException.at(
          "table", "no line is called '" + j.line() + "'", query.source().text(), j.span().start());
    }
    return line(other, request.from(), request.to());
  }

  private SeriesSet table(Step.OnTable t, SeriesSet in, SeriesSet other, long from, long to) {
    try {
      if (t instanceof Step.Join j) {
        return new SeriesSet.Table(tables.join(j, in, Frames.of(j.line(), other)));
      }
      return new SeriesSet.Table(tables.apply(t, in, from, to));
    } catch (FrameException e) {
      throw QueryException.at("table", e.getMessage(), query.source().text(), t.span().start());
    }
  }

  /** Remembers what a node of the tree gave; a null result is not remembered. */
  private <T extends SeriesSet> T traced(Object node, Supplier<T> work) {
    long samples = reads.samples();
    long begun = System.nanoTime();
    reads.takeTier();
    long before = room.taken();
    var set = work.get();
    if (set != null) {
      room.settle(before, set);
      double millis = (System.nanoTime() - begun) / 1e6;
      keep(node, new Answer.Trace(set, reads.samples() - samples, reads.takeTier(), millis));
    }
    return set;
  }

  /** What a node gave over the request's own range stays. */
  private void keep(Object node, Answer.Trace trace) {
    if (aside) {
      traces.putIfAbsent(node, trace);
    } else {
      traces.put(node, trace);
    }
  }

  private Allowance deeper() {
    return allowance.deeper(open.size() + 1);
  }
}
