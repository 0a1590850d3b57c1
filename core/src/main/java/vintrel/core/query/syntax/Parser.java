package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.query.syntax.Lexer.Token;
import vintrel.core.series.Condition;

/** Recursive descent over the tokens of a query; steps and conditions have parsers of their own. */
public final class Parser {
  /** The source of log records; a metric of this name is written in double quotes. */
  public static final String EVENTS = "events";

  /** Parts inside each other: parentheses, signs, powers. */
  private static final int MAX_DEPTH = 100;

  /** Operators of a query: a row of them is a tree as deep as it is long. */
  private static final int MAX_OPERATORS = 300;

  private static final int MAX_LINES = 200;
  private static final int MAX_STEPS = 100;

  final TokenReader in;
  private int depth;
  private int operators;

  private Parser(String text) {
    this.in = new TokenReader(text);
  }

  /**
   * The tree of a text.
   *
   * @throws QueryException with code {@code syntax} and the place
   */
  public static Query parse(String text) {
    return new Parser(text).query();
  }

  /** The condition of a text, as after {@code where}; blank means all. */
  public static Condition parseCondition(String text) {
    if (text == null || text.isBlank()) {
      return Condition.ALL;
    }
    var in = new TokenReader(text);
    var condition = new ConditionParser(in).condition();
    in.expectEnd();
    return condition;
  }

  private Query query() {
    var lines = new ArrayList<Query.Line>();
    var names = new HashSet<String>();
    do {
      var line = line();
      if (!names.add(line.name())) {
        throw in.error("two lines are named `" + line.name() + "`; rename one", line.span());
      }
      if (names.size() > MAX_LINES) {
        throw in.error("a query has at most " + MAX_LINES + " lines", line.span());
      }
      lines.add(line);
    } while (in.peek().kind() != Kind.END);
    if (lines.size() > 1 && names.contains("")) {
      var nameless = lines.stream().filter(l -> l.name().isEmpty()).findFirst().orElseThrow();
      throw in.error(
          "when there are several lines, each needs a name, for example `errors: …`",
          nameless.span());
    }
    return new Query(lines, new Query.Source(in.text()));
  }

  private Query.Line line() {
    var start = in.peek().span();
    boolean hidden = false;
    if (in.peek().is("hidden") && in.peek(2).is(":")) {
      in.take();
      hidden = true;
    }
    String name = "";
    if (nameAhead()) {
      name = in.take().text();
      in.take();
    }
    var expr = pipe();
    if (in.peek().kind() != Kind.END && !nameAhead() && !hiddenAhead()) {
      throw in.unexpected("'then', an operator, or the next line's name and ':'");
    }
    return new Query.Line(name, hidden, expr, start.to(expr.span()));
  }

  private boolean nameAhead() {
    var kind = in.peek().kind();
    return (kind == Kind.WORD || kind == Kind.QUOTED) && in.peek(1).is(":");
  }

  private boolean hiddenAhead() {
    return in.peek().is("hidden") && in.peek(2).is(":");
  }

  private Expr pipe() {
    if (++depth > MAX_DEPTH) {
      throw in.error("parentheses nested more than " + MAX_DEPTH + " deep", in.peek().span());
    }
    var input = binary(1);
    var steps = new ArrayList<Step>();
    var stepParser = new StepParser(in);
    while (in.accept("then")) {
      if (steps.size() >= MAX_STEPS) {
        throw in.error("a line has at most " + MAX_STEPS + " steps", in.peek().span());
      }
      steps.add(stepParser.step());
      var second = stepParser.second();
      if (second != null) {
        steps.add(second);
      }
    }
    depth--;
    if (steps.isEmpty()) {
      return input;
    }
    var span = input.span().to(steps.getLast().span());
    if (input instanceof Expr.Chain inner) {
      var all = new ArrayList<>(inner.steps());
      all.addAll(steps);
      return new Expr.Chain(inner.input(), all, span);
    }
    return new Expr.Chain(input, steps, span);
  }

  private Expr binary(int level) {
    if (level == 4) {
      return unary();
    }
    var left = binary(level + 1);
    for (var op = operator(level); op != null; op = operator(level)) {
      in.take();
      left = pair(op, left, binary(level + 1));
    }
    return left;
  }

  private Expr unary() {
    var start = in.peek().span();
    if (in.accept("-")) {
      if (++depth > MAX_DEPTH) {
        throw in.error("more than " + MAX_DEPTH + " signs in a row", start);
      }
      var of = unary();
      depth--;
      return of instanceof Expr.Number n
          ? new Expr.Number(-n.value(), start.to(n.span()))
          : new Expr.Negative(of, start.to(of.span()));
    }
    var left = primary();
    if (operator(5) == Expr.Operator.POWER) {
      if (++depth > MAX_DEPTH) {
        throw in.error("more than " + MAX_DEPTH + " powers in a row", start);
      }
      in.take();
      var power = pair(Expr.Operator.POWER, left, unary());
      depth--;
      return power;
    }
    return left;
  }

  private Expr pair(Expr.Operator op, Expr left, Expr right) {
    if (++operators > MAX_OPERATORS) {
      throw in.error("a query has at most " + MAX_OPERATORS + " operators", right.span());
    }
    List<String> on = in.accept("on") ? in.labels(true) : List.of();
    Double missing = in.accept("missing") ? (Double) in.number() : null;
    return new Expr.Binary(op, left, right, on, missing, left.span().to(in.before()));
  }

  private Expr.Operator operator(int level) {
    var token = in.peek();
    if (token.kind() == Kind.SYMBOL) {
      for (var op : Expr.Operator.values()) {
        if (op.level() == level && op.text().equals(token.text())) {
          return op;
        }
      }
    }
    return null;
  }

  private Expr primary() {
    Token token = in.peek();
    switch (token.kind()) {
      case NUMBER -> {
        in.take();
        return new Expr.Number(token.number(), token.span());
      }
      case WORD -> {
        return token.text().equals("sql") && in.peek(1).kind() == Kind.TEXT ? sql() : source();
      }
      case QUOTED -> {
        return source();
      }
      default -> {
        if (in.accept("(")) {
          var inner = pipe();
          in.expect(")");
          return inner;
        }
        throw in.unexpected("a metric, a line's name, a number or '('");
      }
    }
  }

  private Expr sql() {
    var start = in.take().span();
    var store = in.take().text();
    var statement = in.text("a statement in \"\"\" … \"\"\" or");
    return new Expr.Sql(store, statement, start.to(in.before()));
  }

  private Expr source() {
    var name = in.take();
    if (name.kind() == Kind.WORD && TokenReader.KEYWORDS.contains(name.text())) {
      in.back();
      throw in.unexpected("a metric, a line's name, a number or '('");
    }
    String store = "";
    if (in.accept("in")) {
      store = in.name("a store's name").text();
    }
    var where = in.accept("where") ? new ConditionParser(in).condition() : Condition.ALL;
    var span = name.span().to(in.before());
    return name.kind() == Kind.WORD && name.text().equals(EVENTS)
        ? new Expr.Events(store, where, span)
        : new Expr.Source(name.text(), store, where, span);
  }
}
