package vintrel.core.wire;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

class ResourceRulesTest {
  private static ResourceRules of(String... lines) {
    return new ResourceRules(java.util.Arrays.stream(lines).map(ResourceRules::parse).toList());
  }

  @Test
  void theFirstRuleThatNamesAnAttributeDecides() {
    var rules = of("label process.pid", "aside process.*, os.*", "label *");
    var parts =
        rules.part(Map.of("process.pid", "7", "process.command", "java", "os.type", "linux"));
    assertThat(parts.labels()).containsOnlyKeys("process.pid");
    assertThat(parts.aside()).containsOnlyKeys("process.command", "os.type");
    assertThat(ResourceRules.ALL.part(Map.of("a", "1")).aside()).isEmpty();
  }

  @Test
  void withoutADefinitionARestartMakesNoNewSeries() {
    var sent = new java.util.TreeMap<>(Map.of("service", "tickets", "host", "nq-1"));
    sent.putAll(Map.of("os.type", "linux", "telemetry.sdk.name", "x", "process.pid", "7"));
    sent.putAll(Map.of("process.command_args", "[\"a\"]", "process.runtime.version", "25"));
    sent.putAll(Map.of("deployment.environment", "quay", "container.id", "c1"));
    var kept = new String[] {"service", "host", "deployment.environment", "container.id"};
    var alone = ResourceRules.USUAL.part(sent);
    assertThat(alone.labels())
        .as("else two processes would write the same series")
        .containsOnlyKeys(
            "service", "host", "deployment.environment", "container.id", "process.pid");
    sent.put("instance", "tickets-1");
    var named = ResourceRules.USUAL.part(sent);
    assertThat(named.labels()).containsKeys(kept).containsKey("instance").hasSize(5);
    assertThat(named.aside()).containsKeys("process.pid", "process.command_args", "os.type");
    // A definition of the same rules does what it says.
    var defined = new ResourceRules(ResourceRules.USUAL.rules());
    sent.remove("instance");
    assertThat(defined.part(sent).aside()).containsKey("process.pid");
  }

  @Test
  void anAttributeIsNamedAsItsSenderOrItsLabelNamesIt() {
    assertThat(of("aside host.name").isLabel("host")).isFalse();
    assertThat(of("aside host").isLabel("host")).isFalse();
    assertThat(of("aside host.*").isLabel("host")).isFalse();
    assertThat(of("aside host.*").isLabel("hostess")).isTrue();
  }

  @Test
  void whatIsNoRuleIsSaid() {
    for (var line : List.of("", "keep a", "label", "aside ", "aside a b", "aside a,,b")) {
      assertThatThrownBy(() -> ResourceRules.parse(line))
          .as(line)
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageMatching(".*(label or aside|commas|names no attribute).*");
    }
    for (var line : List.of("label a.*, b", "aside *")) {
      assertThat(ResourceRules.write(ResourceRules.parse(line))).isEqualTo(line);
    }
  }

  @Test
  void starsMatchAsPatternsDo() {
    var random = new Random(12);
    for (int i = 0; i < 20_000; i++) {
      var pattern = text(random, "ab*", 6);
      var name = text(random, "ab", 7);
      if (pattern.isEmpty() || name.isEmpty()) {
        continue;
      }
      var wanted = Pattern.matches(pattern.replace("*", ".*"), name);
      assertThat(of("aside " + pattern).isLabel(name)).as(pattern + " " + name).isEqualTo(!wanted);
    }
    // Many stars end soon, too.
    assertThat(of("aside " + "*a".repeat(500)).isLabel("a".repeat(499) + "b")).isTrue();
  }

  private static String text(Random random, String of, int max) {
    var out = new StringBuilder();
    for (int n = random.nextInt(max); n > 0; n--) {
      out.append(of.charAt(random.nextInt(of.length())));
    }
    return out.toString();
  }
}
