package vintrel.core.query.plan;

import java.util.concurrent.atomic.AtomicLong;
import java.util.function.LongSupplier;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.store.MemoryClaim;

/**
 * The memory that all queries together may take. Each asks before it allocates; one that finds too
 * little left ends with an error instead of the process. Any thread.
 */
public final class MemoryBudget {
  private static final long MEGABYTE = 1_000_000;

  /** A single question may have so much of the whole: numerator and denominator. */
  private static final int PART = 2;

  private static final int OF = 3;

  private final LongSupplier max;
  private final AtomicLong taken = new AtomicLong();

  /**
   * @param max bytes
   */
  public MemoryBudget(long max) {
    this(() -> max);
  }

  /**
   * @param max bytes; asked at each claim, since it may depend on what others take
   */
  public MemoryBudget(LongSupplier max) {
    this.max = max;
  }

  /** Bytes that are taken now. */
  public long taken() {
    return taken.get();
  }

  /** What one question takes, until it is closed. */
  public Share open() {
    return new Share();
  }

  /**
   * The part of one question: of all queries of a request, and of what is made of their answers.
   */
  public final class Share implements MemoryClaim, AutoCloseable {
    private final AtomicLong own = new AtomicLong();

    private Share() {}

    /** Bytes that the question has taken. */
    public long own() {
      return own.get();
    }

    /**
     * Takes more, before it is allocated.
     *
     * @throws QueryException with code {@code limit.memory} if the question alone needs too much,
     *     and with code {@code busy} if others have it just now; nothing is taken then
     */
    @Override
    public void take(long bytes) {
      long all = max.getAsLong();
      long mine = saturated(own.get(), bytes);
      if (mine > all / OF * PART) {
        throw tooMuch(mine, all / OF * PART);
      }
      long before = taken.get();
      while (saturated(before, bytes) <= all) {
        if (taken.compareAndSet(before, before + bytes)) {
          own.addAndGet(bytes);
          return;
        }
        before = taken.get();
      }
      throw new QueryException(
          "busy", "other queries are using all memory reserved for queries; try again", 0, 0);
    }

    @Override
    public void give(long bytes) {
      own.addAndGet(-bytes);
      taken.addAndGet(-bytes);
    }

    @Override
    public void close() {
      taken.addAndGet(-own.getAndSet(0));
    }
  }

  private static long saturated(long a, long b) {
    long sum = a + b;
    return sum < 0 ? Long.MAX_VALUE : sum;
  }

  private static QueryException tooMuch(long wanted, long max) {
    return new QueryException(
        "limit.memory",
        "the query needs more than "
            + wanted / MEGABYTE
            + " MB of memory; the limit of one query is "
            + max / MEGABYTE
            + " MB. Use fewer series, wider buckets or a shorter range",
        0,
        0);
  }
}
