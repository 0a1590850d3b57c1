package vintrel.core.query.plan;

import java.util.HashMap;
import java.util.Map;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Step;

/**
 * The pitch of the buckets that parts of a query have, as far as its text shows. Not thread-safe.
 */
public final class Pitches {
  private final Query query;
  private final long own;
  private final Map<String, Long> lines = new HashMap<>();

  /**
   * @param own ms of buckets that no step pins
   */
  public Pitches(Query query, long own) {
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
    var traits = Traits.of(step);
    return traits.sliding() || traits.width() == 0 ? before : traits.width();
  }
}
