package vintrel.server.ask;

import java.time.ZoneId;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.query.Answer;
import vintrel.core.query.Chips;
import vintrel.core.query.Expr;
import vintrel.core.query.Frames;
import vintrel.core.query.Printer;
import vintrel.core.query.Query;
import vintrel.core.query.SeriesSet;
import vintrel.core.query.Step;

/** A query as its lines and steps, with what came out of each. */
final class Ledger {
  private static final int PREVIEWED = 6;

  private Ledger() {}

  /**
   * A source or step.
   *
   * @param text as it stands after {@code then}; of a step that is off, without {@code off}
   * @param shape of what comes out of it, in words; empty where it was not asked alone
   * @param sample the first rows of it
   */
  record Row(
      String text,
      List<Chips.Chip> chips,
      boolean off,
      String shape,
      long samples,
      String tier,
      double ms,
      TableView sample) {}

  /**
   * A line.
   *
   * @param plain whether its source is one that has chips: a metric, records, a statement
   */
  record Line(String name, boolean hidden, boolean plain, Row source, List<Row> steps) {}

  static List<Line> of(Query query, Answer answer, ZoneId zone) {
    var out = new ArrayList<Line>();
    for (var line : query.lines()) {
      var expr = line.expr();
      var input = expr instanceof Expr.Chain c ? c.input() : expr;
      boolean plain =
          input instanceof Expr.Source || input instanceof Expr.Events || input instanceof Expr.Sql;
      var source =
          row(
              Printer.print(input),
              plain ? Chips.of(input) : List.of(),
              false,
              answer.traces().get(input),
              zone);
      var steps = new ArrayList<Row>();
      if (expr instanceof Expr.Chain c) {
        for (var s : c.steps()) {
          boolean off = s instanceof Step.Off;
          var inner = s instanceof Step.Off o ? o.step() : s;
          steps.add(row(Printer.print(inner), Chips.of(s), off, answer.traces().get(s), zone));
        }
      }
      out.add(new Line(line.name(), line.hidden(), plain, together(source, expr, answer), steps));
    }
    return out;
  }

  /** Of a metric that was answered together with a step, how many series it was. */
  private static Row together(Row source, Expr expr, Answer answer) {
    if (!source.shape().isEmpty() || !(expr instanceof Expr.Chain c)) {
      return source;
    }
    return c.steps().stream()
        .map(answer.traces()::get)
        .filter(t -> t != null && !t.tier().isEmpty())
        .findFirst()
        .map(t -> t.set().rows().size() + " series")
        .map(s -> new Row(source.text(), source.chips(), false, s, 0, "", 0, null))
        .orElse(source);
  }

  private static Row row(
      String text, List<Chips.Chip> chips, boolean off, Answer.Trace trace, ZoneId zone) {
    return trace == null
        ? new Row(text, chips, off, "", 0, "", 0, null)
        : new Row(
            text,
            chips,
            off,
            trace.set().shape(),
            trace.samples(),
            trace.tier(),
            trace.millis(),
            sample(trace.set(), zone));
  }

  private static TableView sample(SeriesSet set, ZoneId zone) {
    return TableView.of(Frames.sample(set, PREVIEWED), "", zone, PREVIEWED);
  }

  /** The plan as it was carried out: each source and step with its counts and times. */
  static List<Map<String, Object>> plan(Query query, Answer answer) {
    var out = new ArrayList<Map<String, Object>>();
    for (var line : query.lines()) {
      var expr = line.expr();
      plan(line.name(), expr, answer, out);
    }
    return out;
  }

  private static void plan(String line, Expr expr, Answer answer, List<Map<String, Object>> out) {
    switch (expr) {
      case Expr.Chain c -> {
        plan(line, c.input(), answer, out);
        c.steps().forEach(s -> add(line, Printer.print(s), s, answer, out));
      }
      case Expr.Binary b -> {
        plan(line, b.left(), answer, out);
        plan(line, b.right(), answer, out);
        add(line, "pair by " + b.operator().text(), b, answer, out);
      }
      case Expr.Negative n -> plan(line, n.of(), answer, out);
      default -> add(line, Printer.print(expr), expr, answer, out);
    }
  }

  private static void add(
      String line, String text, Object node, Answer answer, List<Map<String, Object>> out) {
    var trace = answer.traces().get(node);
    var entry = new LinkedHashMap<String, Object>();
    entry.put("line", line);
    entry.put("what", text);
    if (trace == null) {
      entry.put("how", node instanceof Step ? "together with its source" : "another line");
    } else {
      entry.put("gives", trace.set().shape());
      entry.put("ms", trace.millis());
      if (!trace.tier().isEmpty()) {
        entry.put("tier", trace.tier());
        entry.put("samples", trace.samples());
      }
    }
    out.add(entry);
  }
}
