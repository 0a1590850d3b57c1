package vintrel.core.frame;

import java.util.List;
import vintrel.core.series.Condition;

/**
 * An expression over the columns of a table, row by row. A number is missing (NaN) if anything it
 * is made of is; a comparison gives 1 or 0, and 0 if a number is missing.
 */
public sealed interface Formula {
  /** A column by its name. */
  record Cell(String column) implements Formula {}

  record Number(double value) implements Formula {}

  record Text(String value) implements Formula {}

  record Two(Operator operator, Formula left, Formula right) implements Formula {}

  record Negative(Formula of) implements Formula {}

  record Not(Formula of) implements Formula {}

  /** Whether a value is among others. */
  record In(Formula of, List<Formula> among, boolean negated) implements Formula {
    public In {
      among = List.copyOf(among);
    }
  }

  /** Whether a column has a value in the row. */
  record Exists(String column) implements Formula {}

  /** Binary operators; a higher level binds tighter. */
  enum Operator {
    OR("or", 1),
    AND("and", 2),
    EQUAL("=", 3),
    NOT_EQUAL("!=", 3),
    LESS("<", 3),
    AT_MOST("<=", 3),
    GREATER(">", 3),
    AT_LEAST(">=", 3),
    LIKE("like", 3),
    MATCHES("matches", 3),
    PLUS("+", 4),
    MINUS("-", 4),
    TIMES("*", 5),
    OVER("/", 5),
    REST("%", 5),
    POWER("^", 6);

    private final String text;
    private final int level;

    Operator(String text, int level) {
      this.text = text;
      this.level = level;
    }

    public String text() {
      return text;
    }

    public int level() {
      return level;
    }
  }

  /** A value of one row: a text, or a number. */
  record Value(String text, double number) {
    boolean isText() {
      return text != null;
    }

    static Value of(double number) {
      return new Value(null, number);
    }

    static Value of(boolean truth) {
      return of(truth ? 1 : 0);
    }

    boolean truth() {
      return isText() ? !text.isEmpty() : number != 0 && !Double.isNaN(number);
    }
  }

  /**
   * Its value in a row.
   *
   * @throws FrameException if a column is not there, or a text stands where a number must
   */
  default Value at(Frame frame, int row) {
    return switch (this) {
      case Cell c -> cell(Tables.column(frame, c.column()), row);
      case Number n -> Value.of(n.value());
      case Text t -> new Value(t.value(), Double.NaN);
      case Negative n -> Value.of(-number(n.of().at(frame, row)));
      case Not n -> Value.of(!n.of().at(frame, row).truth());
      case Exists e -> {
        var v = cell(Tables.column(frame, e.column()), row);
        yield Value.of(v.isText() ? !v.text().isEmpty() : !Double.isNaN(v.number()));
      }
      case In in -> {
        var v = in.of().at(frame, row);
        boolean hit = in.among().stream().anyMatch(a -> same(v, a.at(frame, row)));
        yield Value.of(hit != in.negated());
      }
      case Two two -> two(two, frame, row);
    };
  }

  private static Value two(Two two, Frame frame, int row) {
    var left = two.left().at(frame, row);
    if (two.operator() == Operator.AND || two.operator() == Operator.OR) {
      boolean enough = left.truth() == (two.operator() == Operator.OR);
      return enough ? Value.of(left.truth()) : Value.of(two.right().at(frame, row).truth());
    }
    var right = two.right().at(frame, row);
    return switch (two.operator()) {
      case EQUAL -> Value.of(same(left, right));
      case NOT_EQUAL -> Value.of(!same(left, right));
      case LESS -> Value.of(compare(left, right) < 0);
      case AT_MOST -> Value.of(compare(left, right) <= 0);
      case GREATER -> Value.of(compare(left, right) > 0);
      case AT_LEAST -> Value.of(compare(left, right) >= 0);
      case LIKE -> pattern(Condition.Operator.LIKE, left, right);
      case MATCHES -> pattern(Condition.Operator.MATCHES, left, right);
      case PLUS -> Value.of(number(left) + number(right));
      case MINUS -> Value.of(number(left) - number(right));
      case TIMES -> Value.of(number(left) * number(right));
      case OVER -> Value.of(number(right) == 0 ? Double.NaN : number(left) / number(right));
      case POWER -> Value.of(Math.pow(number(left), number(right)));
      case REST -> Value.of(number(right) == 0 ? Double.NaN : number(left) % number(right));
      case AND, OR -> throw new IllegalStateException("handled above");
    };
  }

  private static Value cell(Column column, int row) {
    return switch (column) {
      case Column.Number n -> Value.of(n.values()[row]);
      case Column.Text t -> new Value(t.values()[row], Double.NaN);
      case Column.Time t -> {
        long ms = t.values()[row];
        yield Value.of(ms == Long.MIN_VALUE ? Double.NaN : ms);
      }
    };
  }

  private static double number(Value v) {
    if (v.isText()) {
      throw new FrameException("`" + v.text() + "` is text, but a number is needed");
    }
    return v.number();
  }

  private static boolean same(Value a, Value b) {
    return a.isText() && b.isText()
        ? a.text().equals(b.text())
        : !a.isText() && !b.isText() && a.number() == b.number();
  }

  /** Less, equal, greater as -1, 0, 1; NaN if they can't be compared. */
  private static double compare(Value a, Value b) {
    if (a.isText() != b.isText()) {
      throw new FrameException("a text and a number can't be compared");
    }
    if (a.isText()) {
      return Integer.signum(a.text().compareTo(b.text()));
    }
    return Double.isNaN(a.number()) || Double.isNaN(b.number())
        ? Double.NaN
        : Double.compare(a.number(), b.number());
  }

  private static Value pattern(Condition.Operator operator, Value of, Value pattern) {
    if (!of.isText() || !pattern.isText()) {
      throw new FrameException("`" + operator.text() + "` works on text only");
    }
    return Value.of(Condition.Test.of("", operator, pattern.text()).accepts(of.text()));
  }
}
