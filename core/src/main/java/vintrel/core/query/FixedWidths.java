package vintrel.core.query;

/** The pitches and windows that steps pin. */
final class FixedWidths {
  private FixedWidths() {}

  /** The longest in a query, ms, or 0. */
  static long longest(Query query) {
    long[] longest = {0};
    for (var line : query.lines()) {
      visit(line.expr(), longest);
    }
    return longest[0];
  }

  private static void visit(Expr expr, long[] longest) {
    switch (expr) {
      case Expr.Binary b -> {
        visit(b.left(), longest);
        visit(b.right(), longest);
      }
      case Expr.Negative n -> visit(n.of(), longest);
      case Expr.Chain c -> {
        visit(c.input(), longest);
        for (var s : c.steps()) {
          longest[0] = Math.max(longest[0], of(s));
        }
      }
      default -> {}
    }
  }

  /** The pitch or window that a step pins, ms, or 0. */
  static long of(Step step) {
    return switch (step) {
      case Step.Bucketing o -> o.millis();
      case Step.Rate r -> r.every();
      case Step.Increase i -> i.every();
      case Step.Change c -> c.millis();
      case Step.Slope s -> s.millis();
      default -> 0;
    };
  }
}
