package vintrel.server.web;

import java.util.concurrent.atomic.AtomicLong;
import org.springframework.stereotype.Component;
import vintrel.core.store.StoreBusyException;

/**
 * The memory that bodies of requests may take together, what is made of them while they are read
 * included. Any thread.
 */
@Component
public class RequestMemory {
  /** Of the heap. */
  private static final int PART = 4;

  /** What every request may take, however much others have: small ones are never refused. */
  private static final int FREE = 256_000;

  private final long max = Runtime.getRuntime().maxMemory() / PART;
  private final AtomicLong taken = new AtomicLong();

  /** What one request takes, until it is closed. One thread. */
  public final class Lease implements AutoCloseable {
    private long own;

    /**
     * Takes more.
     *
     * @throws StoreBusyException if others have it; the sender should come again
     */
    public void take(long bytes) {
      long before = counted();
      own += bytes;
      long more = counted() - before;
      if (more > 0 && taken.addAndGet(more) > max) {
        throw new StoreBusyException("too many large requests at once; send it again", 2);
      }
    }

    private long counted() {
      return Math.max(0, own - FREE);
    }

    @Override
    public void close() {
      taken.addAndGet(-counted());
      own = 0;
    }
  }

  /** Bytes that all may take together. */
  public long max() {
    return max;
  }

  public Lease open() {
    return new Lease();
  }

  /** Bytes that are taken now. */
  public long taken() {
    return taken.get();
  }
}
