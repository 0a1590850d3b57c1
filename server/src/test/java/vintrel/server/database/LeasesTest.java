package vintrel.server.database;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.spy;

import java.time.Duration;
import java.time.Instant;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import vintrel.server.RunningServer;
import vintrel.server.SettableClock;
import vintrel.server.web.Duties;

/** One of several servers does a job; loops go on whatever a round does. */
class LeasesTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private final SettableClock clock = SettableClock.at(Instant.parse("2026-11-26T00:00:00Z"));

  /** As on a database that servers can share. */
  private Leases leases(String owner) {
    var database = spy(server.bean(Database.class));
    doReturn(false).when(database).isFile();
    return new Leases(database, clock, owner);
  }

  @Test
  void aJobIsHeldUntilItIsReleasedOrExpires() {
    var a = leases("a");
    var b = leases("b");
    assertThat(a.hold("job")).isTrue();
    assertThat(b.hold("job")).isFalse();
    assertThat(b.hold("other")).isTrue();
    clock.forward(Duration.ofSeconds(20));
    assertThat(a.hold("job")).as("renewed").isTrue();
    clock.forward(Duration.ofSeconds(20));
    assertThat(b.hold("job")).isFalse();
    clock.forward(Duration.ofSeconds(11));
    assertThat(b.hold("job")).as("expired").isTrue();
    assertThat(a.hold("job")).isFalse();
    b.release();
    assertThat(a.hold("job")).isTrue();
    a.release();
  }

  @Test
  void ofServersThatAskAtOnceOneHolds() throws Exception {
    for (int round = 0; round < 20; round++) {
      var job = "race-" + round;
      try (var threads = Executors.newFixedThreadPool(6)) {
        var tasks =
            IntStream.range(0, 6)
                .mapToObj(i -> (Callable<Boolean>) () -> leases("r" + i).hold(job))
                .toList();
        int held = 0;
        for (var each : threads.invokeAll(tasks)) {
          held += each.get() ? 1 : 0;
        }
        assertThat(held).isEqualTo(1);
      }
    }
  }

  @Test
  void aClockThatGoesBackDoesNotKeepALeaseForEver() {
    var a = leases("back-a");
    assertThat(a.hold("back")).isTrue();
    clock.forward(Duration.ofDays(-1));
    assertThat(a.hold("back")).isTrue();
    clock.forward(Duration.ofSeconds(31));
    assertThat(leases("back-b").hold("back")).isTrue();
  }

  @Test
  void aLoopGoesOnAfterAFaultIsWokenAndEndsAfterItsRound() throws Exception {
    var duties = new Duties();
    var loops = new Loops(duties, server.bean(Leases.class));
    var rounds = new AtomicInteger();
    var began = new CountDownLatch(3);
    var loop =
        loops.start(
            "testing",
            3_600_000,
            "testing",
            () -> {
              rounds.incrementAndGet();
              began.countDown();
              if (rounds.get() == 1) {
                throw new IllegalStateException("meant");
              }
            });
    RunningServer.await("the first round", () -> rounds.get() == 1);
    RunningServer.await(
        "two more",
        () -> {
          loop.wake();
          return rounds.get() >= 3;
        });
    assertThat(began.await(1, TimeUnit.SECONDS)).isTrue();
    assertThat(duties.faults()).isEqualTo(1);
    assertThat(loops.lags()).containsOnlyKeys("testing");
    loop.close();
    int last = rounds.get();
    loop.wake();
    assertThat(rounds.get()).isEqualTo(last);
    assertThat(loops.lags()).isEmpty();
    assertThat(duties.behind()).isEmpty();
  }
}
