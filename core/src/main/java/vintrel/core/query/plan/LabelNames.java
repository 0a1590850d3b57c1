package vintrel.core.query.plan;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Grouping;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Step;

/**
 * Which labels the series of an expression can have, as far as its text shows: after {@code by a,
 * b} no others than a and b, after an aggregation into one none. So whether series pair with all,
 * and whose labels a result has, depends on the query alone and not on how many series have data
 * just now. One query; not thread-safe.
 */
public final class LabelNames {
  /** The label of a histogram bucket's upper bound. */
  public static final String BOUND = "le";

  private final Query query;
  private final Map<String, Set<String>> lines = new HashMap<>();

  public LabelNames(Query query) {
    this.query = query;
  }

  /** The names of which the labels are some, or null if the text does not say. */
  Set<String> of(Expr expr) {
    return switch (expr) {
      case Expr.Number n -> Set.of();
      case Expr.Negative n -> of(n.of());
      case Expr.Source s -> query.line(s.name()) == null ? null : line(query.line(s.name()));
      case Expr.Events e -> null;
      case Expr.Sql s -> null;
      case Expr.Chain c -> {
        var names = of(c.input());
        for (var step : c.steps()) {
          names = after(step, names);
        }
        yield names;
      }
      case Expr.Binary b -> {
        var left = of(b.left());
        var right = of(b.right());
        if (b.on().isEmpty()) {
          boolean leftAll = left != null && left.isEmpty();
          yield left == null || leftAll ? right : left;
        }
        yield leftNames(b) ? left : right;
      }
    };
  }

  /** Whether the text shows that there are no labels, so that a series pairs with all. */
  public boolean none(Expr expr) {
    var names = of(expr);
    return names != null && names.isEmpty();
  }

  /**
   * Whether a result of series that are paired by some labels has the labels of the left side. It
   * does unless the text shows that the left has no others than those, and the right may.
   */
  public boolean leftNames(Expr.Binary b) {
    return !within(of(b.left()), b.on()) || within(of(b.right()), b.on());
  }

  private static boolean within(Set<String> names, List<String> on) {
    return names != null && on.containsAll(names);
  }

  private Set<String> line(Query.Line line) {
    if (!lines.containsKey(line.name())) {
      // Of a line that uses itself nothing is known; answering it is an error.
      lines.put(line.name(), null);
      lines.put(line.name(), of(line.expr()));
    }
    return lines.get(line.name());
  }

  private static Set<String> after(Step step, Set<String> names) {
    return switch (step) {
      case Step.Across a -> grouped(a.grouping(), names);
      case Step.Quantile q ->
          q.grouping().mode() == Grouping.Mode.BY
              ? grouped(q.grouping(), names)
              : less(names, with(q.grouping().labels(), BOUND));
      case Step.Band b -> names == null ? null : Set.copyOf(with(names, "band"));
      case Step.OnTable t -> null;
      default -> names;
    };
  }

  private static Set<String> grouped(Grouping grouping, Set<String> names) {
    return switch (grouping.mode()) {
      case ALL -> Set.of();
      case BY -> Set.copyOf(grouping.labels());
      case WITHOUT -> less(names, grouping.labels());
    };
  }

  private static Set<String> less(Set<String> names, List<String> dropped) {
    if (names == null) {
      return null;
    }
    var out = new HashSet<>(names);
    dropped.forEach(out::remove);
    return out;
  }

  private static List<String> with(java.util.Collection<String> names, String more) {
    var out = new ArrayList<>(names);
    out.add(more);
    return out;
  }
}
