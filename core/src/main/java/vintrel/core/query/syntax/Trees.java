package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.UnaryOperator;

/**
 * The walk and the map of query trees, once for all that only look at some nodes. What gives every
 * kind of node a meaning of its own (evaluation, printing) has an exhaustive switch instead. Lines
 * that a node names are not followed. Pure; any thread.
 */
public final class Trees {
  private Trees() {}

  /** Every expression of a tree: a node before its parts, these from left to right. */
  public static void walk(Expr expr, Consumer<Expr> each) {
    each.accept(expr);
    parts(expr).forEach(p -> walk(p, each));
  }

  /** Every step of a tree, in the order of the chains that {@link #walk} meets. */
  public static void steps(Expr expr, Consumer<Step> each) {
    walk(
        expr,
        e -> {
          if (e instanceof Expr.Chain c) {
            c.steps().forEach(each);
          }
        });
  }

  private static List<Expr> parts(Expr expr) {
    return switch (expr) {
      case Expr.Chain c -> List.of(c.input());
      case Expr.Negative n -> List.of(n.of());
      case Expr.Binary b -> List.of(b.left(), b.right());
      case Expr.Source s -> List.of();
      case Expr.Events e -> List.of();
      case Expr.Sql s -> List.of();
      case Expr.Number n -> List.of();
    };
  }

  /**
   * A tree in which some nodes are others. What takes a node's place is not looked into.
   *
   * @param node the node in its place, or the same node
   * @param step the steps in place of a step; none takes it out
   */
  public static Expr map(Expr expr, UnaryOperator<Expr> node, Function<Step, List<Step>> step) {
    var changed = node.apply(expr);
    if (changed != expr) {
      return changed;
    }
    return switch (expr) {
      case Expr.Binary b -> b.of(map(b.left(), node, step), map(b.right(), node, step));
      case Expr.Negative n -> new Expr.Negative(map(n.of(), node, step), n.span());
      case Expr.Chain c ->
          chain(
              map(c.input(), node, step),
              c.steps().stream().map(step).flatMap(List::stream).toList(),
              c.span());
      default -> expr;
    };
  }

  /** A chain whose input may be a chain, or that may have lost all its steps. */
  private static Expr chain(Expr input, List<Step> steps, SourceSpan span) {
    if (input instanceof Expr.Chain inner) {
      var all = new ArrayList<>(inner.steps());
      all.addAll(steps);
      return new Expr.Chain(inner.input(), all, span);
    }
    return steps.isEmpty() ? input : new Expr.Chain(input, steps, span);
  }
}
