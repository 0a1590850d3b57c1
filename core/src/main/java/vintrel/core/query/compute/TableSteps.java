package vintrel.core.query.compute;

import vintrel.core.frame.Frame;
import vintrel.core.frame.FrameException;
import vintrel.core.frame.Tables;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;

/** Each step on tables; series become one long table first, as by {@code rows}. */
final class TableSteps {
  /** Rows of the table that series become. */
  private static final long MAX_ROWS = 2_000_000;

  private final Request request;
  private final Limits limits;
  private final Runnable check;
  private final Room room;

  /**
   * @param check called now and then; it may throw
   * @param room asked for what a step makes before it is made
   */
  TableSteps(Request request, Limits limits, Runnable check, Room room) {
    this.room = room;
    this.request = request;
    this.limits = limits;
    this.check = check;
  }

  /** Whether a step takes series as they are, raw ones too. */
  boolean onSeries(Step.OnTable step) {
    return step instanceof Step.Bins || step instanceof Step.Cells;
  }

  /**
   * @throws FrameException if the table does not fit the step
   */
  Frame apply(Step.OnTable step, SeriesSet in, long from, long to) {
    return switch (step) {
      case Step.Rows r -> rows(in);
      case Step.Columns c -> columns(in, from, to);
      case Step.GroupBy g ->
          Tables.groupBy(
              input(in),
              g.keys(),
              g.aggregates().stream()
                  .map(
                      a ->
                          new Tables.Aggregate(
                              a.reducer().text(),
                              a.column(),
                              v -> a.reducer().apply(v, 0, v.length),
                              a.reducer()::unit))
                  .toList());
      case Step.Sort s -> Tables.sort(input(in), s.by(), s.descending());
      case Step.Limit l -> Tables.limit(input(in), l.rows());
      case Step.Where w -> Tables.where(input(in), w.condition(), check);
      case Step.Rename r -> Tables.rename(input(in), r.from(), r.to());
      case Step.Keep k -> Tables.keep(input(in), k.columns());
      case Step.Drop d -> Tables.drop(input(in), d.columns());
      case Step.Compute c -> Tables.compute(input(in), c.name(), c.formula(), check);
      case Step.Join j -> throw new IllegalArgumentException("joins need the other line");
      case Step.Bins b -> {
        var series = series(in);
        forCounting(series, 0);
        if (HistogramCells.are(series)) {
          yield HistogramCells.bins(series, from, to);
        }
        var unit = series.rows().isEmpty() ? "" : series.rows().getFirst().unit();
        yield Tables.bins("", values(series), unit, b.count());
      }
      case Step.Cells c -> {
        var series = series(in);
        forCounting(series, (long) c.spans() * c.bins());
        if (HistogramCells.are(series)) {
          yield HistogramCells.cells(series, from, to, c.spans());
        }
        var unit = series.rows().isEmpty() ? "" : series.rows().getFirst().unit();
        var points = series.rows().stream().map(r -> series.samples(r)).map(TableSteps::points);
        yield Tables.cells("", points.toList(), from, to, unit, c.spans(), c.bins());
      }
      case Step.Unpack u -> Tables.unpack(input(in), u.path(), u.name());
    };
  }

  Frame join(Step.Join j, SeriesSet left, Frame right) {
    var first = left instanceof SeriesSet.Table t ? t.frame() : Frames.of("", left);
    forStep(first);
    forStep(right);
    return Tables.join(first, right, j.on(), j.kind(), room::bytes);
  }

  private Frame input(SeriesSet in) {
    var frame = rows(in);
    forStep(frame);
    return frame;
  }

  /** For a step on a table: its rows once more, and what is made of each on the way. */
  private void forStep(Frame frame) {
    room.bytes((long) frame.rows() * (Room.ROW + (frame.columns().size() + 1L) * Room.CELL));
  }

  /** For a table that becomes series. */
  void forSeries(Frame frame) {
    long numbers = Math.max(1, frame.numbers().size());
    room.bytes(frame.rows() * (Room.ROW + numbers * Room.SAMPLE));
  }

  /** For samples that are counted by their values. */
  private void forCounting(SeriesSet.OfSeries in, long cells) {
    room.bytes(Frames.rowsOf(in) * Room.ROW + cells * Room.ROW);
  }

  private Frame columns(SeriesSet in, long from, long to) {
    if (!(in instanceof SeriesSet.Table table)) {
      return Frames.of("", in);
    }
    forSeries(table.frame());
    var series = Frames.toSeries(table.frame());
    if (series == null) {
      throw new FrameException("`columns` needs a time column");
    }
    var grid = request.grid(from, to, request.pitch());
    room.series(series.rows().size(), grid.count(), 1);
    var rows =
        series.rows().stream()
            .map(r -> r.on(Bucketing.buckets(r.raw(), grid, Reducer.MEAN)))
            .toList();
    return Frames.series("", new SeriesSet.Gridded(grid, rows));
  }

  private Frame rows(SeriesSet in) {
    return switch (in) {
      case SeriesSet.Table t -> t.frame();
      case SeriesSet.OfSeries s -> longTable(s);
    };
  }

  private Frame longTable(SeriesSet.OfSeries in) {
    long rows = Frames.rowsOf(in);
    if (rows > Math.min(MAX_ROWS, limits.values())) {
      throw new QueryException(
          "limit.rows",
          "the series make a table of "
              + rows
              + " rows, more than the limit of "
              + Math.min(MAX_ROWS, limits.values())
              + "; use fewer series, a longer step or a shorter range",
          0,
          0);
    }
    long labels = in.rows().stream().mapToLong(r -> r.labels().names().size()).max().orElse(0);
    // Times, values and their rows twice: before and after they are cut to what is there.
    room.bytes(rows * (40 + (labels + 4) * Room.CELL));
    room.scratch(in);
    return Frames.rows("", in);
  }

  private SeriesSet.OfSeries series(SeriesSet in) {
    if (in instanceof SeriesSet.OfSeries series) {
      return series;
    }
    var frame = ((SeriesSet.Table) in).frame();
    forSeries(frame);
    var set = Frames.toSeries(frame);
    if (set == null || frame.numbers().isEmpty()) {
      throw new FrameException("this step needs a time column and a number column");
    }
    return set;
  }

  private static double[] values(SeriesSet.OfSeries set) {
    return set.rows().stream()
        .flatMapToDouble(r -> java.util.Arrays.stream(values(set, r)))
        .toArray();
  }

  private static double[] values(SeriesSet.OfSeries set, Row row) {
    var s = set.samples(row);
    return java.util.Arrays.copyOf(s.values(), s.count());
  }

  private static Tables.Points points(vintrel.core.chunk.Samples s) {
    return new Tables.Points(
        java.util.Arrays.copyOf(s.times(), s.count()),
        java.util.Arrays.copyOf(s.values(), s.count()));
  }
}
