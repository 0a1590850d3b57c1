package vintrel.server.store;

import java.util.concurrent.atomic.AtomicLong;

/** Ids of chunk rows: in the order of writing, which is the order in which later samples win. */
final class ChunkIds {
  private final AtomicLong last;

  ChunkIds(long last) {
    this.last = new AtomicLong(last);
  }

  /** The id that was given last. */
  long last() {
    return last.get();
  }

  long next() {
    return last.incrementAndGet();
  }
}
