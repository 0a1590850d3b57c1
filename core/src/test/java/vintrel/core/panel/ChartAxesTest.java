package vintrel.core.panel;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.within;
import static vintrel.core.panel.Charts.draw;
import static vintrel.core.panel.Charts.frame;
import static vintrel.core.panel.Charts.kind;
import static vintrel.core.panel.Charts.series;

import java.time.Instant;
import java.time.ZoneId;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import vintrel.core.define.Bundle;
import vintrel.core.define.DefinitionException;
import vintrel.core.frame.Frame;
import vintrel.core.picture.Axis;

class ChartAxesTest {
  private static final Frame[] FOUR = {
    frame("busy", series("a", "%", 10, 20)),
    frame("sent", series("b", "By/s", 1000, 2000)),
    frame("took", series("c", "s", 0.1, 0.5)),
    frame("load", series("d", "t", 3, 9)),
  };

  private static List<String> sides(Drawing.Chart chart) {
    return chart.axes().stream().map(Drawing.AxisLook::side).toList();
  }

  @Test
  void eachUnitHasTheAxisThatIsSetForIt() {
    var plain = draw("{}", FOUR);
    assertThat(sides(plain)).containsExactly("left", "right", "hidden", "hidden");
    // One for no unit takes the next that has none; one for a unit waits for it.
    var set = draw("{axes: [{unit: s, side: left, words: Time}, {}, {words: Load}]}", FOUR);
    assertThat(set.picture().traces()).extracting(t -> t.axis()).containsExactly(0, 1, 2, 3);
    assertThat(sides(set)).containsExactly("left", "right", "left", "right");
    assertThat(set.axes()).extracting(a -> a.words()).containsExactly("", "", "Time", "Load");
    assertThat(set.axes()).extracting(a -> a.setting()).containsExactly(-1, 1, 0, 2);
    assertThat(set.picture().unitOf(2)).isEqualTo("s");
    // One that nothing is on is not drawn, and is no fault.
    assertThat(draw("{axes: [{unit: W}]}", FOUR[0]).axes()).hasSize(2);
    assertThat(sides(draw("{axes: [{unit: W}]}", FOUR[0]))).containsExactly("left", "hidden");
  }

  @Test
  void anAxisHasItsOwnScaleEndsAndDecimals() {
    var set =
        draw(
            "{axes: [{scale: log, decimals: 1}, {unit: s, from: 0, to: 2}, {unit: t, middle:"
                + " true}]}",
            FOUR);
    var sent = set.picture().second();
    assertThat(sent.ticks()).extracting(Axis.Tick::text).contains("1.0 kB/s", "10.0 kB/s");
    assertThat(set.styles().get(1).drawn()[0]).isCloseTo(3, within(1e-9));
    assertThat(set.picture().axisOf(2).min()).isZero();
    assertThat(set.picture().axisOf(2).max()).isEqualTo(2);
    assertThat(set.picture().axisOf(3).min()).isEqualTo(-set.picture().axisOf(3).max());
    var signed = draw("{axes: [{scale: signed log, linear: 100}]}", FOUR);
    assertThat(signed.styles().get(1).drawn()[1]).isCloseTo(Math.log10(21), within(1e-9));
    var soft = draw("{axes: [{soft-to: 5000}]}", FOUR);
    assertThat(soft.picture().second().max()).isGreaterThanOrEqualTo(5000);
    assertThatThrownBy(() -> kind("time-chart", "{axes: [{}, {from: 3, to: 3}]}"))
        .isInstanceOf(DefinitionException.class)
        .hasMessageContaining("options.axes[1].to: must be greater than from");
  }

  @Test
  void rulesChooseASideAndUnitsStayApart() {
    var both = frame("", series("e", "%", 1, 2), series("f", "s", 1, 2), series("g", "%", 5, 6));
    var right = draw("{styles: [{series: '*', axis: right}], axes: [{}, {words: Last}]}", both);
    // Both of one unit share an axis; nothing is left on the first.
    assertThat(right.picture().traces()).extracting(t -> t.axis()).containsExactly(2, 1, 2);
    assertThat(right.axes().get(2).words()).isEqualTo("Last");
    var apart = draw("{styles: [{series: e, axis: hidden}, {series: g, axis: hidden}]}", both);
    assertThat(apart.picture().traces()).extracting(t -> t.axis()).containsExactly(2, 1, 3);
    // The first axis takes its own again, wherever it is drawn.
    var first = draw("{side: hidden, styles: [{series: e, axis: left}]}", both);
    assertThat(first.picture().traces()).extracting(t -> t.axis()).containsExactly(0, 1, 0);
  }

  @Test
  void valuesAreReadBackFromEveryScale() {
    var random = new Random(3);
    for (var scale : ValueScale.values()) {
      for (int i = 0; i < 200; i++) {
        double zone = Math.pow(10, random.nextInt(7) - 3);
        double v = Math.pow(10, random.nextDouble() * 8 - 4);
        v = scale == ValueScale.LOG || scale == ValueScale.LOG_2 || random.nextBoolean() ? v : -v;
        assertThat(scale.value(scale.at(v, zone), zone)).isCloseTo(v, within(Math.abs(v) * 1e-9));
      }
    }
  }

  @Test
  void whatEarlierVersionsWroteOfTheRightAxisIsAListNow() {
    var text =
        """
        kind: dashboard
        name: d
        title: D
        panels:
        - title: A
          at: [1, 1, 6, 6]
          query: |
            most: m
            other: n
          options: {right-scale: log, right-to: "= most or 8", right-words: B, left-axis: false}
        """;
    var read = Bundle.parse(text).documents().getFirst();
    assertThat(read.content().toString())
        .contains("side=hidden")
        .contains("axes=[{scale=log, to== most or 8, words=B}]")
        .doesNotContain("right-");
    // What is stored is read again as it is.
    assertThat(Bundle.parse(read.text()).documents().getFirst().content())
        .isEqualTo(read.content());
    var hidden = (TimeChart) kind("time-chart", "{right-axis: false}");
    assertThat(hidden.axes().getFirst().side()).isEqualTo(ValueAxis.Side.HIDDEN);
  }

  @Test
  void seriesAreDrawnInTheOrderThatIsSet() {
    var data = frame("", series("b", "", 9, 1), series("c", "", 2, 3), series("a", "", 5, 2));
    assertThat(draw("{order: name}", data).picture().traces())
        .extracting(t -> t.name())
        .containsExactly("a", "b", "c");
    assertThat(draw("{order: last}", data).picture().traces())
        .extracting(t -> t.name())
        .containsExactly("c", "a", "b");
    var stacked = draw("{order: max, stack: values}", data);
    assertThat(stacked.picture().traces()).extracting(t -> t.name()).containsExactly("b", "a", "c");
    assertThat(stacked.styles().getLast().drawn()).containsExactly(16, 6);
  }

  @Test
  void theTitleHasTheNumberThatIsSet() {
    var data = frame("", series("b", "s", 9, 1, 2));
    assertThat(draw("{}", data).reading()).isEqualTo("2 s");
    assertThat(draw("{at-title: max}", data).reading()).isEqualTo("max 9 s");
    assertThat(draw("{at-title: mean}", data).reading()).isEqualTo("mean 4 s");
    assertThat(draw("{at-title: nothing}", data).reading()).isEmpty();
  }

  /** Each minute is asked for its hour. */
  @Test
  void nightsAreTheHoursOfTheClockThatTheZoneHas() {
    var zone = ZoneId.of("Europe/Oslo");
    var random = new Random(5);
    for (int turn = 0; turn < 30; turn++) {
      // Around the changes of the clock of 2026, too.
      long from =
          Instant.parse(turn % 2 == 0 ? "2026-03-28T00:00:00Z" : "2026-10-24T00:00:00Z")
              .plusSeconds(60L * random.nextInt(2_000))
              .toEpochMilli();
      long to = from + 60_000L * (1 + random.nextInt(4_000));
      var nights = Nights.of(from, to, zone);
      for (long at = from; at < to; at += 60_000) {
        int hour = Instant.ofEpochMilli(at).atZone(zone).getHour();
        boolean shaded = false;
        for (int i = 0; i < nights.length; i += 2) {
          shaded |= at >= nights[i] && at < nights[i + 1];
        }
        assertThat(shaded).as("%s", Instant.ofEpochMilli(at)).isEqualTo(hour >= 18 || hour < 6);
      }
    }
    assertThat(Nights.of(0, 200L * 86_400_000, zone)).isEmpty();
  }
}
