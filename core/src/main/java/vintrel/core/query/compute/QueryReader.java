package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.TreeSet;
import java.util.function.Supplier;
import vintrel.core.chunk.Samples;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Pitch;
import vintrel.core.query.plan.Allowance;
import vintrel.core.query.plan.ExternalSource;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.InputRange;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;

/** What one query reads, within its limits: samples, records, SQL rows, other Vintrels. */
final class QueryReader implements TierReader.Reading {
  private static final int GROUP = 256;

  /** Samples that are read together. */
  private static final long AT_ONCE = 1_000_000;

  /** How much smaller samples are as long as they are encoded. */
  private static final int ENCODED = 6;

  private final SampleSource source;
  private final ExternalSource outside;
  private final Limits limits;
  private final Room room;
  private final Query query;
  private final Request request;
  private final Observer observer;
  private final long started;
  private final TreeSet<String> tiers = new TreeSet<>();
  private long planning;
  private int seriesRead;
  private long samplesRead;
  private String lastTier = "";
  private long newest = Long.MIN_VALUE;

  QueryReader(
      SampleSource source,
      ExternalSource outside,
      Allowance allowance,
      Room room,
      Query query,
      Request request,
      Observer observer) {
    this.source = source;
    this.outside = outside;
    this.limits = allowance.limits();
    this.room = room;
    this.started = allowance.started();
    this.query = query;
    this.request = request;
    this.observer = observer;
  }

  Answer.Stats stats() {
    double millis = (System.nanoTime() - started) / 1e6;
    return new Answer.Stats(
        seriesRead, samplesRead, millis, planning / 1e6, String.join(", ", tiers));
  }

  /** Samples read so far. */
  long samples() {
    return samplesRead;
  }

  /** The time of the newest sample of all series that were selected so far. */
  long newest() {
    return newest;
  }

  /** What was read since the last call, or nothing. */
  String takeTier() {
    var tier = lastTier;
    lastTier = "";
    return tier;
  }

  @Override
  public List<Series> select(Expr.Source s) {
    return planned(() -> found(s));
  }

  @Override
  public <T> T planned(Supplier<T> work) {
    long begun = System.nanoTime();
    try {
      return work.get();
    } finally {
      planning += System.nanoTime() - begun;
    }
  }

  private List<Series> found(Expr.Source s) {
    var store = s.store().isEmpty() ? request.store() : s.store();
    if (!source.hasMetric(store, s.name())) {
      checkStore(store, s);
      var elsewhere = !store.isEmpty() && source.hasMetric("", s.name());
      var near = elsewhere ? null : Vocabulary.nearest(s.name(), source.metricNames(store));
      throw QueryException.nothing(
          "name",
          "no metric `"
              + s.name()
              + "`"
              + (store.isEmpty() ? "" : " in store `" + store + "`")
              + (elsewhere
                  ? "; another store has it: remove `in " + store + "` to search all stores"
                  : "")
              + (near == null ? "" : "; did you mean `" + near + "`?"),
          query.source().text(),
          s.span().start());
    }
    var where = s.where().bind(request.controls()::get);
    var found = source.select(store, s.name(), where);
    observer.selected(s, where, store, found);
    for (var series : found) {
      newest = Math.max(newest, source.newest(series.id()));
    }
    return found;
  }

  /** Reports an unknown store before checking its metrics. */
  private void checkStore(String store, Expr.Source s) {
    var known = new TreeSet<>(source.stores());
    if (store.isEmpty() || known.isEmpty() || known.contains(store)) {
      return;
    }
    known.addAll(outside.remotes());
    var meant = known.stream().filter(k -> k.startsWith(store + "-")).findFirst();
    throw QueryException.at(
        "store",
        "no store named `"
            + store
            + "`; stores: "
            + String.join(", ", known)
            + meant
                .map(m -> "; put a name with a hyphen in double quotes: in \"" + m + "\"")
                .orElse(""),
        query.source().text(),
        s.span().start());
  }

  @Override
  public void countSeries(int n) {
    seriesRead += n;
    if (seriesRead > limits.series()) {
      throw new QueryException(
          "limit.series",
          "the query reads "
              + seriesRead
              + " series; the limit is "
              + limits.series()
              + ". Add conditions with `where`",
          0,
          0);
    }
  }

  @Override
  public void countSamples(long samples, String tier) {
    tiers.add(tier);
    lastTier = tier;
    samplesRead += samples;
    if (samplesRead > limits.samples()) {
      throw new QueryException(
          "limit.samples",
          "the query reads more than "
              + limits.samples()
              + " samples. Shorten the range or add conditions with `where`",
          0,
          0);
    }
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
              + Durations.words(limits.millis())
              + ". Shorten the range or add conditions with `where`",
          0,
          0);
    }
  }

  /** The samples of a metric. */
  SeriesSet.Raw raw(Expr.Source s, InputRange.Range range) {
    long from = range.from();
    long to = range.to();
    var found = select(s);
    countSeries(found.size());
    if (found.stream().anyMatch(x -> source.rawSince(x) > from + Durations.HOUR)) {
      observer.rawDropped(s);
    }
    var rows = new ArrayList<Row>(found.size());
    int size = groupOf(found, from, to, shortest(found));
    for (int at = 0; at < found.size(); at += size) {
      checkTime();
      var group = found.subList(at, Math.min(at + size, found.size()));
      var gaps =
          group.stream().mapToLong(x -> SampleSource.gap(source.interval(x))).max().orElse(0);
      long gap = range.joined() ? gaps : 0;
      var samples = source.read(group, from - gap, to + gap, room.memory());
      long read = samples.stream().mapToLong(Samples::count).sum();
      countSamples(read, "raw");
      for (int i = 0; i < group.size(); i++) {
        var series = group.get(i);
        var some = samples.get(i);
        if (range.far() && some.slice(Long.MIN_VALUE, from).lastFinite().isEmpty()) {
          room.bytes(Room.SAMPLE);
          some = some.after(source.before(series, from - gap));
        }
        some = Bucketing.finite(some);
        if (!some.isEmpty()) {
          rows.add(Row.of(series).interval(source.interval(series)).with(some));
        }
      }
    }
    return new SeriesSet.Raw(rows);
  }

  @Override
  public int groupOf(List<Series> found, long from, long to, long pitch) {
    int size = groupOf(to - from, pitch);
    if (size == GROUP) {
      return size;
    }
    // The oldest sample is dear to find, and of use only where much would be read.
    long newest = found.stream().mapToLong(s -> source.newest(s.id())).max().orElse(to);
    return groupOf(Math.min(Math.max(newest, from), to) - Math.max(from, source.oldest()), pitch);
  }

  private static int groupOf(long millis, long pitch) {
    return (int) Math.clamp(AT_ONCE / (Math.max(0, millis) / pitch + 1), 1, GROUP);
  }

  @Override
  public int groupOf(List<Series> found, long from, long to) {
    return groupOf(found, from, to, ENCODED * shortest(found));
  }

  /** The shortest known interval of some series, ms. */
  private long shortest(List<Series> found) {
    return found.stream()
        .mapToLong(source::interval)
        .filter(i -> i > 0)
        .min()
        .orElse(Durations.MINUTE);
  }

  /** Log records, as a table. */
  SeriesSet.Table events(Expr.Events e, long from, long to) {
    checkTime();
    var where = e.where().bind(request.controls()::get);
    var store = e.store().isEmpty() ? request.store() : e.store();
    var frame =
        outside.events(
            store, where, from, to, limits.samples(), request.cancelled(), room.memory());
    countSamples(frame.rows(), "events");
    return new SeriesSet.Table(frame);
  }

  /** Log records for a step on series: as {@link Frames#toSeries} makes them of the table. */
  SeriesSet.Raw eventSeries(Expr.Events e, long from, long to) {
    checkTime();
    var where = e.where().bind(request.controls()::get);
    var store = e.store().isEmpty() ? request.store() : e.store();
    var times =
        outside.eventTimes(
            store, where, from, to, limits.samples(), request.cancelled(), room.memory());
    long found = times.values().stream().mapToLong(t -> t.length).sum();
    countSamples(found, "events");
    room.bytes(found * Double.BYTES);
    var rows = new ArrayList<Row>();
    times.forEach(
        (labels, at) -> {
          var ones = new double[at.length];
          Arrays.fill(ones, 1);
          rows.add(Row.raw("events", labels, MetricKind.GAUGE, "", Samples.of(at, ones)));
        });
    return new SeriesSet.Raw(rows);
  }

  /** The rows of a statement as series if they have times and numbers, else as they are. */
  SeriesSet asSeries(SeriesSet.Table set, long from, long to) {
    if (set.frame().time() == null || set.frame().numbers().isEmpty()) {
      return set;
    }
    room.bytes(set.frame().rows() * (Room.ROW + (long) Room.SAMPLE * set.frame().numbers().size()));
    var series = Frames.toSeries(set.frame());
    long interval = series.rows().stream().mapToLong(r -> r.raw().interval()).max().orElse(0);
    if (interval <= request.pitch()) {
      return series;
    }
    // Rows further apart than the picture's buckets would be drawn as lonely points.
    var grid = request.grid(from, to, Pitch.fitting(interval, 1, interval));
    room.series(series.rows().size(), grid.count(), 3);
    return new SeriesSet.Gridded(
        grid, series.rows().stream().map(r -> Bucketing.envelope(r, r.raw(), grid)).toList());
  }

  /** The rows of a statement, as a table. */
  SeriesSet.Table sql(Expr.Sql s, long from, long to) {
    checkTime();
    var frame =
        outside.sql(
            s.store(),
            s.statement(),
            from,
            to,
            request.pitch(),
            request.cancelled(),
            room.memory());
    countSamples(frame.rows(), "sql");
    return new SeriesSet.Table(frame);
  }

  boolean remote(Expr.Source s) {
    return !s.store().isEmpty() && outside.remotes().contains(s.store());
  }

  /** Lets another Vintrel answer a metric and the steps after it. */
  SeriesSet pushedDown(Expr.Source s, List<Step> after, long from, long to) {
    var bound = new Expr.Source(s.name(), "", s.where().bind(request.controls()::get), s.span());
    var text = Printer.print(after.isEmpty() ? bound : new Expr.Chain(bound, after, s.span()));
    try {
      long pitch = request.fitted() ? 0 : request.pitch();
      var remote =
          outside.remote(s.store(), text, from, to, pitch, request.cancelled(), room.memory());
      countSeries(remote.series());
      countSamples(remote.samples(), "remote");
      remote.advice().forEach(a -> observer.elsewhere(s, a));
      var frames = remote.frames();
      return frames.isEmpty() ? onNothing(from, to) : remoteSet(frames.getFirst(), from, to);
    } catch (QueryException e) {
      if (!e.code().equals("unreachable")) {
        throw e;
      }
      observer.unreachable(s, e.getMessage());
      return onNothing(from, to);
    }
  }

  SeriesSet.Gridded onNothing(long from, long to) {
    return new SeriesSet.Gridded(request.grid(from, to, request.pitch()), List.of());
  }

  SeriesSet remoteSet(Frame frame, long from, long to) {
    if (!frame.drawable()) {
      return frame.columns().size() <= 1 ? onNothing(from, to) : new SeriesSet.Table(frame);
    }
    var times = ((Column.Time) frame.columns().getFirst()).values();
    if (times.length == 0) {
      return onNothing(from, to);
    }
    var rows = new ArrayList<Row>();
    for (var n : frame.numbers()) {
      rows.add(Row.raw(n.name(), n.labels(), MetricKind.GAUGE, n.unit(), null).on(n.values()));
    }
    long pitch = times.length < 2 ? request.pitch() : times[1] - times[0];
    // What is no row of buckets was not made by a Vintrel.
    return new SeriesSet.Gridded(new Grid(times[0], Math.max(1, pitch), times.length), rows);
  }
}
