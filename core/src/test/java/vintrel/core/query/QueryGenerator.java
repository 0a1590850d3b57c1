package vintrel.core.query;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import vintrel.core.frame.Formula;
import vintrel.core.frame.Tables;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Grouping;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.SourceSpan;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Condition;

/** Random trees, in the shapes that a parser can give. */
final class QueryGenerator {
  private static final String[] NAMES = {
    "cpu",
    "scan.attempts",
    "events",
    "sql",
    "host.cpu.busy",
    "then",
    "odd name",
    "with\"quote",
    "_x",
    "p95",
    "ünï"
  };
  private static final String[] TEXTS = {"a", "it's", "", "north-%", "x y", "100"};
  private static final String[] STATEMENTS = {
    "select 1", "select t, v\nfrom sales where t >= :from", "select 'it''s'"
  };
  private final Random random;

  QueryGenerator(long seed) {
    random = new Random(seed);
  }

  Query query() {
    int n = 1 + random.nextInt(3);
    if (n == 1) {
      var name = random.nextBoolean() ? "" : "lone";
      return new Query(
          List.of(new Query.Line(name, false, expr(3), SourceSpan.NONE)), Query.Source.NONE);
    }
    var lines = new ArrayList<Query.Line>();
    for (int i = 0; i < n; i++) {
      lines.add(new Query.Line("line" + i, random.nextBoolean(), expr(3), SourceSpan.NONE));
    }
    return new Query(lines, Query.Source.NONE);
  }

  private Expr expr(int depth) {
    var e = operand(depth);
    return random.nextInt(3) > 0 ? chain(e) : e;
  }

  private Expr chain(Expr input) {
    if (input instanceof Expr.Chain) {
      return input;
    }
    var steps = new ArrayList<Step>();
    for (int i = random.nextInt(3); i >= 0; i--) {
      steps.add(step());
    }
    return new Expr.Chain(input, steps, SourceSpan.NONE);
  }

  private Expr operand(int depth) {
    if (depth == 0 || random.nextInt(3) == 0) {
      return random.nextInt(4) == 0
          ? new Expr.Number(number(), SourceSpan.NONE)
          : random.nextInt(8) == 0
              ? records()
              : new Expr.Source(
                  pick(NAMES),
                  random.nextInt(4) == 0 ? "store" : "",
                  random.nextBoolean() ? Condition.ALL : condition(2),
                  SourceSpan.NONE);
    }
    if (random.nextInt(5) == 0) {
      var of = expr(depth - 1);
      return of instanceof Expr.Number ? of : new Expr.Negative(of, SourceSpan.NONE);
    }
    var operators = Expr.Operator.values();
    return new Expr.Binary(
        operators[random.nextInt(operators.length)],
        expr(depth - 1),
        expr(depth - 1),
        random.nextInt(4) == 0 ? List.of("host", "odd label") : List.of(),
        random.nextInt(4) == 0 ? number() : null,
        SourceSpan.NONE);
  }

  private Expr records() {
    return random.nextBoolean()
        ? new Expr.Events("", random.nextBoolean() ? Condition.ALL : condition(2), SourceSpan.NONE)
        : new Expr.Sql("ledger", pick(STATEMENTS), SourceSpan.NONE);
  }

  private double number() {
    return random.nextInt(2000)
            / (random.nextBoolean() ? 1.0 : 8.0)
            * (random.nextInt(5) == 0 ? -1 : 1)
        + 0.0;
  }

  private Condition condition(int depth) {
    if (depth > 0 && random.nextInt(3) == 0) {
      var parts = List.of(condition(depth - 1), condition(depth - 1));
      return switch (random.nextInt(3)) {
        case 0 -> new Condition.And(flat(parts, true));
        case 1 -> new Condition.Or(flat(parts, false));
        default -> new Condition.Not(parts.getFirst());
      };
    }
    var operators = Condition.Operator.values();
    var op = operators[random.nextInt(operators.length)];
    var values =
        switch (op) {
          case EXISTS -> List.<Condition.Value>of();
          case IN, NOT_IN ->
              List.of(new Condition.Value("a", false), new Condition.Value("b", true));
          case MATCHES, NOT_MATCHES -> List.of(new Condition.Value("^a.*b$", false));
          default -> List.of(new Condition.Value(pick(TEXTS), false));
        };
    return new Condition.Test(random.nextBoolean() ? "host" : "in", op, values);
  }

  /** A parser never nests and in and; or in or stays nested in its parentheses. */
  private static List<Condition> flat(List<Condition> parts, boolean and) {
    return parts.stream()
                .filter(p -> and ? !(p instanceof Condition.And) : !(p instanceof Condition.Or))
                .count()
            == 2
        ? parts
        : List.of(
            Condition.Test.of("a", Condition.Operator.EQUAL, "1"),
            Condition.Test.of("b", Condition.Operator.EQUAL, "2"));
  }

  private Step step() {
    var grouping =
        switch (random.nextInt(3)) {
          case 0 -> Grouping.ALL;
          case 1 -> new Grouping(Grouping.Mode.BY, List.of("host", "by"));
          default -> new Grouping(Grouping.Mode.WITHOUT, List.of("le"));
        };
    var reducer = random.nextBoolean() ? Reducer.MEAN : Reducer.of("p99.9");
    long span = (1 + random.nextInt(100)) * 1000L;
    return switch (random.nextInt(35)) {
      case 0 -> new Step.Bucketing(reducer, random.nextBoolean(), span, SourceSpan.NONE);
      case 1 -> new Step.Across(reducer, grouping, SourceSpan.NONE);
      case 2 -> new Step.Rate(60_000, random.nextBoolean() ? 0 : span, SourceSpan.NONE);
      case 3 -> new Step.Increase(span, SourceSpan.NONE);
      case 4 -> new Step.Pick(random.nextBoolean(), 5, Reducer.MAX, SourceSpan.NONE);
      case 5 -> new Step.Share(SourceSpan.NONE);
      case 6 -> new Step.Quantile(0.95, grouping, SourceSpan.NONE);
      case 7 -> new Step.Value(Step.Function.CLAMP, -5, 12.5, SourceSpan.NONE);
      case 8 -> new Step.Value(Step.Function.TIMES, -8, 0, SourceSpan.NONE);
      case 9 -> new Step.KeepWhen(Expr.Operator.AT_LEAST, -1.5, SourceSpan.NONE);
      case 10 -> new Step.Fill(Step.Filling.PREVIOUS, 0, SourceSpan.NONE);
      case 11 -> new Step.Shift(span, SourceSpan.NONE);
      case 12 -> new Step.LabelAs("{host}'s", SourceSpan.NONE);
      case 13 -> new Step.Change(random.nextBoolean(), span, SourceSpan.NONE);
      case 14 -> new Step.Slope(60_000, random.nextBoolean(), span, SourceSpan.NONE);
      case 15 -> new Step.GapAfter(span, SourceSpan.NONE);
      case 16 -> new Step.Cumulate(SourceSpan.NONE);
      case 17 -> new Step.Smooth(span, SourceSpan.NONE);
      case 18 ->
          random.nextBoolean() ? new Step.Age(SourceSpan.NONE) : new Step.Since(SourceSpan.NONE);
      case 19 -> new Step.Band(2.5, random.nextBoolean() ? 0 : span, SourceSpan.NONE);
      case 20 -> new Step.Forecast(span, SourceSpan.NONE);
      case 21 -> new Step.Outliers(random.nextBoolean() ? 3.5 : 5, SourceSpan.NONE);
      case 22 -> new Step.Off(new Step.Cumulate(SourceSpan.NONE), SourceSpan.NONE);
      case 23 ->
          random.nextBoolean() ? new Step.Rows(SourceSpan.NONE) : new Step.Columns(SourceSpan.NONE);
      case 24 ->
          new Step.GroupBy(
              List.of("gate", "odd label"),
              List.of(new Step.Aggregate(reducer, "value"), new Step.Aggregate(Reducer.MAX, "by")),
              SourceSpan.NONE);
      case 25 -> new Step.Sort("value", random.nextBoolean(), SourceSpan.NONE);
      case 26 -> new Step.Limit(1 + random.nextInt(50), SourceSpan.NONE);
      case 27 -> new Step.Where(formula(3), SourceSpan.NONE);
      case 28 -> new Step.Rename("a", "odd name", SourceSpan.NONE);
      case 29 ->
          random.nextBoolean()
              ? new Step.Keep(List.of("a", "when"), SourceSpan.NONE)
              : new Step.Drop(List.of("b"), SourceSpan.NONE);
      case 30 -> new Step.Compute("c", formula(3), SourceSpan.NONE);
      case 31 -> {
        var kinds = Tables.JoinKind.values();
        var kind = kinds[random.nextInt(kinds.length)];
        yield new Step.Join("line1", List.of("time", "gate"), kind, SourceSpan.NONE);
      }
      case 32 ->
          random.nextBoolean()
              ? new Step.Bins(20, SourceSpan.NONE)
              : new Step.Cells(24, 30, SourceSpan.NONE);
      case 33 -> new Step.Unpack(List.of("field", "path"), "x", SourceSpan.NONE);
      default -> new Step.UnitIs("By/s", SourceSpan.NONE);
    };
  }

  private Formula formula(int depth) {
    if (depth == 0 || random.nextInt(3) == 0) {
      return switch (random.nextInt(4)) {
        case 0 -> new Formula.Number(number());
        case 1 -> new Formula.Text(pick(TEXTS));
        case 2 -> new Formula.Exists("a");
        default -> new Formula.Cell(random.nextBoolean() ? "value" : "odd name");
      };
    }
    return switch (random.nextInt(5)) {
      case 0 -> {
        var of = formula(depth - 1);
        yield of instanceof Formula.Number ? of : new Formula.Negative(of);
      }
      case 1 -> new Formula.Not(formula(depth - 1));
      case 2 ->
          new Formula.In(
              formula(depth - 1),
              List.of(formula(depth - 1), new Formula.Number(1)),
              random.nextBoolean());
      default -> {
        var all = Formula.Operator.values();
        yield new Formula.Two(
            all[random.nextInt(all.length)], formula(depth - 1), formula(depth - 1));
      }
    };
  }

  private String pick(String[] from) {
    return from[random.nextInt(from.length)];
  }
}
