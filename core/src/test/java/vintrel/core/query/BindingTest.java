package vintrel.core.query;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import vintrel.core.query.syntax.Binding;

/** Queries of dashboards where there are no controls. */
class BindingTest {
  private static final Map<String, List<String>> CHOSEN =
      Map.of("site", List.of("mi", "north-quay"), "host", List.of("nq-app-1"), "none", List.of());

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      value = {
        "m where host = $host | m where host = 'nq-app-1'",
        "m where site = $site | m where site in ('mi', 'north-quay')",
        "m where site = $none then rate | m then rate",
        "m where site = $none and gate = 'n1' | m where gate = 'n1'",
        "m where site = $none or gate = 'n1' | m",
        "m where not host = $host | m where not host = 'nq-app-1'",
        // Nobody can write that nothing is meant.
        "m where not site = $none | m where not site = $none",
        "events where host = $host then count every 5m"
            + " | events where host = 'nq-app-1' then count every 5m",
        "m   where host = 'a'   then   rate | m   where host = 'a'   then   rate",
      })
  void controlsAreWhatIsChosen(String query, String bound) {
    assertThat(Binding.text(query, CHOSEN::get, "")).isEqualTo(bound);
  }

  @ParameterizedTest
  @CsvSource({
    "m then rate,m in depot then rate",
    "m in main then rate,m in main then rate",
    "'a: m\nb: a then rate','a: m in depot\nb: a then rate'",
  })
  void theStoreIsNamedWhereAMetricIs(String query, String bound) {
    var text = query.replace("\\n", "\n");
    assertThat(Binding.text(text, CHOSEN::get, "depot")).isEqualTo(bound.replace("\\n", "\n"));
  }
}
