package vintrel.core.panel;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;
import static vintrel.core.panel.Charts.draw;
import static vintrel.core.panel.Charts.frame;
import static vintrel.core.panel.Charts.series;

import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;

class ChartLinesTest {
  private static final double NO = Double.NaN;

  private static final Frame HIGH = frame("high", series("a", "%", 8, 9, 7, NO));
  private static final Frame LOW = frame("low", series("b", "%", 2, 3, 1, 4));

  @Test
  void anAreaEndsAtAnotherSeries() {
    var chart = draw("{styles: [{line: high, fill-to: low}]}", HIGH, LOW);
    assertThat(chart.styles().get(0).base()).containsExactly(2, 3, 1, 4);
    assertThat(chart.styles().get(0).fill()).isEqualTo(25);
    assertThat(chart.styles().get(1).base()).isNull();
    assertThat(chart.styles().get(1).fill()).isZero();
    // Set for all, what the area ends at has none, and the other keeps its strength.
    var all = draw("{fill-to: low, fill: 40}", HIGH, LOW);
    assertThat(all.styles()).extracting(s -> s.fill()).containsExactly(40.0, 0.0);
    // By the name of a series, on a scale that is not linear.
    var log = draw("{fill-to: b, scale: log}", HIGH, LOW);
    assertThat(log.styles().getFirst().base()[0]).isCloseTo(Math.log10(2), within(1e-12));
  }

  @Test
  void anAreaEndsAtZeroIfTheOtherIsNotOnTheSameAxisAtTheSameTimes() {
    var frames =
        new Frame[] {
          HIGH,
          frame("short", series("c", "%", 1, 2)),
          frame("other", series("d", "By", 1, 2, 3, 4)),
        };
    for (var to : List.of("short", "other", "nothing")) {
      var chart = draw("{fill-to: %s, fill: 30}".formatted(to), frames);
      assertThat(chart.styles().getFirst().base()).as(to).isNull();
      assertThat(chart.styles().getFirst().fill()).as(to).isEqualTo(30);
    }
    // What is stacked lies on what is below it.
    var stacked = draw("{stack: values, fill-to: high}", LOW, HIGH);
    assertThat(stacked.styles().getFirst().base()).containsOnly(0);
  }

  private static final double[] WITH_GAP = {1, 2, 3, NO, NO, NO, NO, 8, 9, 10, 11, 12};

  @Test
  void aRuleSetsForSomeWhatTheOthersDoNotHave() {
    var gap = frame("gap", series("a", "%", WITH_GAP), series("b", "%", WITH_GAP));
    var chart =
        draw(
            "{points: none, styles: [{series: a, points: all, point-size: 9, gaps: joined,"
                + " envelope: false}]}",
            gap);
    assertThat(chart.styles()).extracting(s -> s.points()).containsExactly("all", "none");
    assertThat(chart.styles()).extracting(s -> s.size()).containsExactly(9.0, 4.0);
    assertThat(chart.picture().traces().get(0).joined()).containsExactly(3, 4, 5, 6);
    assertThat(chart.picture().traces().get(1).joined()).isEmpty();
  }

  /** Against counting: at least 95 of 100 values are not above it, at most 95 below. */
  @Test
  void p95IsWhatTheQueryLanguageSays() {
    var random = new Random(5);
    for (int round = 0; round < 200; round++) {
      var values = random.doubles(1 + random.nextInt(300), -50, 50).toArray();
      for (int i = 1; i < values.length; i += 1 + random.nextInt(9)) {
        values[i] = NO;
      }
      double p95 = Statistic.P95.of(values, null, null);
      var there = Arrays.stream(values).filter(v -> !Double.isNaN(v)).toArray();
      long below = Arrays.stream(there).filter(v -> v < p95).count();
      long above = Arrays.stream(there).filter(v -> v > p95).count();
      assertThat(below).isLessThanOrEqualTo((long) Math.ceil(0.95 * (there.length - 1)));
      assertThat(above).isLessThanOrEqualTo((long) Math.ceil(0.05 * (there.length - 1)));
    }
    assertThat(Statistic.P95.of(new double[] {NO}, null, null)).isNaN();
    var readout =
        draw("{shows: [p95], sort: p95}", frame("a", new Column.Number[] {series("a", "%", 1, 2)}))
            .picture()
            .traces()
            .getFirst()
            .readout();
    assertThat(readout.p95()).isCloseTo(1.95, within(1e-12));
  }
}
