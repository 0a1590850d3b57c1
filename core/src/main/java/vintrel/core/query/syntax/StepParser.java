package vintrel.core.query.syntax;

import java.util.Locale;
import vintrel.core.model.Outliers;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.unit.Durations;

/** One step, after its {@code then}. */
final class StepParser {
  private final TokenReader in;
  private final TableStepParser tables;
  private Step across;

  StepParser(TokenReader in) {
    this.in = in;
    this.tables = new TableStepParser(in);
  }

  Step step() {
    var word = in.peek();
    if (word.kind() != Kind.WORD) {
      throw in.unexpected("a step such as mean, rate or top");
    }
    in.take();
    var reducer = Reducer.of(word.text());
    if (reducer != null) {
      return reduce(reducer, word.span());
    }
    var start = word.span();
    return switch (word.text()) {
      case "rate" -> rate(start);
      case "increase" -> {
        long every = in.accept("every") ? in.duration() : 0;
        yield new Step.Increase(every, span(start));
      }
      case "top", "bottom" -> pick(word.text().equals("top"), start);
      case "share" -> new Step.Share(start);
      case "quantile" -> quantile(start);
      case "clamp" -> clamp(start);
      case "times" -> value(Step.Function.TIMES, in.number(), start);
      case "keep" -> in.peek().is("when") ? keep(start) : tables.step("keep", start);
      case "fill" -> fill(start);
      case "shift" -> {
        long by = in.duration();
        yield new Step.Shift(by, span(start));
      }
      case "label" -> {
        in.expect("as");
        var template = in.text("a name such as '{host}'");
        yield new Step.LabelAs(template, span(start));
      }
      case "unit" -> {
        var unit = in.text("a unit such as 'By/s'");
        yield new Step.UnitIs(unit, span(start));
      }
      case "off" -> {
        if (in.peek().is("off")) {
          throw in.unexpected("a step after `off`");
        }
        var inner = step();
        across = null;
        yield new Step.Off(inner, span(start));
      }
      case "change" -> {
        boolean sliding = in.peek().is("over");
        yield new Step.Change(sliding, window(), span(start));
      }
      case "slope" -> {
        long per = per();
        boolean sliding = in.peek().is("over");
        yield new Step.Slope(per, sliding, window(), span(start));
      }
      case "gap" -> {
        in.expect("after");
        yield new Step.GapAfter(in.duration(), span(start));
      }
      case "cumulate" -> new Step.Cumulate(start);
      case "smooth" -> {
        in.expect("over");
        yield new Step.Smooth(in.duration(), span(start));
      }
      case "age" -> new Step.Age(start);
      case "since" -> new Step.Since(start);
      case "band" -> band(start);
      case "forecast" -> new Step.Forecast(in.duration(), span(start));
      case "outliers" -> {
        double limit = in.peek().kind() == Kind.NUMBER ? positive() : Outliers.LIMIT;
        yield new Step.Outliers(limit, span(start));
      }
      default ->
          TableStepParser.WORDS.contains(word.text())
              ? tables.step(word.text(), start)
              : plain(word.text(), start);
    };
  }

  private Step reduce(Reducer reducer, SourceSpan start) {
    boolean slides = in.peek().is("over");
    if (in.accept("every") || in.accept("over")) {
      long d = in.duration();
      var step = new Step.Bucketing(reducer, slides, d, span(start));
      if (in.peek().is("by") || in.peek().is("without")) {
        across = across(step, start);
      }
      return step;
    }
    var grouping = grouping();
    return new Step.Across(reducer, grouping, span(start));
  }

  /**
   * What {@code mean every 1m by host} says in one step: the same across series after it; counts
   * are added up. Other reductions of reductions mean something else than both in one, so that an
   * error asks which one is meant.
   */
  private Step across(Step.Bucketing step, SourceSpan start) {
    var reducer =
        switch (step.reducer().kind()) {
          case MEAN, MIN, MAX, SUM -> step.reducer();
          case COUNT -> Reducer.SUM;
          default ->
              throw in.error(
                  "'%s' over time and across series are two steps; write, for example, `%s then max%s`"
                      .formatted(
                          step.reducer().text(), Printer.print(step), Printer.print(grouping())),
                  start);
        };
    return new Step.Across(reducer, grouping(), span(start));
  }

  /** The second of two steps that were written in one, or null; taken once. */
  Step second() {
    var out = across;
    across = null;
    return out;
  }

  private Grouping grouping() {
    if (in.accept("by")) {
      return new Grouping(Grouping.Mode.BY, in.labels(false));
    }
    if (in.accept("without")) {
      return new Grouping(Grouping.Mode.WITHOUT, in.labels(false));
    }
    return Grouping.ALL;
  }

  /** The duration after every or over, or 0. */
  private long window() {
    return in.accept("every") || in.accept("over") ? in.duration() : 0;
  }

  private double positive() {
    var place = in.peek().span();
    double v = in.number();
    if (!(v > 0)) {
      throw in.error("the number must be greater than 0", place);
    }
    return v;
  }

  private Step band(SourceSpan start) {
    double width = positive();
    long season = in.accept("seasonal") ? in.duration() : 0;
    return new Step.Band(width, season, span(start));
  }

  private Step rate(SourceSpan start) {
    long per = per();
    long every = in.accept("every") ? in.duration() : 0;
    return new Step.Rate(per, every, span(start));
  }

  private long per() {
    long per = Durations.SECOND;
    if (in.accept("per")) {
      var unit = in.peek();
      per =
          switch (unit.kind() == Kind.WORD ? unit.text() : "") {
            case "second" -> Durations.SECOND;
            case "minute" -> Durations.MINUTE;
            case "hour" -> Durations.HOUR;
            case "day" -> Durations.DAY;
            default -> throw in.unexpected("second, minute, hour or day");
          };
      in.take();
    }
    return per;
  }

  private Step pick(boolean top, SourceSpan start) {
    var place = in.peek().span();
    double n = in.number();
    if (n != Math.rint(n) || n < 1 || n > 100_000) {
      throw in.error("the number of series must be a whole number from 1 to 100,000", place);
    }
    var by = Reducer.MEAN;
    if (in.accept("by")) {
      by = in.peek().kind() == Kind.WORD ? Reducer.of(in.peek().text()) : null;
      if (by == null) {
        throw in.unexpected("an aggregate such as mean, max or last");
      }
      in.take();
    }
    return new Step.Pick(top, (int) n, by, span(start));
  }

  private Step quantile(SourceSpan start) {
    var place = in.peek().span();
    double q = in.number();
    if (q < 0 || q > 1) {
      throw in.error("a quantile must be between 0 and 1, for example 0.95", place);
    }
    var grouping = grouping();
    return new Step.Quantile(q, grouping, span(start));
  }

  private Step clamp(SourceSpan start) {
    double low = in.number();
    in.expect("to");
    var place = in.peek().span();
    double high = in.number();
    if (high < low) {
      throw in.error("the upper bound is below the lower bound; swap them", place);
    }
    return new Step.Value(Step.Function.CLAMP, low, high, span(start));
  }

  private Step keep(SourceSpan start) {
    in.expect("when");
    for (var op : Expr.Operator.values()) {
      if (op.comparison() && in.accept(op.text())) {
        double v = in.number();
        return new Step.KeepWhen(op, v, span(start));
      }
    }
    throw in.unexpected("a comparison such as > 80");
  }

  private Step fill(SourceSpan start) {
    in.expect("with");
    if (in.accept("previous")) {
      return new Step.Fill(Step.Filling.PREVIOUS, 0, span(start));
    }
    if (in.accept("linear")) {
      return new Step.Fill(Step.Filling.LINEAR, 0, span(start));
    }
    double v = in.number();
    return new Step.Fill(Step.Filling.NUMBER, v, span(start));
  }

  private Step plain(String word, SourceSpan start) {
    for (var f : Step.Function.values()) {
      if (f.text().equals(word)) {
        return value(f, 0, start);
      }
    }
    var known = Vocabulary.STEPS.stream().map(Vocabulary.Entry::word).toList();
    var same = Vocabulary.SYNONYMS.get(word.toLowerCase(Locale.ROOT));
    var near = same != null ? same : Vocabulary.nearest(word.toLowerCase(Locale.ROOT), known);
    throw in.error(
        "no step named `" + word + "`" + (near == null ? "" : "; did you mean " + near + "?"),
        start);
  }

  private Step value(Step.Function f, double a, SourceSpan start) {
    return new Step.Value(f, a, 0, span(start));
  }

  private SourceSpan span(SourceSpan start) {
    return start.to(in.before());
  }
}
