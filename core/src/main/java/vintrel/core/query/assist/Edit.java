package vintrel.core.query.assist;

import java.util.ArrayList;
import java.util.List;
import java.util.function.UnaryOperator;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Trees;
import vintrel.core.series.Condition;

/**
 * A change of a query, made on its tree. Lines and steps are counted from 0 in the order of the
 * text; steps are those of the outermost chain of a line. Pure; any thread.
 */
public sealed interface Edit {
  /** The row of a line that is its source. */
  int SOURCE = -1;

  /**
   * The query after the change.
   *
   * @throws QueryException if there is no such line, step or chip, or if the result is no query
   */
  Query apply(Query query);

  /**
   * Another word in the place of a chip.
   *
   * @param row a step, or {@link #SOURCE}
   * @param chip counted as {@link Chips} lists them
   * @param value as people say it: a label's value without quotes, a control with its dollar; of
   *     the first chip of a step the whole step
   */
  record Chip(int line, int row, int chip, String value) implements Edit {
    @Override
    public Query apply(Query query) {
      var l = Edit.line(query, line);
      if (row == SOURCE) {
        var input = Edit.input(l.expr());
        var text = Chips.exchanged(Chips.placed(input), Printer.print(input), chip, value);
        return Edit.with(query, line, Edit.chain(Edit.expr(text), Edit.steps(l.expr())));
      }
      var steps = new ArrayList<>(Edit.steps(l.expr()));
      var old = steps.get(Edit.inside(row, steps.size(), "step"));
      var inner = old instanceof Step.Off off ? off.step() : old;
      var text =
          chip == 0
              ? value
              : Chips.exchanged(Chips.placed(inner), Printer.print(inner), chip, value);
      var made = Edit.step(text);
      steps.set(row, old instanceof Step.Off off ? new Step.Off(made, off.span()) : made);
      return Edit.with(query, line, Edit.chain(Edit.input(l.expr()), steps));
    }
  }

  /**
   * One more condition on the source of a line.
   *
   * @param is an operator of conditions, for example {@code =} or {@code not like}
   */
  record AddCondition(int line, String label, String is, String value) implements Edit {
    @Override
    public Query apply(Query query) {
      var l = Edit.line(query, line);
      var test = Parser.parseCondition(Printer.name(label) + " " + is + " " + Chips.value(value));
      var input =
          switch (Edit.input(l.expr())) {
            case Expr.Source s ->
                new Expr.Source(s.name(), s.store(), Edit.both(s.where(), test), s.span());
            case Expr.Events e -> new Expr.Events(e.store(), Edit.both(e.where(), test), e.span());
            default -> throw Edit.fault("only metrics and events have conditions");
          };
      return Edit.with(query, line, Edit.chain(input, Edit.steps(l.expr())));
    }
  }

  /**
   * A step before another, or at the end.
   *
   * @param at from 0 to the number of steps
   */
  record AddStep(int line, int at, String text) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.withSteps(
          query,
          line,
          steps -> {
            steps.add(Edit.inside(at, steps.size() + 1, "step"), Edit.step(text));
            return steps;
          });
    }
  }

  record RemoveStep(int line, int step) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.withSteps(
          query,
          line,
          steps -> {
            steps.remove(Edit.inside(step, steps.size(), "step"));
            return steps;
          });
    }
  }

  /**
   * @param to its place among the steps after the move
   */
  record MoveStep(int line, int step, int to) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.withSteps(
          query,
          line,
          steps -> {
            var moved = steps.remove(Edit.inside(step, steps.size(), "step"));
            steps.add(Edit.inside(to, steps.size() + 1, "step"), moved);
            return steps;
          });
    }
  }

  /** Off, or on again. */
  record SwitchStep(int line, int step) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.withSteps(
          query,
          line,
          steps -> {
            var old = steps.get(Edit.inside(step, steps.size(), "step"));
            steps.set(
                step, old instanceof Step.Off off ? off.step() : new Step.Off(old, old.span()));
            return steps;
          });
    }
  }

  /**
   * One more line, after the others.
   *
   * @param text an expression
   */
  record AddLine(String text) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.added(query, Edit.expr(text));
    }
  }

  /** One more line that sends a statement to a database. */
  record AddStatement(String store, String statement) implements Edit {
    @Override
    public Query apply(Query query) {
      return Edit.added(query, new Expr.Sql(store, statement, SourceSpan.NONE));
    }
  }

  record RemoveLine(int line) implements Edit {
    @Override
    public Query apply(Query query) {
      var lines = new ArrayList<>(query.lines());
      lines.remove(Edit.inside(line, lines.size(), "line"));
      if (lines.isEmpty()) {
        throw Edit.fault("a query has at least one line");
      }
      return new Query(lines, query.source());
    }
  }

  record MoveLine(int line, int to) implements Edit {
    @Override
    public Query apply(Query query) {
      var lines = new ArrayList<>(query.lines());
      var moved = lines.remove(Edit.inside(line, lines.size(), "line"));
      lines.add(Edit.inside(to, lines.size() + 1, "line"), moved);
      return new Query(lines, query.source());
    }
  }

  /** Another name for a line; lines that use it follow. */
  record RenameLine(int line, String name) implements Edit {
    @Override
    public Query apply(Query query) {
      var old = Edit.line(query, line).name();
      if (query.lines().stream().anyMatch(l -> l.name().equals(name)) && !old.equals(name)) {
        throw Edit.fault("a line named `" + name + "` already exists");
      }
      if (name.isBlank() && query.lines().size() > 1) {
        throw Edit.fault("with several lines, each needs a name");
      }
      var lines = new ArrayList<Query.Line>();
      for (int i = 0; i < query.lines().size(); i++) {
        var l = query.lines().get(i);
        var expr = old.isEmpty() ? l.expr() : Edit.renamed(l.expr(), old, name);
        lines.add(
            new Query.Line(
                i == line ? name : l.name(), l.hidden() && !name.isBlank(), expr, l.span()));
      }
      return new Query(lines, query.source());
    }
  }

  /** Drawn, or only computed for other lines. */
  record ShowLine(int line) implements Edit {
    @Override
    public Query apply(Query query) {
      var lines = new ArrayList<>(query.lines());
      var old = Edit.line(query, line);
      lines.set(line, new Query.Line(old.name(), !old.hidden(), old.expr(), old.span()));
      return new Query(lines, query.source());
    }
  }

  /** Another expression in a line. */
  record LineText(int line, String text) implements Edit {
    @Override
    public Query apply(Query query) {
      Edit.line(query, line);
      return Edit.with(query, line, Edit.expr(text));
    }
  }

  /**
   * The text of a query after a change; the change is checked by parsing what it made.
   *
   * @param text of the query; blank: none yet, to which only lines can be added
   * @throws QueryException if either text is no query
   */
  static String apply(String text, Edit edit) {
    var query = text.isBlank() ? new Query(List.of(), Query.Source.NONE) : Parser.parse(text);
    var printed = Printer.print(edit.apply(query));
    return Printer.print(Parser.parse(printed));
  }

  // ---- parts ----

  private static QueryException fault(String words) {
    return new QueryException("edit", words, 0, 0);
  }

  private static int inside(int at, int count, String what) {
    if (at < 0 || at >= count) {
      throw fault("there is no " + what + " " + (at + 1) + "; the query was changed meanwhile");
    }
    return at;
  }

  private static Query.Line line(Query query, int at) {
    return query.lines().get(inside(at, query.lines().size(), "line"));
  }

  private static Expr input(Expr expr) {
    return expr instanceof Expr.Chain c ? c.input() : expr;
  }

  private static List<Step> steps(Expr expr) {
    return expr instanceof Expr.Chain c ? c.steps() : List.of();
  }

  /** An expression with steps after it; a chain takes them after its own. */
  private static Expr chain(Expr input, List<Step> steps) {
    var all = new ArrayList<>(steps(input));
    all.addAll(steps);
    return all.isEmpty() ? input : new Expr.Chain(input(input), all, SourceSpan.NONE);
  }

  private static Query with(Query query, int at, Expr expr) {
    var lines = new ArrayList<>(query.lines());
    var old = lines.get(at);
    lines.set(at, new Query.Line(old.name(), old.hidden(), expr, old.span()));
    return new Query(lines, query.source());
  }

  private static Query withSteps(Query query, int at, UnaryOperator<List<Step>> change) {
    var expr = line(query, at).expr();
    return with(query, at, chain(input(expr), change.apply(new ArrayList<>(steps(expr)))));
  }

  private static Expr expr(String text) {
    var lines = Parser.parse(text).lines();
    if (lines.size() != 1 || !lines.getFirst().name().isEmpty()) {
      throw fault("expected one expression without a name");
    }
    return lines.getFirst().expr();
  }

  private static Step step(String text) {
    var expr = expr("x then " + text);
    if (expr instanceof Expr.Chain c && c.steps().size() == 1) {
      return c.steps().getFirst();
    }
    throw fault("expected one step, for example `mean by host`");
  }

  private static Condition both(Condition a, Condition b) {
    if (a.equals(Condition.ALL) || a.equals(b)) {
      return b;
    }
    if (a instanceof Condition.And and && and.parts().contains(b)) {
      return a;
    }
    var parts = new ArrayList<Condition>();
    for (var c : List.of(a, b)) {
      if (c instanceof Condition.And and) {
        parts.addAll(and.parts());
      } else {
        parts.add(c);
      }
    }
    return new Condition.And(parts);
  }

  private static Query added(Query query, Expr expr) {
    var lines = new ArrayList<>(query.lines());
    if (lines.isEmpty()) {
      lines.add(new Query.Line("", false, expr, SourceSpan.NONE));
      return new Query(lines, query.source());
    }
    if (lines.size() == 1 && lines.getFirst().name().isEmpty()) {
      var only = lines.getFirst();
      lines.set(0, new Query.Line(freeName(lines), only.hidden(), only.expr(), only.span()));
    }
    lines.add(new Query.Line(freeName(lines), false, expr, SourceSpan.NONE));
    return new Query(lines, query.source());
  }

  private static String freeName(List<Query.Line> lines) {
    for (int n = 0; ; n++) {
      var name = (char) ('a' + n % 26) + (n < 26 ? "" : String.valueOf(n / 26));
      if (lines.stream().noneMatch(l -> l.name().equals(name))) {
        return name;
      }
    }
  }

  private static Expr renamed(Expr expr, String from, String to) {
    return Trees.map(
        expr,
        e -> {
          if (e instanceof Expr.Source s && s.name().equals(from) && s.store().isEmpty()) {
            return new Expr.Source(to, s.store(), s.where(), s.span());
          }
          return e;
        },
        s ->
            List.of(
                s instanceof Step.Join j && j.line().equals(from)
                    ? new Step.Join(to, j.on(), j.kind(), j.span())
                    : s));
  }
}
