package vintrel.core.query.syntax;

import java.util.List;
import java.util.function.Function;
import java.util.function.UnaryOperator;

/** The text of a query with one part of its tree replaced; parts are compared by identity. */
public final class Rewrite {
  private Rewrite() {}

  /** With other steps in place of one; with none it is removed. */
  public static String step(Query query, Step old, List<Step> instead) {
    return print(query, e -> e, s -> s == old ? instead : List.of(s));
  }

  /** With another expression in place of one. */
  public static String expr(Query query, Expr old, Expr instead) {
    return print(query, e -> e == old ? instead : e, List::of);
  }

  private static String print(
      Query query, UnaryOperator<Expr> node, Function<Step, List<Step>> step) {
    return Printer.print(
        new Query(
            query.lines().stream()
                .map(
                    l ->
                        new Query.Line(
                            l.name(), l.hidden(), Trees.map(l.expr(), node, step), l.span()))
                .toList(),
            query.source()));
  }
}
