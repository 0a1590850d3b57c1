package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.springframework.mock.web.MockFilterChain;
import org.springframework.mock.web.MockHttpServletRequest;
import org.springframework.mock.web.MockHttpServletResponse;
import org.springframework.mock.web.MockHttpSession;
import vintrel.core.store.StoreBusyException;
import vintrel.server.RunningServer;

@Timeout(60)
class TurnsTest {
  private final Turns turns = new Turns("tests", 1, 1, 50, 40, 60_000);
  private final CountDownLatch gate = new CountDownLatch(1);

  @AfterEach
  void close() {
    gate.countDown();
    turns.close();
  }

  private static void await(CountDownLatch latch) {
    try {
      latch.await();
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Holds the only thread until the gate opens. */
  private CompletableFuture<Integer> hold() {
    var inside = new CountDownLatch(1);
    var out =
        CompletableFuture.supplyAsync(
            () ->
                turns.run(
                    "holder",
                    () -> {
                      inside.countDown();
                      await(gate);
                      return 0;
                    }),
            Executors.newVirtualThreadPerTaskExecutor());
    await(inside);
    return out;
  }

  @Test
  void whoAsksMuchWaitsBehindHimself() {
    hold();
    var order = new CopyOnWriteArrayList<String>();
    try (var asking = Executors.newVirtualThreadPerTaskExecutor()) {
      for (int i = 0; i < 20; i++) {
        asking.submit(() -> turns.run("much", () -> order.add("much")));
        int waits = i + 1;
        RunningServer.await("it waits", () -> turns.waiting() == waits);
      }
      asking.submit(() -> turns.run("one", () -> order.add("one")));
      RunningServer.await("all wait", () -> turns.waiting() == 21);
      gate.countDown();
    }
    assertThat(order).hasSize(21);
    assertThat(order.indexOf("one")).isLessThanOrEqualTo(1);
  }

  @Test
  void whatWaitsIsBoundedForEachAndForAllAndInTime() {
    hold();
    try (var asking = Executors.newVirtualThreadPerTaskExecutor()) {
      for (int i = 0; i < 40; i++) {
        asking.submit(() -> turns.run("a", () -> 1));
      }
      RunningServer.await("forty wait", () -> turns.waiting() == 40);
      assertThatThrownBy(() -> turns.run("a", () -> 1)).isInstanceOf(StoreBusyException.class);
      for (int i = 0; i < 10; i++) {
        var name = "b" + i;
        asking.submit(() -> turns.run(name, () -> 1));
      }
      RunningServer.await("fifty wait", () -> turns.waiting() == 50);
      assertThatThrownBy(() -> turns.run("c", () -> 1)).isInstanceOf(StoreBusyException.class);
      gate.countDown();
    }
    assertThat(turns.run("c", () -> 7)).isEqualTo(7);
    assertThat(turns.waiting()).isZero();
    var hasty = new Turns("hasty", 1, 1, 10, 10, 50);
    var held = new CountDownLatch(1);
    var inside = new CountDownLatch(1);
    Thread.startVirtualThread(
        () ->
            hasty.run(
                "x",
                () -> {
                  inside.countDown();
                  await(held);
                  return 1;
                }));
    await(inside);
    assertThatThrownBy(() -> hasty.run("y", () -> 1)).isInstanceOf(StoreBusyException.class);
    assertThat(hasty.waiting()).as("it does not wait any more").isZero();
    held.countDown();
    hasty.close();
  }

  @Test
  void oneCallerNeverHasAllThreads() {
    var several = new Turns("several", 3, 2, 50, 40, 60_000);
    var held = new CountDownLatch(1);
    var under = new AtomicInteger();
    try (var asking = Executors.newVirtualThreadPerTaskExecutor()) {
      for (int i = 0; i < 10; i++) {
        asking.submit(
            () ->
                several.run(
                    "much",
                    () -> {
                      under.incrementAndGet();
                      await(held);
                      return 1;
                    }));
      }
      RunningServer.await("the rest waits", () -> under.get() == 2 && several.waiting() == 8);
      for (int i = 0; i < 30; i++) {
        assertThat(several.run("one", () -> 5)).isEqualTo(5);
      }
      assertThat(under).hasValue(2);
      held.countDown();
    }
    assertThat(under).hasValue(10);
    several.close();
  }

  @Test
  void whatIsThrownIsPassedOnAndTheThreadGoesOn() {
    assertThatThrownBy(
            () ->
                turns.run(
                    "a",
                    () -> {
                      throw new IllegalStateException("mine");
                    }))
        .hasMessage("mine");
    assertThatThrownBy(
            () ->
                turns.run(
                    "a",
                    () -> {
                      throw new StackOverflowError();
                    }))
        .isInstanceOf(StackOverflowError.class);
    assertThat(turns.run("a", () -> turns.run("a", () -> 3)))
        .as("within itself at once")
        .isEqualTo(3);
  }

  /** What waits for another server does not hold the thread; what computes is as much as before. */
  @Test
  void whoWaitsOutsideLetsOthersGoOn() {
    var waits = new ArrayList<CompletableFuture<Integer>>();
    try (var asking = Executors.newVirtualThreadPerTaskExecutor()) {
      for (int i = 0; i < 20; i++) {
        var name = "w" + i;
        waits.add(
            CompletableFuture.supplyAsync(
                () ->
                    turns.run(
                        name,
                        () ->
                            Turns.outside(
                                () -> {
                                  await(gate);
                                  return 1;
                                })),
                asking));
      }
      for (int i = 0; i < 50; i++) {
        assertThat(turns.run("quick", () -> 5)).isEqualTo(5);
      }
      assertThat(waits).noneMatch(CompletableFuture::isDone);
      gate.countDown();
      waits.forEach(CompletableFuture::join);
      var atOnce = new AtomicInteger();
      var max = new AtomicInteger();
      List<CompletableFuture<Integer>> work = new ArrayList<>();
      for (int i = 0; i < 30; i++) {
        work.add(
            CompletableFuture.supplyAsync(
                () ->
                    turns.run(
                        "after",
                        () -> {
                          max.accumulateAndGet(atOnce.incrementAndGet(), Math::max);
                          Thread.yield();
                          return atOnce.decrementAndGet();
                        }),
                asking));
      }
      work.forEach(CompletableFuture::join);
      assertThat(max).as("one thread, as at the beginning").hasValue(1);
    }
  }

  @Test
  void aSessionThatLastedLongEndsHoweverBusy() throws Exception {
    var session = new MockHttpSession();
    var filter =
        new SessionLength(
            Duration.ofHours(12),
            Clock.fixed(
                Instant.ofEpochMilli(session.getCreationTime() + 12 * 3_600_000 + 1),
                ZoneOffset.UTC));
    var request = new MockHttpServletRequest();
    request.setSession(session);
    filter.doFilter(request, new MockHttpServletResponse(), new MockFilterChain());
    assertThat(session.isInvalid()).isTrue();
  }
}
