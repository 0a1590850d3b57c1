package vintrel.core.query.syntax;

import java.math.BigDecimal;
import java.util.List;
import java.util.stream.Collectors;
import vintrel.core.frame.Formula;
import vintrel.core.model.Outliers;
import vintrel.core.series.Condition;
import vintrel.core.unit.Durations;

/** Tree → canonical text, such that parsing it gives the same tree. */
public final class Printer {
  /** Binds tighter than anything: an {@code on} belongs to the innermost operator before it. */
  private static final int CLOSED = 6;

  private Printer() {}

  public static String print(Query query) {
    return query.lines().stream()
        .map(
            l ->
                (l.hidden() ? "hidden " : "")
                    + (l.name().isEmpty() ? "" : name(l.name()) + ": ")
                    + print(l.expr()))
        .collect(Collectors.joining("\n"));
  }

  public static String print(Expr expr) {
    return switch (expr) {
      case Expr.Events e ->
          Parser.EVENTS
              + (e.store().isEmpty() ? "" : " in " + name(e.store()))
              + (e.where().equals(Condition.ALL) ? "" : " where " + print(e.where()));
      case Expr.Sql s -> "sql " + text(s.store()) + " " + statement(s.statement());
      case Expr.Source s ->
          metric(s.name())
              + (s.store().isEmpty() ? "" : " in " + name(s.store()))
              + (s.where().equals(Condition.ALL) ? "" : " where " + print(s.where()));
      case Expr.Number n -> number(n.value());
      case Expr.Negative n -> "-" + operand(n.of(), 5);
      case Expr.Chain c ->
          print(c.input())
              + c.steps().stream().map(s -> " then " + print(s)).collect(Collectors.joining());
      case Expr.Binary b -> binary(b);
    };
  }

  private static String binary(Expr.Binary b) {
    int level = b.operator().level();
    boolean power = b.operator() == Expr.Operator.POWER;
    return operand(b.left(), power ? level + 1 : level)
        + " "
        + b.operator().text()
        + " "
        + operand(b.right(), b.hasClause() ? CLOSED : power ? 4 : level + 1)
        + (b.on().isEmpty() ? "" : " on (" + names(b.on()) + ")")
        + (b.missing() == null ? "" : " missing " + number(b.missing()));
  }

  /** Parenthesised if it binds looser than its place needs. */
  private static String operand(Expr e, int level) {
    boolean bare =
        switch (e) {
          case Expr.Source s -> true;
          case Expr.Events s -> true;
          case Expr.Sql s -> true;
          case Expr.Number n -> n.value() >= 0 || level <= 4;
          case Expr.Negative n -> level <= 4;
          case Expr.Chain c -> false;
          case Expr.Binary b -> b.operator().level() >= level && !b.hasClause();
        };
    return bare ? print(e) : "(" + print(e) + ")";
  }

  public static String print(Step step) {
    return switch (step) {
      case Step.Bucketing s ->
          s.reducer().text() + (s.sliding() ? " over " : " every ") + Durations.text(s.millis());
      case Step.Across s -> s.reducer().text() + print(s.grouping());
      case Step.Rate s -> "rate" + per(s.perMillis()) + every(s.every());
      case Step.Increase s -> "increase" + every(s.every());
      case Step.Pick s ->
          (s.top() ? "top " : "bottom ")
              + s.count()
              + (s.by().equals(Reducer.MEAN) ? "" : " by " + s.by().text());
      case Step.Share s -> "share";
      case Step.Quantile s -> "quantile " + number(s.q()) + print(s.grouping());
      case Step.Value s ->
          s.function().text()
              + switch (s.function()) {
                case TIMES -> " " + number(s.a());
                case CLAMP -> " " + number(s.a()) + " to " + number(s.b());
                default -> "";
              };
      case Step.KeepWhen s -> "keep when " + s.operator().text() + " " + number(s.value());
      case Step.Fill s ->
          "fill with "
              + switch (s.filling()) {
                case NUMBER -> number(s.value());
                case PREVIOUS -> "previous";
                case LINEAR -> "linear";
              };
      case Step.Shift s -> "shift " + Durations.text(s.millis());
      case Step.LabelAs s -> "label as " + text(s.template());
      case Step.UnitIs s -> "unit " + text(s.unit());
      case Step.Change s -> "change" + window(s.sliding(), s.millis());
      case Step.Slope s -> "slope" + per(s.perMillis()) + window(s.sliding(), s.millis());
      case Step.GapAfter s -> "gap after " + Durations.text(s.millis());
      case Step.Cumulate s -> "cumulate";
      case Step.Smooth s -> "smooth over " + Durations.text(s.millis());
      case Step.Age s -> "age";
      case Step.Since s -> "since";
      case Step.Band s ->
          "band "
              + number(s.width())
              + (s.season() == 0 ? "" : " seasonal " + Durations.text(s.season()));
      case Step.Forecast s -> "forecast " + Durations.text(s.millis());
      case Step.Outliers s ->
          "outliers" + (s.limit() == Outliers.LIMIT ? "" : " " + number(s.limit()));
      case Step.Off s -> "off " + print(s.step());
      case Step.OnTable s -> table(s);
    };
  }

  private static String table(Step.OnTable step) {
    return switch (step) {
      case Step.Rows s -> "rows";
      case Step.Columns s -> "columns";
      case Step.GroupBy s ->
          "group by "
              + names(s.keys())
              + ": "
              + s.aggregates().stream()
                  .map(a -> a.reducer().text() + " " + name(a.column()))
                  .collect(Collectors.joining(", "));
      case Step.Sort s -> "sort by " + name(s.by()) + (s.descending() ? " descending" : "");
      case Step.Limit s -> "limit " + s.rows();
      case Step.Where s -> "where " + formula(s.condition(), 1);
      case Step.Rename s -> "rename " + name(s.from()) + " to " + name(s.to());
      case Step.Keep s -> "keep " + names(s.columns());
      case Step.Drop s -> "drop " + names(s.columns());
      case Step.Compute s -> "compute " + name(s.name()) + " = " + formula(s.formula(), 1);
      case Step.Join s ->
          "join "
              + name(s.line())
              + " on "
              + names(s.on())
              + " "
              + s.kind().name().toLowerCase(java.util.Locale.ROOT);
      case Step.Bins s -> "bins " + s.count();
      case Step.Cells s -> "cells " + s.spans() + " by " + s.bins();
      case Step.Unpack s -> "unpack " + name(String.join(".", s.path())) + " as " + name(s.name());
    };
  }

  private static final int POWER = Formula.Operator.POWER.level();

  /** A formula, in parentheses if it binds looser than its place needs. */
  private static String formula(Formula f, int level) {
    return switch (f) {
      case Formula.Cell c -> name(c.column());
      case Formula.Number n -> closed(number(n.value()), n.value() < 0 && level > POWER);
      case Formula.Text t -> text(t.value());
      case Formula.Negative n -> closed("-" + formula(n.of(), POWER), level > POWER);
      case Formula.Exists e -> name(e.column()) + " exists";
      case Formula.Not n -> closed("not " + formula(n.of(), 3), level > 1);
      case Formula.In in ->
          closed(
              formula(in.of(), 4)
                  + (in.negated() ? " not" : "")
                  + " in ("
                  + in.among().stream().map(a -> formula(a, 4)).collect(Collectors.joining(", "))
                  + ")",
              level > 3);
      case Formula.Two t -> {
        int own = t.operator().level();
        boolean power = own == POWER;
        yield closed(
            formula(t.left(), power ? own + 1 : own)
                + " "
                + t.operator().text()
                + " "
                + formula(t.right(), power ? own : own + 1),
            own < level);
      }
    };
  }

  private static String closed(String text, boolean parentheses) {
    return parentheses ? "(" + text + ")" : text;
  }

  private static String window(boolean sliding, long millis) {
    return millis == 0 ? "" : (sliding ? " over " : " every ") + Durations.text(millis);
  }

  /** In three quotes if it holds a single one. */
  private static String statement(String sql) {
    return sql.contains("'") || sql.contains("\n") ? "\"\"\"" + sql + "\"\"\"" : text(sql);
  }

  private static String per(long millis) {
    return millis == Durations.SECOND
        ? ""
        : " per "
            + (millis == Durations.MINUTE ? "minute" : millis == Durations.HOUR ? "hour" : "day");
  }

  private static String every(long millis) {
    return millis == 0 ? "" : " every " + Durations.text(millis);
  }

  static String print(Grouping g) {
    return switch (g.mode()) {
      case ALL -> "";
      case BY -> " by " + names(g.labels());
      case WITHOUT -> " without " + names(g.labels());
    };
  }

  public static String print(Condition c) {
    return switch (c) {
      case Condition.Or or ->
          or.parts().stream().map(p -> part(p, false)).collect(Collectors.joining(" or "));
      case Condition.And and ->
          and.parts().stream().map(p -> part(p, true)).collect(Collectors.joining(" and "));
      case Condition.Not not ->
          "not "
              + (not.part() instanceof Condition.Test
                  ? print(not.part())
                  : "(" + print(not.part()) + ")");
      case Condition.Test t -> test(t);
    };
  }

  private static String part(Condition c, boolean insideAnd) {
    boolean bare =
        c instanceof Condition.Test
            || c instanceof Condition.Not
            || (c instanceof Condition.And && !insideAnd);
    return bare ? print(c) : "(" + print(c) + ")";
  }

  private static String test(Condition.Test t) {
    String label = name(t.label());
    var values = t.values().stream().map(Printer::value).toList();
    return switch (t.operator()) {
      case EXISTS -> label + " exists";
      case IN, NOT_IN ->
          label
              + " "
              + t.operator().text()
              + " "
              + (values.size() == 1 && t.values().getFirst().control()
                  ? values.getFirst()
                  : "(" + String.join(", ", values) + ")");
      default -> label + " " + t.operator().text() + " " + values.getFirst();
    };
  }

  private static String value(Condition.Value v) {
    return v.control() ? "$" + v.text() : text(v.text());
  }

  public static String text(String s) {
    return "'" + s.replace("'", "''") + "'";
  }

  /** A metric's name where a source stands. */
  public static String metric(String name) {
    return name.equals(Parser.EVENTS) ? "\"events\"" : name(name);
  }

  private static String names(List<String> names) {
    return names.stream().map(Printer::name).collect(Collectors.joining(", "));
  }

  /** A name, quoted if it would not be read as one bare word. */
  public static String name(String s) {
    boolean bare =
        s.matches("[\\p{L}_][\\p{L}\\p{Nd}_]*(\\.[\\p{L}\\p{Nd}_]+)*")
            && !s.contains("._")
            && !TokenReader.KEYWORDS.contains(s);
    return bare ? s : "\"" + s.replace("\"", "\"\"") + "\"";
  }

  public static String number(double v) {
    if (v == Math.rint(v) && Math.abs(v) < 1e15) {
      return Long.toString((long) v);
    }
    return BigDecimal.valueOf(v).toPlainString();
  }
}
