package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import vintrel.core.query.assist.Chips;
import vintrel.core.query.assist.Edit;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;

/** Changes of a query on its tree, and that each can be taken back. */
class EditTest {
  private static Arguments of(String before, Edit edit, String after) {
    return Arguments.of(before, edit, after);
  }

  static Stream<Arguments> changes() {
    return Stream.of(
        of("cpu then mean", new Edit.Chip(0, Edit.SOURCE, 0, "odd name"), "\"odd name\" then mean"),
        of(
            "cpu where host = 'a' then mean",
            new Edit.Chip(0, Edit.SOURCE, 4, "it's"),
            "cpu where host = 'it''s' then mean"),
        of(
            "cpu where host = 'a'",
            new Edit.Chip(0, Edit.SOURCE, 4, "$host"),
            "cpu where host = $host"),
        of(
            "cpu where host = 'a'",
            new Edit.Chip(0, Edit.SOURCE, 4, "$12 a ticket"),
            "cpu where host = '$12 a ticket'"),
        of(
            "cpu where host not like 'a%'",
            new Edit.Chip(0, Edit.SOURCE, 3, "matches"), "cpu where host matches 'a%'"),
        of("cpu then mean by host", new Edit.Chip(0, 0, 2, "by"), "cpu then mean by \"by\""),
        of("cpu then off mean by host", new Edit.Chip(0, 0, 0, "max"), "cpu then off max"),
        of("cpu then mean every 5m", new Edit.Chip(0, 0, 2, "1h"), "cpu then mean every 1h"),
        of(
            "cpu where a = '1' or b = '2' then mean",
            new Edit.AddCondition(0, "c", "=", "3"),
            "cpu where (a = '1' or b = '2') and c = '3' then mean"),
        of(
            "cpu where a = '1' and b = '2'",
            new Edit.AddCondition(0, "then", "not like", "x"),
            "cpu where a = '1' and b = '2' and \"then\" not like 'x'"),
        of(
            "events then count every 5m",
            new Edit.AddCondition(0, "level", "=", "error"),
            "events where level = 'error' then count every 5m"),
        of("a / b", new Edit.AddStep(0, 0, "mean"), "a / b then mean"),
        of("cpu then mean", new Edit.AddStep(0, 0, "rate"), "cpu then rate then mean"),
        of("cpu then mean", new Edit.RemoveStep(0, 0), "cpu"),
        of("cpu then rate then mean", new Edit.MoveStep(0, 1, 0), "cpu then mean then rate"),
        of("cpu then rate", new Edit.SwitchStep(0, 0), "cpu then off rate"),
        of("", new Edit.AddLine("cpu then rate"), "cpu then rate"),
        of("cpu", new Edit.AddLine("mem"), "a: cpu\nb: mem"),
        of("b: cpu", new Edit.AddLine("mem"), "b: cpu\na: mem"),
        of(
            "cpu",
            new Edit.AddStatement("shop", "select 'it''s'"),
            "a: cpu\nb: sql 'shop' \"\"\"select 'it''s'\"\"\""),
        of("a: cpu\nb: mem", new Edit.RemoveLine(0), "b: mem"),
        of("a: cpu\nb: mem", new Edit.MoveLine(1, 0), "b: mem\na: cpu"),
        of(
            "a: cpu\nb: a / mem where site = 'a' then join a on time",
            new Edit.RenameLine(0, "busy share"),
            "\"busy share\": cpu\n"
                + "b: \"busy share\" / mem where site = 'a' then join \"busy share\" on time"),
        of("a: cpu\nb: mem", new Edit.ShowLine(0), "hidden a: cpu\nb: mem"),
        of("a: cpu\nb: mem", new Edit.LineText(1, "a / 2 then max"), "a: cpu\nb: a / 2 then max"));
  }

  @ParameterizedTest(name = "{1}")
  @MethodSource("changes")
  void changesTheTree(String before, Edit edit, String after) {
    assertThat(Edit.apply(before, edit)).isEqualTo(Printer.print(Parser.parse(after)));
  }

  @Test
  void saysWhatCannotBeChanged() {
    for (var edit :
        new Edit[] {
          new Edit.RemoveStep(0, 3),
          new Edit.RemoveStep(2, 0),
          new Edit.RemoveLine(-1),
          new Edit.Chip(0, 0, 99, "x"),
          new Edit.Chip(0, 0, 2, "not a ( label"),
          new Edit.Chip(0, 0, 0, "mean then max"),
          new Edit.AddStep(0, 0, "no step"),
          new Edit.AddLine("c: named"),
          new Edit.AddLine("a\nb"),
          new Edit.RenameLine(0, "b"),
          new Edit.RenameLine(0, ""),
          new Edit.LineText(0, ""),
          new Edit.AddCondition(0, "x", "is", "y"),
          new Edit.ShowLine(7)
        }) {
      var ok = edit instanceof Edit.Chip c && c.chip() == 2;
      if (ok) {
        // A label may be called anything.
        assertThat(Edit.apply("a: cpu then mean by host\nb: mem", edit))
            .contains("\"not a ( label\"");
      } else {
        assertThatThrownBy(() -> Edit.apply("a: cpu then mean by host\nb: mem", edit))
            .as(edit.toString())
            .isInstanceOf(QueryException.class);
      }
    }
    assertThatThrownBy(() -> Edit.apply("a: cpu", new Edit.RemoveLine(0)))
        .isInstanceOf(QueryException.class);
  }

  /** What is done and taken back, on trees of all shapes, leaves the text as it was. */
  @Test
  void everyChangeCanBeTakenBack() {
    var generator = new QueryGenerator(11);
    var random = new Random(12);
    int chips = 0;
    for (int n = 0; n < 1_000; n++) {
      var query = generator.query();
      var text = Printer.print(query);
      int line = random.nextInt(query.lines().size());
      int steps = query.lines().get(line).expr() instanceof Expr.Chain c ? c.steps().size() : 0;
      if (steps > 0) {
        int at = random.nextInt(steps);
        var off = Edit.apply(text, new Edit.SwitchStep(line, at));
        assertThat(off).isNotEqualTo(text);
        assertThat(Edit.apply(off, new Edit.SwitchStep(line, at))).isEqualTo(text);
        int to = random.nextInt(steps);
        var moved = Edit.apply(text, new Edit.MoveStep(line, at, to));
        assertThat(Edit.apply(moved, new Edit.MoveStep(line, to, at))).isEqualTo(text);
      }
      var added = Edit.apply(text, new Edit.AddStep(line, steps, "mean by host"));
      assertThat(Edit.apply(added, new Edit.RemoveStep(line, steps))).isEqualTo(text);
      chips += sameWords(query, text, line);
      var name = query.lines().get(line).name();
      if (!name.isEmpty()) {
        var renamed = Edit.apply(text, new Edit.RenameLine(line, "another name"));
        assertThat(Edit.apply(renamed, new Edit.RenameLine(line, name))).isEqualTo(text);
      }
      if (query.lines().size() > 1) {
        var shown = Edit.apply(text, new Edit.ShowLine(line));
        assertThat(Edit.apply(shown, new Edit.ShowLine(line))).isEqualTo(text);
      }
    }
    assertThat(chips).isGreaterThan(2_000);
  }

  /** A chip in its own place changes nothing. */
  private static int sameWords(Query query, String text, int line) {
    var expr = query.lines().get(line).expr();
    int n = 0;
    if (expr instanceof Expr.Chain c) {
      for (int s = 0; s < c.steps().size(); s++) {
        var chips = Chips.of(c.steps().get(s));
        for (int i = 1; i < chips.size(); i++, n++) {
          assertThat(Edit.apply(text, new Edit.Chip(line, s, i, chips.get(i).value())))
              .as("chip %d of %s", i, c.steps().get(s))
              .isEqualTo(text);
        }
      }
    }
    var input = expr instanceof Expr.Chain c ? c.input() : expr;
    if (input instanceof Expr.Source || input instanceof Expr.Events) {
      var chips = Chips.of(input);
      for (int i = 0; i < chips.size(); i++, n++) {
        assertThat(Edit.apply(text, new Edit.Chip(line, Edit.SOURCE, i, chips.get(i).value())))
            .as("chip %d of %s", i, Printer.print(input))
            .isEqualTo(text);
      }
    }
    return n;
  }
}
