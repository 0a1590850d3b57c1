package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.entry;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.chunk.Samples;
import vintrel.core.panel.Dial;
import vintrel.core.panel.Fed;
import vintrel.core.panel.Feed;
import vintrel.core.panel.TablePanel;
import vintrel.core.panel.TimeChart;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Numbers of panels that lines give: how they are written, what they come to. */
class FeedingTest {
  private static Dashboard.Panel panel(String rest) {
    var document =
        """
        kind: dashboard
        name: d
        title: D
        panels:
        - title: P
          at: [1, 1, 6, 7]
          query: |
            load: deck.load then max
            hidden ceiling: deck.limit then max
        %s\
        """
            .formatted(rest.indent(2));
    var read = Bundle.parse(document).documents().getFirst().definition();
    return ((Definition.OfDashboard) read).dashboard().panels().getFirst();
  }

  private static Fed fed(double value) {
    return new Fed("ceiling", value, "t", 60_000, Samples.EMPTY, "");
  }

  private static SeriesSet.Row row(Grid grid, double... values) {
    return new SeriesSet.Row(
        "m", Labels.of("vessel", "Tern"), MetricKind.GAUGE, "t", null, null, values, null, null);
  }

  private static SeriesSet series(double... values) {
    var grid = new Grid(0, 60_000, values.length);
    return new SeriesSet.Gridded(grid, List.of(row(grid, values)));
  }

  @ParameterizedTest
  @CsvSource({
    "= ceiling or 15, ceiling, false, 15, = ceiling or 15",
    "=ceiling or -1.50, ceiling, false, -1.5, = ceiling or -1.5",
    "=  each   ceiling  or  0, ceiling, true, 0, = each ceiling or 0",
    "= each or 3, each, false, 3, = 'each' or 3",
    "= 'a b' or 100000, a b, false, 100000, = 'a b' or 100000",
    "= or or 3, or, false, 3, = or or 3",
    "= ceiling or auto, ceiling, false, , = ceiling or auto",
  })
  void isWrittenInOneWay(String text, String line, boolean each, Double or, String written) {
    assertThat(Feed.of(text)).isEqualTo(new Feed(line, each, or));
    assertThat(Feed.of(text).written()).isEqualTo(written);
    assertThat(Feed.of(Feed.of(text).written())).isEqualTo(Feed.of(text));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "ceiling or 15",
        "= ceiling",
        "= or 15",
        "= a b or 3",
        "= a or b",
        "= a or 1e9",
        "= '' or 1"
      })
  void anythingElseIsNone(String text) {
    assertThat(Feed.of(text)).isNull();
  }

  @Test
  void everyNumberOfAPanelCanBeFedAndIsWrittenBack() {
    var p =
        panel(
            """
            options:
              width: = ceiling or 2
              to: = ceiling or auto
              styles:
              - {series: 'a*', hidden: true}
              - {series: 'b*', fill: = ceiling or 5, above: 3}
            limits:
            - {above: 100, priority: low}
            - {below: = each ceiling or 15, priority: high}
            """);
    assertThat(p.fed())
        .containsOnlyKeys("width", "to", "styles[1].fill", "limits[1]")
        .contains(entry("limits[1]", new Feed("ceiling", true, 15.0)));
    var chart = (TimeChart) p.kind();
    assertThat(chart.width()).isEqualTo(2);
    assertThat(chart.to()).isNull();
    assertThat(chart.styles().get(1).fill()).isEqualTo(5);
    assertThat(p.limits().get(1).value()).isEqualTo(15);
    var dashboard = Dashboard.empty("d", "D").with(p);
    var written = Kinds.write(new Definition.OfDashboard(dashboard));
    assertThat(written.toString())
        .contains("width== ceiling or 2", "to== ceiling or auto", "fill== ceiling or 5")
        .contains("below== each ceiling or 15");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "options: {to: = roof or 15}|options.to: no line of the query is named `roof`",
        "options: {to: = ceiling}|must be a number or a line such as '= ceiling or 15'",
        "options: {width: = ceiling or 99}|options.width: must be at most 8",
        "options: {width: = ceiling or auto}|options.width: needs a number after or, not auto",
        "options: {to: = each ceiling or 1}|options.to: only a limit can follow each moment's"
            + " value",
        "limits: [{above: = roof or 15}]|limits[0]: no line of the query is named `roof`",
        "limits: [{above: = ceiling or auto}]|limits[0].above: needs a number after or, not auto",
      })
  void whatCantBeIsNamedWithItsPath(String rest, String fault) {
    assertThatThrownBy(() -> panel(rest))
        .isInstanceOfSatisfying(
            DefinitionException.class,
            e -> assertThat(String.join("\n", e.faults())).contains(fault));
  }

  @Test
  void aNumberOfALineStandsInItsPlace() {
    var p =
        panel(
            """
            options: {to: = ceiling or 9, styles: [{series: 'b*', fill: = ceiling or 5}]}
            limits: [{above: 7}, {above: = ceiling or 15, priority: high}]
            """);
    var resolved = Feeding.resolve(p, line -> fed(42));
    var chart = (TimeChart) resolved.panel().kind();
    assertThat(resolved.faults()).isEmpty();
    assertThat(chart.to()).isEqualTo(42);
    assertThat(chart.styles().getFirst().fill()).isEqualTo(42);
    assertThat(resolved.panel().limits()).extracting(l -> l.value()).containsExactly(7.0, 42.0);
    assertThat(resolved.panel().limits().get(1).from().line()).isEqualTo("ceiling");
    assertThat(resolved.panel().fed()).isEmpty();
    var nothing = Feeding.resolve(p, line -> fed(Double.NaN)).panel();
    assertThat(((TimeChart) nothing.kind()).to()).isEqualTo(9);
    assertThat(nothing.limits().get(1).value()).isEqualTo(15);
    assertThat(nothing.limits().get(1).from()).isNull();
  }

  @Test
  void whatDoesNotFitAPlaceIsNotTaken() {
    var wide = Feeding.resolve(panel("options: {width: = ceiling or 2}"), line -> fed(42));
    assertThat(wide.faults()).containsExactly(entry("width", "must be at most 8"));
    assertThat(((TimeChart) wide.panel().kind()).width()).isEqualTo(2);
    var turned = Feeding.resolve(panel("options: {from: 50, to: = ceiling or 90}"), l -> fed(42));
    assertThat(turned.faults()).containsExactly(entry("to", "must be greater than from"));
    assertThat(((TimeChart) turned.panel().kind()).to()).isEqualTo(90);
    var whole =
        Feeding.resolve(panel("kind: table\noptions: {most: = ceiling or 3}"), l -> fed(4.4));
    assertThat(((TablePanel) whole.panel().kind()).most()).isEqualTo(4);
    var dial = Feeding.resolve(panel("kind: dial\noptions: {to: = ceiling or 3}"), l -> fed(4.4));
    assertThat(((Dial) dial.panel().kind()).to()).isEqualTo(4.4);
  }

  @Test
  void aLineGivesTheLastValueOfAWholeBucket() {
    var nan = Double.NaN;
    assertThat(Fed.of("c", series(1, 2, 3), 180_000).value()).isEqualTo(3);
    assertThat(Fed.of("c", series(1, 2, 3), 179_000).value()).isEqualTo(2);
    assertThat(Fed.of("c", series(1, 2, nan), 179_000).value()).isEqualTo(2);
    assertThat(Fed.of("c", series(nan, nan, 3), 179_000).value()).isEqualTo(3);
    assertThat(Fed.of("c", series(1, Double.POSITIVE_INFINITY), 180_000).value()).isEqualTo(1);
    var one = Fed.of("c", series(1, 2, 3), 180_000);
    assertThat(one.time()).isEqualTo(120_000);
    assertThat(one.unit()).isEqualTo("t");
    assertThat(Fed.of("c", series(nan, nan), 180_000).fault()).contains("no value");
  }

  @Test
  void severalSeriesOrRowsAreRefusedWithTheReason() {
    var grid = new Grid(0, 60_000, 2);
    var two = new SeriesSet.Gridded(grid, List.of(row(grid, 1, 2), row(grid, 3, 4)));
    var fed = Fed.of("c", two, 120_000);
    assertThat(fed.value()).isNaN();
    assertThat(fed.fault()).contains("2 series", "needs one");
    assertThat(Fed.of("c", new SeriesSet.Gridded(grid, List.of()), 0).fault())
        .contains("no series");
  }
}
