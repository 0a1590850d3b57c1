package vintrel.server.ask;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.picture.Glimpse;
import vintrel.core.query.assist.Chips;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Step;
import vintrel.core.unit.TimeText;
import vintrel.core.unit.Units;

/** A query as its lines and steps, with what came out of each. */
public final class QueryOutline {
  private static final int PREVIEWED = 6;
  private static final int GLIMPSED = 6;
  private static final int COLUMNS = 96;

  /**
   * A source or step.
   *
   * @param text as after {@code then}; of a step that is off, without {@code off}
   * @param shape of what comes out of it, in words; empty if it was not computed alone
   * @param took how long it took, and from where it was read, in words
   * @param sample the first rows of it
   * @param glimpse some of its series, drawn as large as a word; null of a table
   */
  public record Row(
      String text,
      List<Chips.Chip> chips,
      boolean off,
      String shape,
      long samples,
      String tier,
      String took,
      TableView sample,
      Glimpse glimpse) {}

  /**
   * A line.
   *
   * @param plain whether its source is one that has chips: a metric, records, a statement
   */
  public record Line(String name, boolean hidden, boolean plain, Row source, List<Row> steps) {}

  public static List<Line> of(Query query, Answer answer, TimeText.Range range, ZoneId zone) {
    return new QueryOutline(answer, range, zone).lines(query);
  }

  /** Returns the lines of a query that was not run: chips, without any result. */
  public static List<Line> unread(Query query) {
    return new QueryOutline(null, null, null).lines(query);
  }

  private final Answer answer;
  private final TimeText.Range range;
  private final ZoneId zone;

  private QueryOutline(Answer answer, TimeText.Range range, ZoneId zone) {
    this.answer = answer;
    this.range = range;
    this.zone = zone;
  }

  private List<Line> lines(Query query) {
    var out = new ArrayList<Line>();
    for (var line : query.lines()) {
      var expr = line.expr();
      var input = expr instanceof Expr.Chain c ? c.input() : expr;
      boolean plain =
          input instanceof Expr.Source || input instanceof Expr.Events || input instanceof Expr.Sql;
      var source =
          row(Printer.print(input), plain ? Chips.of(input) : List.of(), false, trace(input));
      var steps = new ArrayList<Row>();
      if (expr instanceof Expr.Chain c) {
        for (var s : c.steps()) {
          boolean off = s instanceof Step.Off;
          var inner = s instanceof Step.Off o ? o.step() : s;
          steps.add(row(Printer.print(inner), Chips.of(s), off, trace(s)));
        }
      }
      out.add(new Line(line.name(), line.hidden(), plain, together(source, expr), steps));
    }
    return out;
  }

  private Answer.Trace trace(Object part) {
    return answer == null ? null : answer.traces().get(part);
  }

  /** Of a metric that was answered together with a step, how many series it was. */
  private Row together(Row source, Expr expr) {
    if (!source.shape().isEmpty() || !(expr instanceof Expr.Chain c)) {
      return source;
    }
    return c.steps().stream()
        .map(this::trace)
        .filter(t -> t != null && !t.tier().isEmpty())
        .findFirst()
        .map(t -> t.set().rows().size() + " series")
        .map(s -> new Row(source.text(), source.chips(), false, s, 0, "", "", null, null))
        .orElse(source);
  }

  private Row row(String text, List<Chips.Chip> chips, boolean off, Answer.Trace trace) {
    return trace == null
        ? new Row(text, chips, off, "", 0, "", "", null, null)
        : new Row(
            text,
            chips,
            off,
            trace.set().shape(),
            trace.samples(),
            trace.tier(),
            took(trace),
            TableView.of(Frames.sample(trace.set(), PREVIEWED), "", zone, PREVIEWED),
            glimpse(trace.set()));
  }

  private static String took(Answer.Trace trace) {
    boolean raw = trace.tier().isEmpty() || trace.tier().equals("raw");
    var from = raw ? "Took " : "Read from the " + trace.tier() + " tier in ";
    return from + Units.format(trace.millis(), "ms");
  }

  private Glimpse glimpse(SeriesSet set) {
    // The first bucket may begin before the range; what another line reads of it goes further back.
    long from =
        switch (set) {
          case SeriesSet.Raw r -> range.from();
          case SeriesSet.Gridded g -> {
            long start = g.grid().start();
            boolean cut = start < range.from() && start > range.from() - g.grid().pitch();
            yield cut ? start : range.from();
          }
          case SeriesSet.Table t -> Long.MIN_VALUE;
        };
    if (from == Long.MIN_VALUE || set instanceof SeriesSet.Gridded g && g.scalar()) {
      return null;
    }
    return Glimpse.of(Frames.pickSeries(set, GLIMPSED), from, range.to(), COLUMNS);
  }
}
