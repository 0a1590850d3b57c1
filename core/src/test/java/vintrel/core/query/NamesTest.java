package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.compute.LegendNames;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

class NamesTest {
  private static Row row(String... labels) {
    return Row.raw("m", Labels.of(labels), MetricKind.GAUGE, "", null);
  }

  private static List<String> names(String line, Row... rows) {
    return LegendNames.of(line, Arrays.asList(rows));
  }

  @Test
  void oneLabelThatTellsThemApartIsEnough() {
    assertThat(
            names(
                "",
                row("host", "nq-1", "instance", "pay-nq-1", "site", "north"),
                row("host", "mi-1", "instance", "pay-mi-1", "site", "mid"),
                row("host", "mi-2", "instance", "pay-mi-2", "site", "mid")))
        .containsExactly("nq-1", "mi-1", "mi-2");
  }

  @Test
  void twoAreTakenWhereOneDoesNot() {
    assertThat(
            names(
                "",
                row("gate", "g1", "result", "ok", "site", "north"),
                row("gate", "g1", "result", "refused", "site", "north"),
                row("gate", "g2", "result", "ok", "site", "south"),
                row("gate", "g2", "result", "refused", "site", "south")))
        .containsExactly("g1 · ok", "g1 · refused", "g2 · ok", "g2 · refused");
  }

  @Test
  void aLabelThatSomeLackIsNotEnoughAlone() {
    assertThat(names("l", row("host", "a", "state", "up"), row("host", "b"), row("host", "c")))
        .containsExactly("a", "b", "c");
    assertThat(names("l", row("state", "up"), row())).containsExactly("up", "l");
  }

  @Test
  void aLoneSeriesIsCalledAsItsLineOrMetric() {
    assertThat(names("busy", row("host", "a"))).containsExactly("busy");
    assertThat(names("", row("host", "a"))).containsExactly("m");
    assertThat(names("busy", row("host", "a").name("given"))).containsExactly("given");
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 2, 3, 4, 5, 6, 7, 8})
  void namesAreAsDifferentAsTheLabelsAre(long seed) {
    var random = new Random(seed);
    var rows = new HashSet<Labels>();
    for (int i = 0; i < 40; i++) {
      var labels = new TreeMap<String, String>();
      for (int l = 0; l < 5; l++) {
        labels.put("l" + l, "v" + l + random.nextInt(1 + l));
      }
      rows.add(Labels.of(labels));
    }
    var found =
        names(
            "",
            rows.stream()
                .map(l -> Row.raw("m", l, MetricKind.GAUGE, "", null))
                .toArray(Row[]::new));
    assertThat(found).as("seed %d", seed).doesNotHaveDuplicates();
  }

  @Test
  void tenThousandSeriesAreNamedAtOnce() {
    var rows = new Row[10_000];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = row("host", "h" + i % 100, "path", "p" + i / 100, "site", "one");
    }
    assertThat(names("", rows)).doesNotHaveDuplicates().contains("h7 · p3");
  }

  @Test
  void someOfManySeriesHoldTheOnesThatGoHighestAndLowest() {
    var grid = new Grid(0, 1000, 3);
    var rows = new Row[50];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = row("host", "h" + i).on(new double[] {1, i == 17 ? 900 : 2, i == 33 ? -5 : 3});
    }
    var some = Frames.pickSeries(new SeriesSet.Gridded(grid, Arrays.asList(rows)), 6);
    assertThat(some).hasSize(6);
    assertThat(some).anyMatch(s -> s.values()[1] == 900).anyMatch(s -> s.values()[2] == -5);
    assertThat(Frames.pickSeries(new SeriesSet.Gridded(grid, Arrays.asList(rows).subList(0, 4)), 6))
        .hasSize(4);
    assertThat(Frames.pickSeries(new SeriesSet.Gridded(grid, List.of()), 6)).isEmpty();
  }
}
