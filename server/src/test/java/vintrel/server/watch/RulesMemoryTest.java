package vintrel.server.watch;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;

/** Where questions have no memory left, rules are checked all the same. */
class RulesMemoryTest {
  @RegisterExtension
  static final RunningServer server = new RunningServer("--vintrel.query.memory-bytes=100");

  @Test
  void rulesHaveMemoryOfTheirOwn() {
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: rule\nname: own\nquery: own.m\nevery: 5s\nbehind: 0s\nlimits: [{above: 5}]\n");
    server.post("/api/v1/samples", "application/x-www-form-urlencoded", "metric=own.m&value=9");
    assertThat(server.found("own.m then times 1", "-1h", "now"))
        .containsAnyOf("limit.memory", "busy");
    var log = server.bean(AlertLog.class);
    RunningServer.await(
        "raised", () -> log.notNormal().stream().anyMatch(a -> a.rule().name().equals("own")));
  }
}
