package vintrel.server.store;

import java.util.concurrent.atomic.AtomicLong;
import vintrel.core.store.MemoryClaim;

/**
 * What one read takes while it works. At its end it gives back all but what its result holds; if it
 * fails, all. Any thread.
 */
final class ReadMemory implements MemoryClaim, AutoCloseable {
  private final MemoryClaim memory;
  private final AtomicLong own = new AtomicLong();
  private volatile long kept;

  ReadMemory(MemoryClaim memory) {
    this.memory = memory;
  }

  @Override
  public void take(long bytes) {
    memory.take(bytes);
    own.addAndGet(bytes);
  }

  @Override
  public void give(long bytes) {
    memory.give(bytes);
    own.addAndGet(-bytes);
  }

  /**
   * Says what the result holds.
   *
   * @throws RuntimeException if that is more than was taken, and there is not so much
   */
  void keep(long bytes) {
    long more = bytes - own.get();
    if (more > 0) {
      take(more);
    }
    kept = bytes;
  }

  @Override
  public void close() {
    memory.give(own.get() - kept);
  }
}
