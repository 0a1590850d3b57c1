package vintrel.core.query.syntax;

import java.util.List;
import java.util.function.Function;
import vintrel.core.series.Condition;

/** A query that stands for itself: with the values of its controls and its store. */
public final class Binding {
  private Binding() {}

  /**
   * The text of a query in which controls are replaced by what is chosen, so that it gives the same
   * where there are none. A query without any, and without a store to name, stays as it is.
   *
   * @param controls values of a control; null or empty: all
   * @param store named where a source names none; empty: none is named
   */
  public static String text(String text, Function<String, List<String>> controls, String store) {
    var query = Parser.parse(text);
    if (store.isEmpty() && !text.contains("$")) {
      return text;
    }
    var lines =
        query.lines().stream()
            .map(
                l ->
                    new Query.Line(
                        l.name(), l.hidden(), bound(l.expr(), query, controls, store), l.span()))
            .toList();
    var out = Printer.print(new Query(lines, query.source()));
    try {
      Parser.parse(out);
      return out;
    } catch (QueryException e) {
      // What excludes every choice, when all are chosen, can't be written.
      return text;
    }
  }

  private static Expr bound(
      Expr expr, Query query, Function<String, List<String>> controls, String store) {
    return Trees.map(
        expr,
        e ->
            switch (e) {
              case Expr.Source s -> {
                boolean line = query.line(s.name()) != null;
                var in = line || !s.store().isEmpty() ? s.store() : store;
                yield new Expr.Source(s.name(), in, plain(s.where().bind(controls)), s.span());
              }
              case Expr.Events v -> {
                boolean line = query.line(Parser.EVENTS) != null;
                var in = line || !v.store().isEmpty() ? v.store() : store;
                yield new Expr.Events(in, plain(v.where().bind(controls)), v.span());
              }
              default -> e;
            },
        List::of);
  }

  /** Without parts that are always true. */
  private static Condition plain(Condition c) {
    return c instanceof Condition.Or or && or.parts().contains(Condition.ALL) ? Condition.ALL : c;
  }
}
