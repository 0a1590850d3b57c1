package vintrel.core.collect;

/**
 * When a job runs: at a fixed phase of its interval, so that the runs of many jobs are spread
 * evenly and stay where they are after a restart. A run that takes longer than the interval does
 * not overlap the next one: what was missed is left out, not caught up. Pure; any thread.
 */
public final class JobTiming {
  private JobTiming() {}

  /**
   * The phase of the i-th of n parts of a job, ms.
   *
   * @param name of the job: jobs of one interval are spread by it
   */
  public static long phase(String name, int i, int n, long every) {
    long start = Math.floorMod((long) name.hashCode() * 2_654_435_761L, every);
    return Math.floorMod(start + every * i / Math.max(1, n), every);
  }

  /** The first run after a time, ms: always later than {@code after}. */
  public static long next(long after, long every, long phase) {
    return after + every - Math.floorMod(after - phase, every);
  }
}
