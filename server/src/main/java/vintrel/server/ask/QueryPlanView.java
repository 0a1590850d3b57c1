package vintrel.server.ask;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.ArrayList;
import java.util.List;
import vintrel.core.query.compute.Answer;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Step;

/** How a query was answered: each source and step in order, with its counts and times. */
final class QueryPlanView {
  private QueryPlanView() {}

  /**
   * A source or step.
   *
   * @param line empty if the query has a lone one
   * @param how shown instead of a result of its own, or null
   * @param gives the shape of its result in words, or null
   * @param ms that it took, what is below it left out
   * @param tier what was read for it, or null
   * @param samples of it, or buckets of a tier
   */
  @JsonInclude(JsonInclude.Include.NON_NULL)
  record Entry(
      String line, String what, String how, String gives, Double ms, String tier, Long samples) {}

  static List<Entry> of(Query query, Answer answer) {
    var out = new ArrayList<Entry>();
    query.lines().forEach(l -> walk(l.name(), l.expr(), query, answer, out));
    return out;
  }

  private static void walk(String line, Expr expr, Query query, Answer answer, List<Entry> out) {
    switch (expr) {
      case Expr.Chain c -> {
        walk(line, c.input(), query, answer, out);
        c.steps().forEach(s -> out.add(step(line, s, answer)));
      }
      case Expr.Binary b -> {
        walk(line, b.left(), query, answer, out);
        walk(line, b.right(), query, answer, out);
        out.add(entry(line, "match by " + b.operator().text(), answer.traces().get(b), ""));
      }
      case Expr.Negative n -> walk(line, n.of(), query, answer, out);
      default -> {
        boolean other = expr instanceof Expr.Source s && query.line(s.name()) != null;
        boolean number = expr instanceof Expr.Number;
        var how = other ? "another line" : number ? "a number" : "computed with the next step";
        out.add(entry(line, Printer.print(expr), answer.traces().get(expr), how));
      }
    }
  }

  private static Entry step(String line, Step step, Answer answer) {
    var how = step instanceof Step.Off ? "switched off" : "not run";
    return entry(line, Printer.print(step), answer.traces().get(step), how);
  }

  private static Entry entry(String line, String what, Answer.Trace trace, String how) {
    if (trace == null) {
      return new Entry(line, what, how, null, null, null, null);
    }
    boolean read = !trace.tier().isEmpty();
    return new Entry(
        line,
        what,
        null,
        trace.set().shape(),
        trace.millis(),
        read ? trace.tier() : null,
        read ? trace.samples() : null);
  }

  /** The same as a table; its last row is all together. */
  static TableView view(Query query, Answer answer) {
    boolean several = query.lines().size() > 1;
    var heads = new ArrayList<TableView.Head>();
    if (several) {
      heads.add(new TableView.Head("line", false));
    }
    for (var name : List.of("source or step", "result", "read from")) {
      heads.add(new TableView.Head(name, false));
    }
    heads.add(new TableView.Head("samples read", true));
    heads.add(new TableView.Head("ms", true));
    var rows = new ArrayList<List<String>>();
    for (var e : of(query, answer)) {
      rows.add(
          row(
              several,
              e.line(),
              e.what(),
              e.gives() == null ? e.how() : e.gives(),
              e.tier() == null ? "" : e.tier(),
              e.samples() == null ? "" : "%,d".formatted(e.samples()),
              e.ms() == null ? "" : "%.2f".formatted(e.ms())));
    }
    var stats = answer.stats();
    rows.add(
        row(
            several,
            "",
            "total (%.2f ms to find the series)".formatted(stats.planning()),
            "",
            stats.tier(),
            "%,d".formatted(stats.samples()),
            "%.2f".formatted(stats.millis())));
    return new TableView(heads, rows, 0);
  }

  private static List<String> row(boolean several, String line, String... cells) {
    var out = new ArrayList<String>();
    if (several) {
      out.add(line);
    }
    out.addAll(List.of(cells));
    return out;
  }
}
