package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;

/** The metrics and log records that a query reads. */
public final class Sources {
  private Sources() {}

  /** Adds the metrics of an expression, from left to right; other lines are not followed. */
  public static void collect(Query query, Expr expr, List<Expr.Source> into) {
    Trees.walk(
        expr,
        e -> {
          if (e instanceof Expr.Source s && query.line(s.name()) == null) {
            into.add(s);
          }
        });
  }

  /** The events that a query reads, line by line from left to right. */
  public static List<Expr.Events> events(Query query) {
    var out = new ArrayList<Expr.Events>();
    if (query.line(Parser.EVENTS) == null) {
      for (var line : query.lines()) {
        Trees.walk(
            line.expr(),
            e -> {
              if (e instanceof Expr.Events events) {
                out.add(events);
              }
            });
      }
    }
    return out;
  }
}
