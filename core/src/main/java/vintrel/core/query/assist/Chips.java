package vintrel.core.query.assist;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Lexer;
import vintrel.core.query.syntax.Lexer.Kind;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;

/** A source or step as a sentence of chips: words that can each be exchanged for another. */
public final class Chips {
  private Chips() {}

  /**
   * @param text as in the query
   * @param kind metric, store, label, value, operator, step, keyword, duration, number, reducer,
   *     text, or plain
   * @param choices alternatives, if there are few; else empty
   * @param label of a value: the label that it is a value of
   * @param value as people say it: names and values without quotes
   */
  public record Chip(String text, String kind, List<String> choices, String label, String value) {
    Chip(String text, String kind, List<String> choices, String label) {
      this(text, kind, choices, label, text);
    }

    private Chip said(Lexer.Token token) {
      boolean quoted = token.kind() == Kind.TEXT || token.kind() == Kind.QUOTED;
      return quoted ? new Chip(text, kind, choices, label, token.text()) : this;
    }
  }

  private static final List<String> DURATIONS =
      List.of("10s", "30s", "1m", "5m", "10m", "30m", "1h", "6h", "1d", "1w");
  private static final List<String> COMPARISONS = List.of("=", "!=", "<", "<=", ">", ">=");
  private static final List<String> TESTS =
      List.of("=", "!=", "like", "not like", "matches", "not matches");

  /** Words that may take each other's place. */
  private static final Map<String, List<String>> ALIKE =
      Map.of(
          "by", List.of("by", "without"),
          "without", List.of("by", "without"),
          "every", List.of("every", "over"),
          "over", List.of("every", "over"),
          "and", List.of("and", "or"),
          "or", List.of("and", "or"),
          "inner", List.of("inner", "left", "outer"),
          "left", List.of("inner", "left", "outer"),
          "outer", List.of("inner", "left", "outer"));

  private static final Set<String> TIMES = Set.of("second", "minute", "hour", "day");
  private static final Set<String> PLAIN =
      Set.of(
          "per",
          "to",
          "with",
          "when",
          "as",
          "after",
          "seasonal",
          "on",
          "missing",
          "previous",
          "linear",
          "in",
          "not",
          "where",
          "exists",
          "descending",
          "off",
          "like",
          "matches");

  /**
   * A chip with its place in the text of its row.
   *
   * @param end exclusive
   */
  record Placed(Chip chip, int start, int end) {
    private static Placed at(Lexer.Token token, Chip chip) {
      return new Placed(chip.said(token), token.span().start(), token.span().end());
    }
  }

  private static List<Chip> chips(List<Placed> placed) {
    return placed.stream().map(Placed::chip).toList();
  }

  /**
   * The text of a row with another word in the place of a chip.
   *
   * @param value as people say it
   * @throws QueryException if there is no such chip
   */
  static String exchanged(List<Placed> placed, String text, int chip, String value) {
    if (chip < 0 || chip >= placed.size()) {
      throw new QueryException(
          "edit", "there is no such word; the query was changed meanwhile", 0, 0);
    }
    var at = placed.get(chip);
    var written =
        switch (at.chip().kind()) {
          case "value", "text" -> value(value);
          case "metric" -> Printer.metric(value);
          case "label", "store" -> Printer.name(value);
          default -> value;
        };
    return text.substring(0, at.start()) + written + text.substring(at.end());
  }

  /** A value as it is written: a control as it is, anything else in quotes. */
  static String value(String value) {
    return CONTROL.matcher(value).matches() ? value : Printer.text(value);
  }

  private static final Pattern CONTROL = Pattern.compile("\\$[\\p{L}_][\\p{L}\\p{N}_]*");

  /** The chips of a step, as it is printed. */
  public static List<Chip> of(Step step) {
    return chips(placed(step instanceof Step.Off off ? off.step() : step));
  }

  static List<Placed> placed(Step inner) {
    var tokens = Lexer.tokens(Printer.print(inner));
    var text = Printer.print(inner);
    var out = new ArrayList<Placed>();
    var first = tokens.getFirst();
    out.add(Placed.at(first, new Chip(first.text(), "step", List.of(), "")));
    boolean pick = inner instanceof Step.Pick;
    for (var t : tokens.subList(1, tokens.size() - 1)) {
      var raw = text.substring(t.span().start(), t.span().end());
      if (pick && t.kind() == Kind.WORD && Reducer.of(t.text()) != null) {
        out.add(Placed.at(t, new Chip(raw, "reducer", reducers(), "")));
      } else {
        out.add(Placed.at(t, chip(t, raw, false)));
      }
    }
    return out;
  }

  /** The chips of a metric, records or a statement with conditions. */
  public static List<Chip> of(Expr source) {
    return chips(placed(source));
  }

  static List<Placed> placed(Expr source) {
    var text = Printer.print(source);
    var tokens = Lexer.tokens(text);
    var out = new ArrayList<Placed>();
    String label = "";
    boolean where = false;
    for (int i = 0; i < tokens.size() - 1; i++) {
      var t = tokens.get(i);
      var raw = text.substring(t.span().start(), t.span().end());
      boolean name = t.kind() == Kind.WORD || t.kind() == Kind.QUOTED;
      if (i == 0) {
        out.add(
            Placed.at(
                t,
                new Chip(raw, source instanceof Expr.Source ? "metric" : "plain", List.of(), "")));
      } else if (i > 0 && !where && tokens.get(i - 1).is("in") && name) {
        out.add(Placed.at(t, new Chip(raw, "store", List.of(), "")));
      } else if (t.is("not") && (tokens.get(i + 1).is("like") || tokens.get(i + 1).is("matches"))) {
        var next = tokens.get(++i);
        var both = new Chip("not " + next.text(), "operator", TESTS, label);
        out.add(new Placed(both, t.span().start(), next.span().end()));
      } else if (t.is("=") || t.is("!=") || t.is("like") || t.is("matches")) {
        out.add(Placed.at(t, new Chip(raw, "operator", TESTS, label)));
      } else if (t.kind() == Kind.TEXT || t.kind() == Kind.CONTROL) {
        out.add(Placed.at(t, new Chip(raw, where ? "value" : "text", List.of(), label)));
      } else {
        where |= t.is("where");
        var chip = chip(t, raw, where);
        label = chip.kind().equals("label") ? t.text() : label;
        out.add(Placed.at(t, chip));
      }
    }
    return out;
  }

  private static Chip chip(Lexer.Token t, String raw, boolean where) {
    return switch (t.kind()) {
      case DURATION -> new Chip(raw, "duration", DURATIONS, "");
      case NUMBER -> new Chip(raw, "number", List.of(), "");
      case TEXT -> new Chip(raw, "text", List.of(), "");
      case QUOTED -> new Chip(raw, "label", List.of(), "");
      case WORD -> word(t.text(), raw, where);
      default ->
          COMPARISONS.contains(raw) && !where
              ? new Chip(raw, "operator", COMPARISONS, "")
              : new Chip(raw, "plain", List.of(), "");
    };
  }

  private static Chip word(String word, String raw, boolean where) {
    if (ALIKE.containsKey(word)) {
      return new Chip(raw, "keyword", ALIKE.get(word), "");
    }
    if (TIMES.contains(word) && !where) {
      return new Chip(raw, "keyword", List.of("second", "minute", "hour", "day"), "");
    }
    if (PLAIN.contains(word)) {
      return new Chip(raw, "plain", List.of(), "");
    }
    return new Chip(raw, "label", List.of(), "");
  }

  static List<String> reducers() {
    return List.of(
        "mean", "min", "max", "sum", "count", "first", "last", "median", "stddev", "spread", "p95");
  }
}
