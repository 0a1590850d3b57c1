package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Step;

class ParserTest {
  @Test
  void printingWhatWasParsedGivesTheSameTreeForManyRandomTrees() {
    for (long seed = 0; seed < 3000; seed++) {
      var tree = new QueryGenerator(seed).query();
      var text = Printer.print(tree);
      assertThat(Parser.parse(text)).as("seed %d: %s", seed, text).isEqualTo(tree);
    }
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "scan.attempts where result = 'refused' and gate like 'north-%' then rate per minute then"
            + " sum by gate",
        "errors / total * 100",
        "a where x = '1' or y in ('2', '3') and not z exists",
        "(a then rate) / (b then rate)",
        "cpu where site = $site and host not in ('a', 'b') then p95 over 10m",
        "-a ^ 2 + 3",
        "a / b on (host) then top 5 by max",
        "m where le matches '^[0-9.]+$' then quantile 0.95 by service",
        "\"odd name\" in \"my store\" where \"in\" = 'x'"
      })
  void canonicalTextStaysAsItIs(String text) {
    assertThat(Printer.print(Parser.parse(text))).isEqualTo(text);
  }

  @Test
  void aThenTakesEverythingLeftOfIt() {
    var chain = (Expr.Chain) Parser.parse("a / b then mean every 5m").lines().getFirst().expr();
    assertThat(chain.input()).isInstanceOf(Expr.Binary.class);
  }

  @Test
  void linesAreToldApartByTheirNames() {
    var query =
        Parser.parse("errors: a then rate\nhidden total: b\n  then rate\nshare: errors / total");
    assertThat(query.lines())
        .extracting(Query.Line::name)
        .containsExactly("errors", "total", "share");
    assertThat(query.line("total").hidden()).isTrue();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        "cpu then men by host | 1 | 10 | did you mean mean?",
        "cpu then rate per fortnight | 1 | 19 | expected second, minute, hour or day",
        "cpu where host = nq | 1 | 18 | single quotes: 'nq'",
        "cpu where host = 'nq | 1 | 18 | missing closing",
        "cpu then top 0 | 1 | 14 | whole number",
        "cpu then mean every 5 | 1 | 21 | expected a duration",
        "cpu + | 1 | 6 | the query ended",
        "cpu then | 1 | 9 | expected a step",
        "cpu 5x | 1 | 5 | neither a number nor a duration",
        "cpu where h matches '(' | 1 | 21 | is not a valid regular expression",
        "cpu then group by host | 1 | 23 | expected ':'",
        "cpu then group by host: total value | 1 | 25 | expected an aggregate such as sum",
        "cpu then sort value | 1 | 15 | expected 'by'",
        "cpu then compute a b | 1 | 20 | expected '='",
        "cpu then where value > | 1 | 23 | the query ended",
        "cpu then bins 0 | 1 | 15 | number of bins must be a whole number",
        "cpu then band 0 | 1 | 15 | greater than 0",
        "cpu then forecast tomorrow | 1 | 19 | expected a duration",
        "cpu then off off abs | 1 | 14 | after `off`",
        "sql 'ledger' | 1 | 13 | expected a statement",
        "cpu then flie with 0 | 1 | 10 | did you mean fill?",
        "cpu ; | 1 | 5 | unexpected character"
      })
  void anErrorSaysWhereAndWhatWasExpected(String text, int line, int column, String says) {
    var e = catchThrowableOfType(QueryException.class, () -> Parser.parse(text));
    assertThat(e).hasMessageContaining(says);
    assertThat(e.line()).isEqualTo(line);
    assertThat(e.column()).isEqualTo(column);
  }

  @Test
  void anErrorOnALaterLineCountsItsLine() {
    var e =
        catchThrowableOfType(QueryException.class, () -> Parser.parse("a: x\nb: y then\n  foo"));
    assertThat(e.line()).isEqualTo(3);
    assertThat(e.column()).isEqualTo(3);
  }

  @Test
  void linesWithOneNameAreRefused() {
    assertThatThrownBy(() -> Parser.parse("a: x\na: y")).hasMessageContaining("rename one");
    assertThatThrownBy(() -> Parser.parse("x\na: y")).isInstanceOf(QueryException.class);
  }

  @Test
  void noTextMakesTheParserFailInAnotherWay() {
    var random = new Random(11);
    String[] bits = {
      "cpu", " then ", " where ", "'a'", "(", ")", "mean", " by ", "host", "5m", "-", "^", "1e5",
      "$", "$x", "group", "compute", "=", "join", "off", "events", "sql", "\"\"\"", "unpack", "\"",
      "'", ":", " in ", ",", "on", "é", "\n", "top 3", "  ", "%", "!="
    };
    for (int i = 0; i < 20_000; i++) {
      var text = new StringBuilder();
      for (int k = random.nextInt(12); k >= 0; k--) {
        text.append(bits[random.nextInt(bits.length)]);
      }
      try {
        Parser.parse(text.toString());
      } catch (QueryException expected) {
        assertThat(expected.line()).isPositive();
      }
    }
  }

  @Test
  void deepNestingIsRefusedNotOverflowed() {
    assertThatThrownBy(() -> Parser.parse("(".repeat(5000) + "a" + ")".repeat(5000)))
        .isInstanceOf(QueryException.class);
    assertThatThrownBy(() -> Parser.parse("-".repeat(100_000) + "a"))
        .isInstanceOf(QueryException.class);
    assertThatThrownBy(() -> Parser.parse("a then " + "off ".repeat(100_000) + "abs"))
        .isInstanceOf(QueryException.class);
    assertThatThrownBy(() -> Parser.parse("a then where " + "(".repeat(5000) + "b"))
        .isInstanceOf(QueryException.class);
    assertThatThrownBy(() -> Parser.parse("a then compute b = " + "not ".repeat(50_000) + "b"))
        .isInstanceOf(QueryException.class);
    assertThatThrownBy(() -> Parser.parse("a where " + "not ".repeat(100_000) + "b exists"))
        .isInstanceOf(QueryException.class);
  }

  @Test
  void aNameIsNeverEmpty() {
    org.assertj.core.api.Assertions.assertThatThrownBy(() -> Parser.parse("cpu then mean by \"\""))
        .isInstanceOf(QueryException.class)
        .hasMessageContaining("a name can't be empty");
  }

  @Test
  void powersOfColumnsBindAsInArithmetic() {
    var frame =
        new vintrel.core.frame.Frame(
            "",
            List.of(
                vintrel.core.frame.Column.Number.of("a", "", new double[] {2}),
                vintrel.core.frame.Column.Number.of("b", "", new double[] {3})));
    var wanted =
        Map.of(
            "a ^ b", 8.0,
            "-a ^ 2", -4.0,
            "(-a) ^ 2", 4.0,
            "a ^ b ^ 2", 512.0,
            "(a ^ b) ^ 2", 64.0,
            "2 * a ^ -1 + 1", 2.0,
            "(-2) ^ b", -8.0);
    wanted.forEach(
        (text, value) -> {
          var query = Parser.parse("m then compute c = " + text);
          var step =
              (Step.Compute) ((Expr.Chain) query.lines().getFirst().expr()).steps().getFirst();
          assertThat(step.formula().at(frame, 0))
              .as(text)
              .hasFieldOrPropertyWithValue("number", value);
          var again = Parser.parse("m then " + Printer.print(step));
          assertThat(
                  Printer.print(((Expr.Chain) again.lines().getFirst().expr()).steps().getFirst()))
              .isEqualTo("compute c = " + text);
        });
  }
}
