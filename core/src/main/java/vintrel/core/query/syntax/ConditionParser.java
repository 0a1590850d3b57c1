package vintrel.core.query.syntax;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.series.Condition;
import vintrel.core.series.Condition.Operator;
import vintrel.core.series.Patterns;

/**
 * The conditions after {@code where}: as in SQL, {@code or} binds loosest, {@code not} tightest.
 */
final class ConditionParser {
  private static final int MAX_DEPTH = 200;
  private final TokenReader in;
  private int depth;

  ConditionParser(TokenReader in) {
    this.in = in;
  }

  Condition condition() {
    var parts = new ArrayList<Condition>();
    do {
      parts.add(all());
    } while (in.accept("or"));
    return parts.size() == 1 ? parts.getFirst() : new Condition.Or(List.copyOf(parts));
  }

  private Condition all() {
    var parts = new ArrayList<Condition>();
    do {
      parts.add(one());
    } while (in.accept("and"));
    return parts.size() == 1 ? parts.getFirst() : new Condition.And(List.copyOf(parts));
  }

  private Condition one() {
    if (++depth > MAX_DEPTH) {
      throw in.error("conditions nested more than " + MAX_DEPTH + " deep", in.peek().span());
    }
    try {
      if (in.accept("not")) {
        return new Condition.Not(one());
      }
      if (in.accept("(")) {
        var inner = condition();
        in.expect(")");
        return inner;
      }
      return test();
    } finally {
      depth--;
    }
  }

  private Condition test() {
    var label = in.name("a label's name").text();
    if (in.accept("exists")) {
      return new Condition.Test(label, Operator.EXISTS, List.of());
    }
    if (in.accept("=")) {
      return one(label, Operator.EQUAL);
    }
    if (in.accept("!=")) {
      return one(label, Operator.NOT_EQUAL);
    }
    boolean not = in.accept("not");
    if (in.accept("in")) {
      return new Condition.Test(label, not ? Operator.NOT_IN : Operator.IN, several());
    }
    if (in.accept("like")) {
      return one(label, not ? Operator.NOT_LIKE : Operator.LIKE);
    }
    if (in.accept("matches")) {
      return pattern(label, not ? Operator.NOT_MATCHES : Operator.MATCHES);
    }
    throw in.unexpected("=, !=, in, not in, like, not like, matches or exists");
  }

  private Condition one(String label, Operator operator) {
    return new Condition.Test(label, operator, List.of(value()));
  }

  private Condition pattern(String label, Operator operator) {
    var place = in.peek().span();
    var value = value();
    if (!value.control()) {
      try {
        Patterns.of(value.text());
      } catch (com.google.re2j.PatternSyntaxException e) {
        throw in.error(
            "`" + value.text() + "` is not a valid regular expression: " + e.getDescription(),
            place);
      }
    }
    return new Condition.Test(label, operator, List.of(value));
  }

  private List<Condition.Value> several() {
    if (in.peek().kind() == Kind.CONTROL) {
      return List.of(value());
    }
    in.expect("(");
    var out = new ArrayList<Condition.Value>();
    do {
      out.add(value());
    } while (in.accept(","));
    in.expect(")");
    return out;
  }

  private Condition.Value value() {
    var t = in.peek();
    return switch (t.kind()) {
      case TEXT, NUMBER -> new Condition.Value(in.take().text(), false);
      case CONTROL -> new Condition.Value(in.take().text(), true);
      case WORD, QUOTED ->
          throw in.error("put the value in single quotes: '" + t.text() + "'", t.span());
      default -> throw in.unexpected("a value in single quotes, or a control such as $site");
    };
  }
}
