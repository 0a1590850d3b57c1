package vintrel.core.query.compute;

import vintrel.core.query.plan.Limits;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.QueryException;

/**
 * The memory of one query while it is computed. Whatever allocates by series, buckets, samples or
 * rows asks here first, for the most that it can need; {@link #settle} gives back what a result
 * does not hold. Any thread, but one settles.
 */
final class Room {
  /** Bytes of a sample: its time and its value. */
  static final int SAMPLE = 16;

  /** Bytes of a cell of a table: a number, or a reference to a text that rows share. */
  static final int CELL = 8;

  /** Bytes of objects made for a row of a table while a step works on it. */
  static final int ROW = 120;

  /** Threads that work on series of one query. */
  static final int THREADS = Runtime.getRuntime().availableProcessors() + 1;

  private final MemoryBudget.Share memory;
  private final Limits limits;

  Room(MemoryBudget.Share memory, Limits limits) {
    this.memory = memory;
    this.limits = limits;
  }

  /** For those that read. */
  MemoryBudget.Share memory() {
    return memory;
  }

  /**
   * For series on a grid.
   *
   * @param arrays of each series, each with a value a bucket
   * @throws QueryException with code {@code limit.values} or as the budget does
   */
  void series(long rows, long buckets, int arrays) {
    checkValues(rows * buckets);
    memory.take(rows * buckets * arrays * Double.BYTES);
  }

  /** For what each thread needs to look at the buckets of one series as samples. */
  void scratch(SeriesSet.OfSeries in) {
    if (in instanceof SeriesSet.Gridded g && !g.rows().isEmpty()) {
      long threads = Math.min(THREADS, g.rows().size());
      memory.take(threads * g.grid().count() * SAMPLE);
    }
  }

  /** For changed values of raw samples, whose times are shared. */
  void values(SeriesSet.Raw in) {
    memory.take(samples(in) * Double.BYTES);
  }

  /** For bytes that no other method counts. */
  void bytes(long bytes) {
    memory.take(bytes);
  }

  static long samples(SeriesSet.Raw in) {
    return in.rows().stream().mapToLong(r -> r.raw().count()).sum();
  }

  private void checkValues(long values) {
    if (values > limits.values()) {
      throw new QueryException(
          "limit.values",
          "a step returns "
              + values
              + " values; the limit is "
              + limits.values()
              + ". Use fewer series, wider buckets or a shorter range",
          0,
          0);
    }
  }

  /** Bytes taken so far. */
  long taken() {
    return memory.own();
  }

  /**
   * Gives back what was taken for a result beyond what it holds.
   *
   * @param before what {@link #taken} was before its computation
   */
  void settle(long before, SeriesSet result) {
    long own = memory.own() - before;
    long spare = own <= 0 ? 0 : own - bytes(result);
    if (spare > 0) {
      memory.give(spare);
    }
  }

  /** What a set holds, as if it shared nothing with others. */
  private static long bytes(SeriesSet set) {
    return switch (set) {
      case SeriesSet.Raw r -> samples(r) * SAMPLE;
      case SeriesSet.Table t -> t.frame().bytes();
      case SeriesSet.Gridded g -> {
        long arrays =
            g.rows().stream()
                .mapToLong(r -> 1 + (r.low() == null ? 0 : 1) + (r.high() == null ? 0 : 1))
                .sum();
        yield arrays * g.grid().count() * Double.BYTES;
      }
    };
  }
}
