package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Arrays;
import java.util.List;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.index.LabelIndex;
import vintrel.core.query.assist.Chips;
import vintrel.core.query.assist.Completer;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.Request;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Parser;
import vintrel.core.query.syntax.Printer;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Vocabulary;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.Series;
import vintrel.core.series.SeriesKey;
import vintrel.core.unit.Durations;

/** What helps the person who asks: completion, chips, advice with changes. */
class HelpTest {
  private static final long HOUR = Durations.HOUR;
  private final MemorySource source = new MemorySource();

  private static Samples minutely(double... values) {
    var times = new long[values.length];
    Arrays.setAll(times, i -> i * Durations.MINUTE);
    return Samples.of(times, values);
  }

  private void add(String metric, MetricKind kind, String unit, Samples s, String... labels) {
    source.add(metric, kind, unit, Labels.of(labels), s);
  }

  private List<Advice> advice(String text) {
    return new Evaluator(source, Limits.DEFAULT)
        .evaluate(Parser.parse(text), Request.range(0, HOUR, Durations.MINUTE))
        .advice();
  }

  private Advice advice(String code, String text) {
    var all = advice(text);
    return all.stream()
        .filter(a -> a.code().equals(code))
        .findFirst()
        .orElseThrow(() -> new AssertionError(code + " is not among " + all));
  }

  /** The change that a piece of advice offers must itself be free of that advice. */
  private void mends(String code, String text, String changed) {
    var change = advice(code, text).change();
    assertThat(change).as(code).isNotNull();
    assertThat(change.query()).isEqualTo(changed);
    assertThat(advice(changed)).extracting(Advice::code).doesNotContain(code);
  }

  @Test
  void everyChangeMendsWhatItWasAdvisedFor() {
    for (var host : List.of("a", "b")) {
      add("cpu", MetricKind.GAUGE, "%", minutely(60, 70, 75), "host", host);
      add("bytes", MetricKind.COUNTER, "By", minutely(1, 5, 9), "host", host);
      add("start", MetricKind.GAUGE, "s", minutely(1.7e9, 1.7e9), "host", host, "job", "x");
    }
    mends("rate-of-gauge", "cpu then rate", "cpu then slope");
    mends("rate-of-gauge", "cpu then increase every 5m", "cpu then change every 5m");
    mends("rate-after-sum", "bytes then sum then rate", "bytes then rate then sum");
    mends("raw-counter", "bytes", "bytes then rate");
    mends("raw-counter", "x: bytes then sum by host", "x: bytes then rate then sum by host");
    mends(
        "mean-of-percentiles", "cpu then p95 every 5m then mean", "cpu then p95 every 5m then max");
    mends("sum-of-ratios", "cpu then sum", "cpu then mean");
    mends("short-window", "cpu then mean over 1m", "cpu then mean over 2m");
    mends("time-as-duration", "start then max", "start then since then max");
    mends("pairs-nothing", "cpu / start", "cpu / start on (host)");
    mends("nothing-matches", "cpu where host = 'z'", "cpu");
    mends("nothing-matches", "cpu where host = 'a' and host = 'z'", "cpu where host = 'a'");
    mends("limit-always-passed", "cpu then fill with 1 then keep when > 0", "cpu then fill with 1");
    assertThat(advice("limit-never-reached", "cpu then keep when > 99").text()).contains("> 99");
    assertThat(advice("unlike-units", "cpu + (bytes then rate)").text()).contains("%", "By/s");
    assertThat(advice("division-by-zero", "cpu / 0").code()).isNotEmpty();
  }

  @Test
  void aLimitIsDoubtedByTheWeekNotByTheHourThatIsShown() {
    var times = new long[200];
    var values = new double[200];
    for (int i = 0; i < 200; i++) {
      times[i] = (i - 199) * HOUR + 30 * Durations.MINUTE;
      values[i] = i == 50 ? 95 : 40;
    }
    add("cpu", MetricKind.GAUGE, "%", Samples.of(times, values), "host", "a");
    assertThat(advice("cpu then keep when > 90")).isEmpty();
    assertThat(advice("limit-never-reached", "cpu then keep when > 99").text())
        .isEqualTo("no value in the last week is > 99");
  }

  @Test
  void aLabelOfManyValuesIsPointedOut() {
    for (int i = 0; i < 120; i++) {
      add("cpu", MetricKind.GAUGE, "", minutely(i, i), "ticket", "t" + i);
    }
    mends("label-explodes", "cpu then mean by ticket", "cpu then mean by ticket then top 10");
  }

  @Test
  void adviceStandsWhereItsCauseIs() {
    add("cpu", MetricKind.GAUGE, "%", minutely(60, 70), "host", "a");
    var found = advice("rate-of-gauge", "a: cpu\nb: cpu then rate");
    assertThat(found.line()).isEqualTo(2);
    assertThat(found.column()).isEqualTo(13);
  }

  private static Completer completer() {
    var index = new LabelIndex();
    var names = List.of("scan.attempts", "scan.seconds", "host.load");
    for (int i = 0; i < 6; i++) {
      var labels =
          i % 3 == 2
              ? Labels.of("host", "h" + i)
              : Labels.of("gate", "north-" + i, "result", "refused");
      var key = new SeriesKey(names.get(i % 3), labels);
      index.add(new Series(i, key, MetricKind.GAUGE, ""));
    }
    return new Completer(index, FAR);
  }

  private static final Completer.Elsewhere FAR =
      new Completer.Elsewhere() {
        @Override
        public List<String> stores() {
          return List.of("far", "south-reach");
        }

        @Override
        public List<String> metrics(String store) {
          return store.equals("far") ? List.of("boiler.heat") : List.of("scan.queue");
        }

        @Override
        public List<String> labels(String store, String metric) {
          return metric.equals("boiler.heat") ? List.of("ship") : List.of();
        }

        @Override
        public List<String> values(String store, String metric, String label) {
          return List.of(store + " " + metric + " " + label);
        }
      };

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      ignoreLeadingAndTrailingWhitespace = false,
      value = {
        "sc|scan.attempts|scan.seconds",
        "atte|scan.attempts|",
        "scan.atemps|scan.attempts|",
        "scan.attempts where |gate|result",
        "scan.attempts where gate = '|north-0|north-3",
        "scan.attempts where gate in ('north-0', 'n|north-0|north-3",
        "scan.attempts then me|mean|median",
        "scan.attempts then meen|mean|",
        "scan.attempts then sum by |gate|result",
        "scan.attempts then sum by gate, r|result|",
        "a: host.load then sum by |host|",
        "a: host.load\\nb: a / sca|scan.attempts|scan.seconds",
        "host.load in |far|main",
        "boil|boiler.heat in far|",
        "a: queu|scan.queue in \"south-reach\"|",
        "boiler.heat in far where |ship|",
        "boiler.heat in far then max by |ship|",
        "boiler.heat in far where ship = '|far boiler.heat ship|",
        "scan.attempts in main where |gate|result",
        "scan.attempts th|then|without",
        "x: )( wrong\\ny: host.load where |host|",
      })
  void completionOffersWhatFitsAlsoAfterMistakes(String text, String first, String second) {
    var cleaned = text.replace("\\n", "\n");
    var options =
        completer().at(cleaned, cleaned.length()).options().stream()
            .map(Completer.Option::text)
            .toList();
    assertThat(options).as(text).isNotEmpty().startsWith(first);
    if (second != null) {
      assertThat(options).as(text).contains(second);
    }
  }

  @Test
  void completionReplacesTheWordAtTheCursor() {
    var found = completer().at("host.load / scan.att * 2", 20);
    assertThat(found.from()).isEqualTo(12);
    assertThat(found.options().getFirst().text()).isEqualTo("scan.attempts");
  }

  @ParameterizedTest
  @ValueSource(longs = {11, 12, 13, 14})
  void theChipsOfAStepAreItsWords(long seed) {
    var generator = new QueryGenerator(seed);
    for (int i = 0; i < 300; i++) {
      for (var line : generator.query().lines()) {
        if (line.expr() instanceof Expr.Chain c) {
          for (var step : c.steps()) {
            var inner = step instanceof Step.Off off ? off.step() : step;
            var words =
                Chips.of(step).stream().map(Chips.Chip::text).collect(Collectors.joining(" "));
            var again = Parser.parse("m then " + words).lines().getFirst().expr();
            assertThat(((Expr.Chain) again).steps()).as(words).containsExactly(inner);
          }
        }
      }
    }
  }

  @Test
  void theChipsOfASourceSayWhatTheyAre() {
    var query = Parser.parse("cpu in lab where host not like 'a%' and site in ('x', $y)");
    var chips = Chips.of(query.lines().getFirst().expr());
    assertThat(chips)
        .extracting(Chips.Chip::kind)
        .containsExactly(
            "metric",
            "plain",
            "store",
            "plain",
            "label",
            "operator",
            "value",
            "keyword",
            "label",
            "plain",
            "plain",
            "value",
            "plain",
            "value",
            "plain");
    assertThat(chips.get(6).label()).isEqualTo("host");
    assertThat(chips.get(11).label()).isEqualTo("site");
  }

  @Test
  void everyExampleOfTheVocabularyIsAStep() {
    for (var entry : Vocabulary.STEPS) {
      if (entry.example() != null) {
        var query = Parser.parse("m then " + entry.example());
        assertThat(Printer.print(query)).isEqualTo("m then " + entry.example());
      }
    }
  }
}
