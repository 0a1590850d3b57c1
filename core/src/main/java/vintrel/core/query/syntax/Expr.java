package vintrel.core.query.syntax;

import java.util.List;
import vintrel.core.series.Condition;

/** What a line is made of. */
public sealed interface Expr {
  SourceSpan span();

  /**
   * A metric, or another line if one has this name.
   *
   * @param store the store to ask, or empty for all
   */
  record Source(String name, String store, Condition where, SourceSpan span) implements Expr {}

  /**
   * Log records.
   *
   * @param store the store to ask, or empty for all
   * @param where on level, text, labels, and fields by their path
   */
  record Events(String store, Condition where, SourceSpan span) implements Expr {}

  /** A statement for an SQL store. */
  record Sql(String store, String statement, SourceSpan span) implements Expr {}

  record Number(double value, SourceSpan span) implements Expr {}

  /** An expression and the steps after it; at least one. The input is never a chain itself. */
  record Chain(Expr input, List<Step> steps, SourceSpan span) implements Expr {
    public Chain {
      steps = List.copyOf(steps);
    }
  }

  /**
   * @param on labels to pair series by; empty: all labels
   * @param missing what a missing value counts as if the other side has one, or null
   */
  record Binary(
      Operator operator, Expr left, Expr right, List<String> on, Double missing, SourceSpan span)
      implements Expr {

    /** Whether a clause about the pairing follows the right operand. */
    boolean hasClause() {
      return !on.isEmpty() || missing != null;
    }

    Binary of(Expr newLeft, Expr newRight) {
      return new Binary(operator, newLeft, newRight, on, missing, span);
    }
  }

  record Negative(Expr of, SourceSpan span) implements Expr {}

  /** Binary operators; a higher level binds tighter. */
  enum Operator {
    EQUAL("=", 1),
    NOT_EQUAL("!=", 1),
    LESS("<", 1),
    AT_MOST("<=", 1),
    GREATER(">", 1),
    AT_LEAST(">=", 1),
    PLUS("+", 2),
    MINUS("-", 2),
    TIMES("*", 3),
    OVER("/", 3),
    REST("%", 3),
    POWER("^", 5);

    private final String text;
    private final int level;

    Operator(String text, int level) {
      this.text = text;
      this.level = level;
    }

    public String text() {
      return text;
    }

    int level() {
      return level;
    }

    public boolean comparison() {
      return level == 1;
    }

    /** The operator's value; comparisons give 1 or 0. A missing operand (NaN) gives NaN. */
    public double apply(double a, double b) {
      if (Double.isNaN(a) || Double.isNaN(b)) {
        return Double.NaN;
      }
      return switch (this) {
        case EQUAL -> a == b ? 1 : 0;
        case NOT_EQUAL -> a != b ? 1 : 0;
        case LESS -> a < b ? 1 : 0;
        case AT_MOST -> a <= b ? 1 : 0;
        case GREATER -> a > b ? 1 : 0;
        case AT_LEAST -> a >= b ? 1 : 0;
        case PLUS -> a + b;
        case MINUS -> a - b;
        case TIMES -> a * b;
        case OVER -> b == 0 ? Double.NaN : a / b;
        case REST -> b == 0 ? Double.NaN : a % b;
        case POWER -> Math.pow(a, b);
      };
    }
  }
}
