package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.time.Instant;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import vintrel.server.SettableClock;

class SignInGuardTest {
  private final SettableClock clock = SettableClock.at(Instant.parse("2026-11-26T00:00:00Z"));
  private final SignInGuard guard = new SignInGuard(clock);

  private long failed(String account, String address, int times) {
    for (int i = 0; i < times; i++) {
      guard.failed(account, address);
    }
    return guard.wait(account, address);
  }

  @Test
  void waitsGrowForAnAccountAndANetworkUpToABound() {
    assertThat(failed("kim", "192.0.2.1", 3)).isZero();
    assertThat(failed("kim", "192.0.2.1", 1)).isEqualTo(1);
    assertThat(failed("Kim ", "192.0.2.1", 1)).as("the same person").isEqualTo(2);
    assertThat(failed("kim", "192.0.2.1", 4)).isEqualTo(32);
    assertThat(failed("kim", "192.0.2.1", 40)).isEqualTo(300);
    clock.forward(Duration.ofSeconds(301));
    assertThat(guard.wait("kim", "192.0.2.1")).isZero();
  }

  @Test
  void othersCanSlowAPersonDownButNotLockHerOut() {
    for (int i = 0; i < 200; i++) {
      guard.failed("kim", "198.51.100." + i);
    }
    assertThat(guard.wait("kim", "192.0.2.9")).as("from where she is").isLessThanOrEqualTo(5);
    clock.forward(Duration.ofSeconds(6));
    assertThat(guard.wait("kim", "192.0.2.9")).isZero();
  }

  @Test
  void aNetworkThatTriesManyNamesIsSlowedForAllOfThem() {
    for (int i = 0; i < 40; i++) {
      guard.failed("name" + i, "2001:db8:1:2::" + i);
    }
    assertThat(guard.wait("somebody else", "2001:db8:1:2:ffff::1")).isEqualTo(60);
    assertThat(guard.wait("somebody else", "2001:db8:1:3::1")).isZero();
  }

  @Test
  void successForgivesTheAccountAndAnHourForgetsAll() {
    failed("kim", "192.0.2.1", 6);
    guard.succeeded("kim", "192.0.2.1");
    assertThat(guard.wait("kim", "192.0.2.1")).isZero();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"//evil.example", "/\\evil.example", "https://evil.example", "", "evil", "/\nx"})
  void afterSignInNobodyIsSentElsewhere(String to) {
    assertThat(SignInSteps.target(to)).isEqualTo("/");
  }

  @Test
  void afterSignInOneIsSentBack() {
    assertThat(SignInSteps.target("/bench?q=cpu&from=-1h")).isEqualTo("/bench?q=cpu&from=-1h");
    assertThat(SignInSteps.target("/")).isEqualTo("/");
    assertThat(SignInSteps.target(null)).isEqualTo("/");
    assertThat(SignInSteps.target("/" + "x".repeat(2_000))).isEqualTo("/");
  }

  @Test
  void theLogHasNoLinesOfOthers() {
    assertThat(AccessLog.clean("kim\r\n00:00 admin: signed in"))
        .isEqualTo("kim??00:00 admin: signed in");
  }
}
