package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.api.Test;
import vintrel.core.store.StoreBusyException;

class RequestMemoryTest {
  private final RequestMemory memory = new RequestMemory();

  @Test
  void largeRequestsShareWhatThereIsAndSmallOnesAlwaysPass() {
    var large = memory.open();
    large.take(memory.max());
    var other = memory.open();
    assertThatThrownBy(() -> other.take(50_000_000)).isInstanceOf(StoreBusyException.class);
    var small = memory.open();
    for (int i = 0; i < 25; i++) {
      small.take(10_000);
    }
    other.close();
    large.close();
    small.close();
    assertThat(memory.taken()).isZero();
    try (var again = memory.open()) {
      again.take(memory.max());
      assertThat(memory.taken()).isPositive();
    }
    assertThat(memory.taken()).isZero();
  }
}
