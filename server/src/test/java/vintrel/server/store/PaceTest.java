package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

class PaceTest {
  private static final long WINDOW = 1_000;

  private final AtomicLong journal = new AtomicLong(5_000);
  private final AtomicLong nanos = new AtomicLong();
  private final Pace pace = new Pace(journal::get, WINDOW, nanos::get);

  private void works(long millis) {
    nanos.addAndGet(millis * 1_000_000);
  }

  @Test
  void restsAreLongerThanTheWorkWhileTheNextFlushIsFar() {
    pace.begin();
    works(40);
    assertThat(pace.due(0.1)).isEqualTo(120);
    // A tenth is done: about 80 of 1,000 bytes may have come.
    journal.addAndGet(79);
    assertThat(pace.due(0.1)).isEqualTo(120);
    journal.addAndGet(2);
    assertThat(pace.due(0.1)).isZero();
    assertThat(pace.due(0.2)).isEqualTo(120);
  }

  @Test
  void aBusyStoreIsNotHeldUp() {
    pace.begin();
    for (int part = 1; part <= 10; part++) {
      works(100);
      journal.addAndGet(WINDOW / 2);
      assertThat(pace.due(part / 10.0)).isZero();
    }
    // The next flush counts from its own beginning.
    pace.begin();
    works(10);
    assertThat(pace.due(0.5)).isEqualTo(30);
  }

  @Test
  void whoWaitsForTheEndEndsTheRest() throws Exception {
    pace.begin();
    works(TimeUnit.HOURS.toMillis(1));
    var resting = CompletableFuture.runAsync(() -> pace.rest(0.5));
    pace.hurry();
    resting.get(20, TimeUnit.SECONDS);
    // As long as somebody waits there are no more.
    works(TimeUnit.HOURS.toMillis(1));
    CompletableFuture.runAsync(() -> pace.rest(0.5)).get(20, TimeUnit.SECONDS);
    pace.leisure();
    works(10);
    assertThat(pace.due(1)).isEqualTo(30);
  }
}
