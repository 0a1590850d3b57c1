package vintrel.core.query.plan;

import java.util.concurrent.atomic.AtomicLong;
import vintrel.core.query.syntax.QueryException;

/**
 * The memory that all queries together may take. Each counts what it reads and computes while it is
 * answered; one that finds too little left ends with an error instead of the process. Any thread.
 */
public final class MemoryBudget {
  private static final long MEGABYTE = 1_000_000;

  private final long max;
  private final AtomicLong taken = new AtomicLong();

  /**
   * @param max bytes
   */
  public MemoryBudget(long max) {
    this.max = max;
  }

  /** Bytes that are taken now. */
  public long taken() {
    return taken.get();
  }

  /** What one query takes, until it is closed. */
  public Share open() {
    return new Share();
  }

  /** The part of one query. Any thread. */
  public final class Share implements AutoCloseable {
    private final AtomicLong own = new AtomicLong();

    private Share() {}

    /**
     * Takes more.
     *
     * @throws QueryException with code {@code limit.memory} if the query alone needs too much, and
     *     with code {@code busy} if others have it just now
     */
    public void take(long bytes) {
      long mine = own.addAndGet(bytes);
      if (taken.addAndGet(bytes) <= max) {
        return;
      }
      if (mine > max / 2) {
        throw new QueryException(
            "limit.memory",
            "the query needs more than "
                + mine / MEGABYTE
                + " MB of memory, of the "
                + max / MEGABYTE
                + " MB that all may take; take fewer series, a longer step or a shorter range",
            0,
            0);
      }
      throw new QueryException(
          "busy", "other queries take all memory for queries just now; ask again", 0, 0);
    }

    @Override
    public void close() {
      taken.addAndGet(-own.getAndSet(0));
    }
  }
}
