package vintrel.core.series;

import com.google.re2j.PatternSyntaxException;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Function;

/**
 * A condition on labels, as written after {@code where}. An absent label is different from every
 * value: {@code =}, {@code in}, {@code like} and {@code matches} are false for it, their negations
 * true.
 */
public sealed interface Condition {
  /** True for labels that fulfil the condition. Controls must have been bound before. */
  boolean test(Labels labels);

  /**
   * The condition with every control replaced by its values. A control with no value means "all":
   * its test is dropped (true); with several, {@code =} becomes {@code in}.
   */
  Condition bind(Function<String, List<String>> controls);

  Condition ALL = new And(List.of());

  enum Operator {
    EQUAL("="),
    NOT_EQUAL("!="),
    IN("in"),
    NOT_IN("not in"),
    LIKE("like"),
    NOT_LIKE("not like"),
    MATCHES("matches"),
    NOT_MATCHES("not matches"),
    EXISTS("exists");

    private final String text;

    Operator(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }

    public boolean negative() {
      return this == NOT_EQUAL || this == NOT_IN || this == NOT_LIKE || this == NOT_MATCHES;
    }
  }

  /** A text, or the name of a control whose values replace it. */
  record Value(String text, boolean control) {}

  /** One label compared with values: one value for most operators, none for EXISTS. */
  record Test(String label, Operator operator, List<Value> values) implements Condition {
    public Test {
      values = List.copyOf(values);
    }

    public static Test of(String label, Operator operator, String... values) {
      return new Test(
          label, operator, java.util.Arrays.stream(values).map(v -> new Value(v, false)).toList());
    }

    @Override
    public boolean test(Labels labels) {
      return accepts(labels.get(label));
    }

    /** Whether the test holds for a value of its label; null stands for an absent label. */
    public boolean accepts(String value) {
      if (operator == Operator.EXISTS) {
        return value != null;
      }
      return (value != null && any(value)) != operator.negative();
    }

    private boolean any(String value) {
      for (var wanted : values) {
        boolean hit =
            switch (operator) {
              case LIKE, NOT_LIKE -> like(wanted.text(), value);
              case MATCHES, NOT_MATCHES -> Patterns.of(wanted.text()).matcher(value).find();
              default -> wanted.text().equals(value);
            };
        if (hit) {
          return true;
        }
      }
      return false;
    }

    @Override
    public Condition bind(Function<String, List<String>> controls) {
      if (values.stream().noneMatch(Value::control)) {
        return this;
      }
      var bound = new ArrayList<Value>();
      for (var value : values) {
        if (!value.control()) {
          bound.add(value);
          continue;
        }
        var chosen = controls.apply(value.text());
        if (chosen == null || chosen.isEmpty()) {
          return ALL;
        }
        chosen.forEach(c -> bound.add(new Value(c, false)));
      }
      var op =
          bound.size() > 1 && operator == Operator.EQUAL
              ? Operator.IN
              : bound.size() > 1 && operator == Operator.NOT_EQUAL ? Operator.NOT_IN : operator;
      if (op == Operator.MATCHES || op == Operator.NOT_MATCHES) {
        bound.forEach(Test::needPattern);
      }
      return new Test(label, op, bound);
    }

    /** What was typed into a query was looked at by the parser; what a control brings was not. */
    private static void needPattern(Value value) {
      try {
        Patterns.of(value.text());
      } catch (PatternSyntaxException e) {
        throw new IllegalArgumentException(
            "the value of a control is not a valid pattern: " + e.getMessage());
      }
    }

    /** SQL's LIKE: % is any run of characters, _ any one; a backslash takes the next literally. */
    static boolean like(String pattern, String text) {
      return like(pattern, 0, text, 0);
    }

    private static boolean like(String pattern, int p, String text, int t) {
      int star = -1;
      int mark = 0;
      while (t < text.length()) {
        char c = p < pattern.length() ? pattern.charAt(p) : 0;
        boolean literal = c == '\\' && p + 1 < pattern.length();
        char want = literal ? pattern.charAt(p + 1) : c;
        if (p < pattern.length() && !literal && c == '%') {
          star = p++;
          mark = t;
        } else if (p < pattern.length() && (want == text.charAt(t) || (!literal && c == '_'))) {
          p += literal ? 2 : 1;
          t++;
        } else if (star >= 0) {
          p = star + 1;
          t = ++mark;
        } else {
          return false;
        }
      }
      while (p < pattern.length() && pattern.charAt(p) == '%') {
        p++;
      }
      return p == pattern.length();
    }
  }

  /** True if all parts are; an empty list is always true. */
  record And(List<Condition> parts) implements Condition {
    @Override
    public boolean test(Labels labels) {
      return parts.stream().allMatch(p -> p.test(labels));
    }

    @Override
    public Condition bind(Function<String, List<String>> controls) {
      return new And(
          parts.stream().map(p -> p.bind(controls)).filter(p -> !p.equals(ALL)).toList());
    }
  }

  /** True if at least one part is. */
  record Or(List<Condition> parts) implements Condition {
    @Override
    public boolean test(Labels labels) {
      return parts.stream().anyMatch(p -> p.test(labels));
    }

    @Override
    public Condition bind(Function<String, List<String>> controls) {
      return new Or(parts.stream().map(p -> p.bind(controls)).toList());
    }
  }

  record Not(Condition part) implements Condition {
    @Override
    public boolean test(Labels labels) {
      return !part.test(labels);
    }

    @Override
    public Condition bind(Function<String, List<String>> controls) {
      return new Not(part.bind(controls));
    }
  }
}
