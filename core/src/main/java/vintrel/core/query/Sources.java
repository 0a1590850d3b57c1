package vintrel.core.query;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/** The metrics and log records that a query reads. */
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

  /** The log records that a query reads, line by line from left to right. */
  public static List<Expr.Events> events(Query query) {
    var out = new ArrayList<Expr.Events>();
    if (query.line(Parser.EVENTS) == null) {
      query.lines().forEach(l -> events(l.expr(), out));
    }
    return out;
  }

  private static void events(Expr expr, List<Expr.Events> into) {
    switch (expr) {
      case Expr.Events e -> into.add(e);
      case Expr.Chain c -> events(c.input(), into);
      case Expr.Negative n -> events(n.of(), into);
      case Expr.Binary b -> {
        events(b.left(), into);
        events(b.right(), into);
      }
      default -> {}
    }
  }

  /**
   * Whether the first bucket of an expression's answer, where it begins before the range, holds
   * only what lies in the range. So it is where a metric, records or rows are put on the grid as
   * they are; steps that lay buckets or look back read it whole.
   */
  public static boolean cutAtFirst(Query query, Expr expr) {
    return cutAtFirst(query, expr, new HashMap<>());
  }

  /**
   * @param known of lines by name: each is looked at once, however often others use it
   */
  private static boolean cutAtFirst(Query query, Expr expr, Map<String, Boolean> known) {
    return switch (expr) {
      case Expr.Number n -> false;
      case Expr.Negative n -> cutAtFirst(query, n.of(), known);
      case Expr.Binary b ->
          cutAtFirst(query, b.left(), known) || cutAtFirst(query, b.right(), known);
      case Expr.Chain c ->
          c.steps().stream().noneMatch(Sources::readsWholeBuckets)
              && cutAtFirst(query, c.input(), known);
      case Expr.Source s -> {
        var line = query.line(s.name());
        if (line == null) {
          yield true;
        }
        if (!known.containsKey(s.name())) {
          known.put(s.name(), false);
          known.put(s.name(), cutAtFirst(query, line.expr(), known));
        }
        yield known.get(s.name());
      }
      case Expr.Events e -> true;
      case Expr.Sql s -> true;
    };
  }

  private static boolean readsWholeBuckets(Step step) {
    return step instanceof Step.Bucketing
        || step instanceof Step.Rate
        || step instanceof Step.Increase
        || step instanceof Step.Change
        || step instanceof Step.Slope;
  }
}
