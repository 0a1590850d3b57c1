package vintrel.core.query.syntax;

import java.util.ArrayList;
import vintrel.core.frame.Formula;
import vintrel.core.frame.Formula.Operator;
import vintrel.core.query.syntax.Lexer.Kind;

/** Expressions over the columns of a table: {@code value > 5 and gate like 'north-%'}. */
final class FormulaParser {
  private static final int MAX_DEPTH = 100;

  /** Operators of a formula: a row of them is a tree as deep as it is long. */
  private static final int MAX_OPERATORS = 200;

  private static final int COMPARISON = 3;
  private static final int TIGHTEST = 5;

  private final TokenReader in;
  private int depth;
  private int operators;

  FormulaParser(TokenReader in) {
    this.in = in;
  }

  Formula formula() {
    return binary(1);
  }

  private Formula binary(int level) {
    if (level > TIGHTEST) {
      return unary();
    }
    var left = binary(level + 1);
    while (true) {
      var op = operator(level);
      if (op != null) {
        count();
        left = new Formula.Two(op, left, binary(level + 1));
      } else if (level == COMPARISON && membership()) {
        left = among(left);
      } else {
        return left;
      }
    }
  }

  private void count() {
    if (++operators > MAX_OPERATORS) {
      throw in.error("a formula has at most " + MAX_OPERATORS + " operators", in.peek().span());
    }
    in.take();
  }

  private Operator operator(int level) {
    var token = in.peek();
    if (token.kind() == Kind.SYMBOL || token.kind() == Kind.WORD) {
      for (var op : Operator.values()) {
        if (op.level() == level && op.text().equals(token.text())) {
          return op;
        }
      }
    }
    return null;
  }

  private boolean membership() {
    return in.peek().is("in") || in.peek().is("not") && in.peek(1).is("in");
  }

  private Formula among(Formula of) {
    boolean negated = in.accept("not");
    in.expect("in");
    in.expect("(");
    var among = new ArrayList<Formula>();
    do {
      among.add(binary(COMPARISON + 1));
    } while (in.accept(","));
    in.expect(")");
    return new Formula.In(of, among, negated);
  }

  private Formula unary() {
    if (++depth > MAX_DEPTH) {
      throw in.error("expressions nested more than " + MAX_DEPTH + " deep", in.peek().span());
    }
    try {
      if (in.accept("-")) {
        var of = unary();
        return of instanceof Formula.Number n
            ? new Formula.Number(-n.value())
            : new Formula.Negative(of);
      }
      if (in.accept("not")) {
        return new Formula.Not(binary(COMPARISON));
      }
      var left = primary();
      if (operator(Operator.POWER.level()) == null) {
        return left;
      }
      // From right to left, and before a sign: -a ^ b ^ c is -(a ^ (b ^ c)).
      count();
      return new Formula.Two(Operator.POWER, left, unary());
    } finally {
      depth--;
    }
  }

  private Formula primary() {
    var token = in.peek();
    switch (token.kind()) {
      case NUMBER -> {
        return new Formula.Number(in.take().number());
      }
      case TEXT -> {
        return new Formula.Text(in.take().text());
      }
      case DURATION -> {
        // Seconds: what durations are measured in.
        return new Formula.Number(in.take().number() / 1000);
      }
      case WORD, QUOTED -> {
        var name = in.name("a column, a number or a quoted text").text();
        return in.accept("exists") ? new Formula.Exists(name) : new Formula.Cell(name);
      }
      default -> {
        in.expect("(");
        var inner = formula();
        in.expect(")");
        return inner;
      }
    }
  }
}
