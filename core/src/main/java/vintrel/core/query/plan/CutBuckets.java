package vintrel.core.query.plan;

import java.util.HashMap;
import java.util.Map;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Query;

/** Which answers have a first bucket that is only partly inside the range. Pure; any thread. */
public final class CutBuckets {
  private CutBuckets() {}

  /**
   * Whether the first bucket of an expression's answer, if it begins before the range, holds only
   * values inside the range. This is so for a metric, events or rows that are put on the grid as
   * they are; steps that make buckets of samples read the first one whole.
   */
  public static boolean first(Query query, Expr expr) {
    return first(query, expr, new HashMap<>());
  }

  /**
   * @param known results by line name: each line is looked at once, however often others use it
   */
  private static boolean first(Query query, Expr expr, Map<String, Boolean> known) {
    return switch (expr) {
      case Expr.Number n -> false;
      case Expr.Negative n -> first(query, n.of(), known);
      case Expr.Binary b -> first(query, b.left(), known) || first(query, b.right(), known);
      case Expr.Chain c ->
          c.steps().stream().noneMatch(s -> Traits.of(s).makesBuckets())
              && first(query, c.input(), known);
      case Expr.Source s -> {
        var line = query.line(s.name());
        if (line == null) {
          yield true;
        }
        if (!known.containsKey(s.name())) {
          known.put(s.name(), false);
          known.put(s.name(), first(query, line.expr(), known));
        }
        yield known.get(s.name());
      }
      case Expr.Events e -> true;
      case Expr.Sql s -> true;
    };
  }
}
