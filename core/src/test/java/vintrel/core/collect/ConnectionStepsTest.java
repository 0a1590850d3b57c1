package vintrel.core.collect;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;
import vintrel.core.collect.ConnectionSteps.Light;

class ConnectionStepsTest {
  private static String words(ConnectionSteps steps) {
    var out = new StringBuilder();
    steps.steps().forEach(s -> out.append(s.title()).append(' ').append(s.light()).append(", "));
    return out.toString();
  }

  @Test
  void whatComesAfterAFailureWaits() {
    var found = new Finding();
    found.phase("name", 1);
    found.failed("connect", "connection refused: nothing listens on this port");
    var steps = new ConnectionSteps().transport(found, true).response(found).clock(0);
    assertThat(words(steps))
        .isEqualTo("Name OK, Connection BAD, TLS WAIT, Response WAIT, Sign-in WAIT, Clock WAIT, ");
    assertThat(steps.steps().get(1).remedy()).startsWith("start what should listen");
    assertThat(steps.hasFailed()).isTrue();
  }

  @Test
  void aRefusedSignInIsNoFaultOfTheConnection() {
    var found = new Finding();
    found.phase("name", 1);
    found.phase("connect", 2);
    found.response(401, "");
    var steps = new ConnectionSteps().transport(found, false).response(found);
    assertThat(words(steps)).isEqualTo("Name OK, Connection OK, Response OK, Sign-in BAD, ");
  }

  @Test
  void clocksMayDifferByAFewSeconds() {
    for (long ms : new long[] {0, 4_999, -5_000}) {
      assertThat(new ConnectionSteps().clock(ms).steps().getFirst().light()).isEqualTo(Light.OK);
    }
    assertThat(new ConnectionSteps().clock(Long.MIN_VALUE).steps()).isEmpty();
    var ahead = new ConnectionSteps().clock(90_000).steps().getFirst();
    assertThat(ahead.light()).isEqualTo(Light.LATE);
    assertThat(ahead.text()).isEqualTo("1 min 30 s ahead of this server's");
    assertThat(new ConnectionSteps().clock(-60_000).steps().getFirst().text())
        .isEqualTo("1 min behind this server's");
  }
}
