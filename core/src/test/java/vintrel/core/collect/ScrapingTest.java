package vintrel.core.collect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.series.SeriesKey;
import vintrel.core.wire.OpenMetricsText;
import vintrel.core.wire.SampleSink;

class ScrapingTest {
  /** Notes what arrives, as text. */
  private static final class Noting implements SampleSink {
    final List<String> names = new ArrayList<>();
    final Map<String, Double> values = new TreeMap<>();

    @Override
    public int series(SeriesKey key, MetricKind kind, String unit) {
      names.add(key.metric() + " {" + key.labels() + "}");
      return names.size() - 1;
    }

    @Override
    public void sample(int series, long time, double value) {
      values.put(names.get(series), value);
    }

    @Override
    public void difference(int series, long start, long time, double by, boolean grows) {}

    @Override
    public void refuse(String metric, int points, String why) {
      throw new AssertionError(why);
    }
  }

  private static final String PAGE =
      """
      # TYPE scans counter
      scans_total{gate="north-1",le="a"} 17
      scans_total{gate="south-1",le="b"} 4
      # TYPE debug_heap gauge
      debug_heap 3
      # EOF
      """;

  private static Noting read(String rewrite, int dropped) {
    var to = new Noting();
    var sink = new RewritingSink(RewriteText.parseAll(rewrite), to, null);
    OpenMetricsText.read(PAGE, Labels.of(Map.of("instance", "nq-gate-7:9000")), 1_000, sink);
    assertThat(sink.samples()).isEqualTo(3);
    assertThat(sink.dropped()).isEqualTo(dropped);
    return to;
  }

  @Test
  void stepsApplyInOrderToWhatIsRead() {
    assertThat(
            read(
                    """
                    # What the gates say of themselves is nobody's business.
                    drop where metric like 'debug%'
                    rename gate to berth
                    remove le
                    set site to '{1}', number to '{2}' from instance matching '([a-z]+)-gate-([0-9]+):.*'
                    set metric to 'gate.scans' from metric matching 'scans.*'
                    """,
                    1)
                .values)
        .isEqualTo(
            Map.of(
                "gate.scans {berth north-1, instance nq-gate-7:9000, number 7, site nq}",
                17.0,
                "gate.scans {berth south-1, instance nq-gate-7:9000, number 7, site nq}",
                4.0));
  }

  @Test
  void keepLeavesOutTheRest() {
    assertThat(read("keep where gate in ('south-1', 'east-1')", 2).values).hasSize(1);
    assertThat(read("", 0).values).hasSize(3);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "keep where metric like 'http.%' and not le = '0.1'",
        "drop where pod matches 'a.*'",
        "rename a to b, b to a",
        "remove pod, container",
        "set site to 'north-quay'",
        "set a to 'it\\'s', b to '{1}' from host matching '([a-z]+)\\\\.(x|y).*'"
      })
  void stepsAreReadAgainAsTheyWereWritten(String text) {
    var step = RewriteText.parse(text);
    assertThat(RewriteText.text(step)).isEqualTo(text);
    assertThat(RewriteText.parse(RewriteText.text(step))).isEqualTo(step);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      textBlock =
          """
          replace a by b          | begins with keep, drop, rename, remove or set
          keep                    | needs a condition
          drop where le =         | the condition
          rename a                | needs two labels
          rename a to b,          | needs two labels
          rename metric to b      | set metric to
          remove                  | needs labels
          remove metric           | use drop
          set a                   | needs a label and a text
          set a to b              | needs a label and a text
          set a to 'b' or         | needs a label and a text
          set a to 'b' from c     | needs a label and a pattern
          set a to 'b' from c matching '(' | the pattern
          """)
  void whatIsWrongIsSaid(String line, String why) {
    assertThatThrownBy(() -> RewriteText.parse(line))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining(why);
    assertThatThrownBy(() -> RewriteText.parseAll("remove a\n" + line))
        .hasMessageStartingWith("line 2: ");
  }

  @Test
  void aFaultyLineOfAListTakesNothingFromTheOthers() {
    var list =
        TargetList.parse(
            """
            # gates
            http://gate-1:9000/metrics site=north-quay quay=3
            gate-2:9000
            http://gate-3:9000/metrics site=
            https://gate-4/metrics
            """);
    assertThat(list.targets())
        .containsExactly(
            new ScrapeJob.Target(
                "http://gate-1:9000/metrics", "", Map.of("site", "north-quay", "quay", "3")),
            ScrapeJob.Target.of("https://gate-4/metrics"));
    assertThat(list.faults())
        .containsExactly(
            "line 3: does not begin with an http or https address",
            "line 4: labels are written name=value");
    assertThat(TargetList.parse("http://a/\n".repeat(TargetList.MAX + 5)).targets())
        .hasSize(TargetList.MAX);
  }

  @ParameterizedTest
  @CsvSource({
    "200, text/plain, '# TYPE a gauge', ''",
    "200, text/html, hello, web page",
    "200, '', ' <!DOCTYPE html><html>', web page",
    "200, application/json, '{}', JSON",
    "404, text/html, '', check the path",
    "302, '', '', redirects",
    "401, '', '', authentication required",
    "418, '', '', HTTP 418"
  })
  void answersThatAreNoMetricsAreTold(int status, String type, String page, String why) {
    var text = ScrapeDiagnosis.ofAnswer(status, type, page);
    assertThat(text).contains(why);
    assertThat(text.isEmpty()).isEqualTo(why.isEmpty());
  }
}
