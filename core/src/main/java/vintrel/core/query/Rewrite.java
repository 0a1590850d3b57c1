package vintrel.core.query;

import java.util.ArrayList;
import java.util.List;

/** A query with one part of its tree exchanged; parts are known by identity. */
final class Rewrite {
  private Rewrite() {}

  /** With other steps in place of one; with none it is taken out. */
  static String step(Query query, Step old, List<Step> instead) {
    return print(query, old, null, instead);
  }

  /** With another expression in place of one. */
  static String expr(Query query, Expr old, Expr instead) {
    return print(query, old, instead, null);
  }

  private static String print(Query query, Object old, Expr expr, List<Step> steps) {
    return Printer.print(
        new Query(
            query.lines().stream()
                .map(
                    l ->
                        new Query.Line(
                            l.name(), l.hidden(), walk(l.expr(), old, expr, steps), l.span()))
                .toList(),
            query.source()));
  }

  private static Expr walk(Expr e, Object old, Expr expr, List<Step> steps) {
    if (e == old) {
      return expr;
    }
    return switch (e) {
      case Expr.Binary b ->
          b.of(walk(b.left(), old, expr, steps), walk(b.right(), old, expr, steps));
      case Expr.Negative n -> new Expr.Negative(walk(n.of(), old, expr, steps), n.span());
      case Expr.Chain c -> {
        var out = new ArrayList<Step>();
        for (var s : c.steps()) {
          if (s == old) {
            out.addAll(steps);
          } else {
            out.add(s);
          }
        }
        yield chain(walk(c.input(), old, expr, steps), out, c.span());
      }
      default -> e;
    };
  }

  private static Expr chain(Expr input, List<Step> steps, SourceSpan span) {
    if (input instanceof Expr.Chain inner) {
      var all = new ArrayList<>(inner.steps());
      all.addAll(steps);
      return new Expr.Chain(inner.input(), all, span);
    }
    return steps.isEmpty() ? input : new Expr.Chain(input, steps, span);
  }
}
