package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class RuleSheetTest {
  @Test
  void aProposedLimitIsRareAndOnTheSideThatReachesFar() {
    var values = new double[10_000];
    for (int i = 0; i < values.length; i++) {
      values[i] = i < 9_900 ? 20 + i % 10 : 20 + (i - 9_900);
    }
    java.util.Arrays.sort(values);
    var up = ProposedLimit.of(values);
    assertThat((double) up.get("above")).isBetween(60.0, 90.0);
    assertThat((double) up.get("deadband")).isBetween(1.0, 30.0);
    var down =
        ProposedLimit.of(java.util.Arrays.stream(values).map(v -> 200 - v).sorted().toArray());
    assertThat((double) down.get("below")).isBetween(110.0, 140.0);
    assertThat(down).doesNotContainKey("above");
    assertThat(ProposedLimit.of(new double[0])).isNull();
    var flat = ProposedLimit.of(new double[] {0, 0, 0});
    assertThat((double) flat.get("above")).isPositive();
    var same = ProposedLimit.of(new double[] {7, 7, 7});
    assertThat((double) same.get("above")).isGreaterThan(7);
  }

  @Test
  void aFaultIsSaidWithItsPlace() {
    var draft =
        RuleDraft.of(
            "{\"title\":\"T\",\"query\":\"a\",\"limits\":[{\"above\":\"much\",\"on-delay\":\"soon\"}]}",
            "");
    assertThat(draft.rule()).isNull();
    assertThat(draft.faults())
        .extracting(RuleDraft.Fault::place)
        .contains("limits[0].above", "limits[0].on-delay");
    assertThat(RuleDraft.of("[]", "").faults()).hasSize(1);
    assertThat(RuleDraft.of("{}", "").faults().getFirst().text()).contains("missing");
    var unread = RuleDraft.of("{\"title\":\"T\",\"query\":\"a then\",\"limits\":[]}", "");
    assertThat(unread.faults()).extracting(RuleDraft.Fault::place).containsExactly("query");
    var without = RuleDraft.of("{\"title\":\"T\",\"query\":\"a\",\"limits\":[]}", "");
    assertThat(without.limitless()).isTrue();
    assertThat(without.rule().limits()).hasSize(1);
  }

  @Test
  void namesSayWhatTellsSeriesApart() {
    var all =
        List.of(
            vintrel.core.series.Labels.of(Map.of("host", "a", "site", "n")),
            vintrel.core.series.Labels.of(Map.of("host", "b", "site", "n")),
            vintrel.core.series.Labels.of(Map.of("host", "c", "site", "m")));
    var names = SeriesNames.of(all);
    assertThat(names.head()).isEqualTo("host");
    assertThat(all.stream().map(names::of)).containsExactly("a", "b", "c");
    var both =
        List.of(
            vintrel.core.series.Labels.of(Map.of("host", "a", "site", "n")),
            vintrel.core.series.Labels.of(Map.of("host", "a", "site", "m")),
            vintrel.core.series.Labels.of(Map.of("host", "b", "site", "m")));
    assertThat(SeriesNames.of(both).of(both.getFirst())).isEqualTo("a, n");
    assertThat(SeriesNames.of(List.of()).head()).isEqualTo("Series");
  }
}
