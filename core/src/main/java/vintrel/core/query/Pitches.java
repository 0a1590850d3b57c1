package vintrel.core.query;

import java.util.HashMap;
import java.util.Map;

/**
 * The pitch of the buckets that parts of a query have, as far as its text says. Not thread-safe.
 */
final class Pitches {
  private final Query query;
  private final long own;
  private final Map<String, Long> lines = new HashMap<>();

  /**
   * @param own ms of buckets that no step pins
   */
  Pitches(Query query, long own) {
    this.query = query;
    this.own = own;
  }

  /** The pitch of an expression's buckets, ms, or of those that it will be put on. */
  long of(Expr expr) {
    return switch (expr) {
      case Expr.Source s when query.line(s.name()) != null -> line(query.line(s.name()));
      case Expr.Negative n -> of(n.of());
      case Expr.Binary b -> Math.max(of(b.left()), of(b.right()));
      case Expr.Chain c -> {
        long pitch = of(c.input());
        for (var step : c.steps()) {
          pitch = after(step, pitch);
        }
        yield pitch;
      }
      default -> own;
    };
  }

  private long line(Query.Line line) {
    if (!lines.containsKey(line.name())) {
      lines.put(line.name(), own);
      lines.put(line.name(), of(line.expr()));
    }
    return lines.get(line.name());
  }

  /** The pitch after a step on buckets of a pitch. */
  long after(Step step, long before) {
    return switch (step) {
      case Step.Bucketing o -> o.sliding() ? before : o.millis();
      case Step.Change c -> c.sliding() || c.millis() == 0 ? before : c.millis();
      case Step.Slope s -> s.sliding() || s.millis() == 0 ? before : s.millis();
      case Step.Rate r -> r.every() == 0 ? before : r.every();
      case Step.Increase i -> i.every() == 0 ? before : i.every();
      default -> before;
    };
  }
}
