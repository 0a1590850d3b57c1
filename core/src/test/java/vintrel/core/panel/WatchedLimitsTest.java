package vintrel.core.panel;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;
import vintrel.core.frame.Column;

/** Limits of rules on a chart. */
class WatchedLimitsTest {
  private static final Column.Number TEMPERATURE =
      Charts.series("a", "Cel", 80, 85, 88, 84, 83, 82);

  private static WatchedLimit above(String line, double value) {
    return new WatchedLimit(line, value, true, "high", "hot", "Engine is hot");
  }

  private static Drawing.Chart draw(
      String options, Column.Number series, WatchedLimit watched, Limit... own) {
    var asked = Charts.asked(List.of(Charts.frame("t", series)), List.of(), own);
    return (Drawing.Chart)
        Charts.chart(options).draw(asked.watchedBy(new Watched(List.of(watched), List.of())));
  }

  @Test
  void oneThatIsNearIsOnTheAxis() {
    var chart = draw("{}", TEMPERATURE, above("t", 92));
    assertThat(chart.picture().axis().max()).isGreaterThan(92);
    var line = chart.limits().getFirst();
    assertThat(chart.limits()).hasSize(1);
    assertThat(line.at()).isEqualTo(92);
    assertThat(line.text()).isEqualTo("Engine is hot: above 92 °C");
    assertThat(line.form()).isEqualTo("rule");
    assertThat(line.rule()).isEqualTo("hot");
    assertThat(line.index()).isEqualTo(-1);
    assertThat(line.beyond()).isFalse();
  }

  @Test
  void oneThatIsFarDoesNotFlattenTheSeries() {
    var alone = draw("{}", TEMPERATURE, above("other", 92)).picture().axis();
    var chart = draw("{}", TEMPERATURE, above("t", 200));
    assertThat(chart.picture().axis()).isEqualTo(alone);
    var line = chart.limits().getFirst();
    assertThat(line.beyond()).isTrue();
    assertThat(line.at()).isEqualTo(alone.max());
    assertThat(line.text()).isEqualTo("↑ Engine is hot: above 200 °C");
    var under = new WatchedLimit("t", 5, false, "low", "cold", "Engine is cold");
    assertThat(draw("{}", TEMPERATURE, under).limits().getFirst().text())
        .isEqualTo("↓ Engine is cold: below 5 °C");
  }

  @Test
  void whatThePanelSaysItselfIsSaidOnce() {
    var limits = draw("{}", TEMPERATURE, above("t", 92), new Limit(92, true, "medium")).limits();
    assertThat(limits).hasSize(1);
    assertThat(limits.getFirst().index()).isZero();
    assertThat(limits.getFirst().priority()).isEqualTo("medium");
    assertThat(limits.getFirst().rule()).isEqualTo("hot");
    // The other side is another limit.
    assertThat(draw("{}", TEMPERATURE, above("t", 92), new Limit(92, false, "medium")).limits())
        .hasSize(2);
  }

  @Test
  void theyAreOfTheFirstAxisAlone() {
    var asked =
        Charts.asked(
            List.of(
                Charts.frame("t", TEMPERATURE),
                Charts.frame("u", Charts.series("b", "%", 1, 2, 3, 4, 5, 6))),
            List.of());
    var chart =
        (Drawing.Chart)
            Charts.chart("{}")
                .draw(
                    asked.watchedBy(
                        new Watched(List.of(above("t", 92), above("u", 7)), List.of())));
    var first = chart.picture().traces().stream().filter(t -> t.axis() == 0).toList();
    assertThat(first).isNotEmpty();
    assertThat(chart.limits()).hasSize(1);
    assertThat(chart.limits().getFirst().at())
        .isEqualTo(first.getFirst().line().equals("t") ? 92 : 7);
  }

  @Test
  void noneStandOnAStackOrWhereLimitsAreOff() {
    assertThat(draw("{stack: values, draw: area}", TEMPERATURE, above("t", 92)).limits()).isEmpty();
    var off = draw("{limits-as: none}", TEMPERATURE, above("t", 92));
    assertThat(off.limits()).isEmpty();
    assertThat(off.picture().axis().max()).isLessThan(92);
  }

  @Test
  void oneBelowZeroIsNotOnALogarithmicAxis() {
    var below = new WatchedLimit("t", -1, false, "low", "cold", "Engine is cold");
    assertThat(draw("{scale: log}", TEMPERATURE, below).limits()).isEmpty();
  }
}
