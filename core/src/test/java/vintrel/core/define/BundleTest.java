package vintrel.core.define;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import java.util.List;
import org.junit.jupiter.api.Test;

class BundleTest {
  private static String faultsOf(String yaml) {
    return catchThrowableOfType(DefinitionException.class, () -> Bundle.parse(yaml)).getMessage();
  }

  @Test
  void aDashboardIsRead() {
    var bundle =
        Bundle.parse(
            """
            kind: dashboard
            name: fleet
            title: Fleet
            panels:
              - {title: CPU busy, at: [1, 2, 6, 4], query: cpu then mean by host, limits: [{above: 90}]}
            """);
    var d = ((Definition.OfDashboard) bundle.documents().getFirst().definition()).dashboard();
    assertThat(d.panels().getFirst().id()).isEqualTo("cpu-busy");
    assertThat(d.panels().getFirst().place().width()).isEqualTo(6);
    assertThat(d.panels().getFirst().limits().getFirst().priority()).isEqualTo("medium");
  }

  @Test
  void allFaultsAreToldWithTheirPlace() {
    assertThat(
            faultsOf(
                    """
                    kind: dashboard
                    name: Fleet!
                    title: Fleet
                    panels:
                      - {title: A, at: [10, 1, 6, 4], qeury: cpu}
                    ---
                    kind: rule
                    name: r
                    query: cpu then men
                    limits: [{above: 5, on-delay: soon}]
                    ---
                    kind: thing
                    name: x
                    """)
                .lines())
        .containsExactly(
            "dashboard Fleet!.name: must use lower-case letters, digits and hyphens only, at most"
                + " 80",
            "dashboard Fleet!.panels[0].at: must fit in the 12 columns",
            "dashboard Fleet!.panels[0].query: is missing",
            "dashboard Fleet!.panels[0].qeury: unknown key; did you mean query?",
            "rule r.query: line 1, column 10: no step named `men`; did you mean mean?",
            "rule r.limits[0].on-delay: must be a duration such as 30s or 5m, not 'soon'",
            "thing x.kind: must be dashboard, rule, recipient, routing, window, job, check,"
                + " collector or resources, not 'thing'");
  }

  @Test
  void jsonIsReadToo() {
    var bundle =
        Bundle.parse(
            "{\"kind\": \"recipient\", \"name\": \"a\", \"channels\": [{\"mail\":"
                + " \"a@b.example\"}]}");
    assertThat(bundle.documents()).hasSize(1);
  }

  @Test
  void twoDocumentsOfOneNameAndBrokenYamlAreFaults() {
    var one = "kind: recipient\nname: a\nchannels: [{mail: a@b.example}]\n";
    assertThat(faultsOf(one + "---\n" + one)).contains("defined twice");
    assertThat(faultsOf("kind: [")).startsWith("document 1:");
  }

  @Test
  void aRuleWithoutLimitsOrTooFastIsRefused() {
    assertThat(faultsOf("kind: rule\nname: r\nquery: m")).contains("a rule needs one to 3 limits");
    assertThat(faultsOf("kind: rule\nname: r\nquery: m\nevery: 1s\nlimits: [{above: 1}]"))
        .contains("rule r.every: must be at least 5s");
  }

  @Test
  void aControlIsNotNamedAsWhatAddressesSayAlong() {
    var text =
        """
        kind: dashboard
        name: d
        title: D
        controls:
        - {name: site, values: [a]}
        - {name: %s, values: [a]}
        panels: []
        """;
    for (var name : List.of("from", "to", "page", "width", "height", "draft", "edit", "has")) {
      assertThatThrownBy(() -> Bundle.parse(text.formatted(name)))
          .isInstanceOf(DefinitionException.class)
          .hasMessageContaining("controls[1].name: `" + name + "` has another meaning");
    }
    assertThat(Bundle.parse(text.formatted("wide")).documents()).hasSize(1);
  }
}
