package vintrel.core.query;

import java.util.List;

/** The metrics that a query reads. */
public final class Sources {
  private Sources() {}

  /** Adds the metrics of an expression, from left to right; other lines are not followed. */
  public static void of(Query query, Expr expr, List<Expr.Source> into) {
    switch (expr) {
      case Expr.Source s -> {
        if (query.line(s.name()) == null) {
          into.add(s);
        }
      }
      case Expr.Chain c -> of(query, c.input(), into);
      case Expr.Negative n -> of(query, n.of(), into);
      case Expr.Binary b -> {
        of(query, b.left(), into);
        of(query, b.right(), into);
      }
      default -> {}
    }
  }

  /** Whether a query reads log records. */
  public static boolean readsEvents(Query query) {
    return query.line(Parser.EVENTS) == null
        && query.lines().stream().anyMatch(l -> readsEvents(l.expr()));
  }

  private static boolean readsEvents(Expr expr) {
    return switch (expr) {
      case Expr.Events e -> true;
      case Expr.Chain c -> readsEvents(c.input());
      case Expr.Negative n -> readsEvents(n.of());
      case Expr.Binary b -> readsEvents(b.left()) || readsEvents(b.right());
      default -> false;
    };
  }
}
