package vintrel.server.web;

/**
 * How the heap is shared out: what grows with data or with questions has a part of its own, so that
 * all of them full at once still leave room for what runs. Bytes. Any thread.
 *
 * <p>The newest samples have a quarter and bodies of requests a quarter of the whole heap (settings
 * {@code max-head-bytes}, {@link RequestMemory}); the parts here are of what the program itself
 * leaves.
 */
public final class HeapParts {
  /** About what the running program takes without any data. */
  private static final long PROGRAM = 100_000_000;

  private HeapParts() {}

  private static long usable() {
    long heap = Runtime.getRuntime().maxMemory();
    return Math.max(heap / 2, heap - PROGRAM);
  }

  /**
   * For all questions together, with what is made of their answers.
   *
   * @param heads bytes that the newest samples take now; a tenth is reckoned with
   */
  public static long queries(long heads) {
    long usable = usable();
    return Math.max(usable / 5, usable * 2 / 5 - Math.max(0, heads - usable / 10));
  }

  /** For the checks of all rules. */
  public static long rules() {
    return usable() / 10;
  }

  /**
   * For encoded chunks that were read.
   *
   * @param wanted by the settings
   */
  public static long chunks(long wanted) {
    return Math.min(wanted, usable() / 12);
  }

  /** For buckets that were computed before. */
  public static long buckets() {
    return Math.min(64_000_000, usable() / 20);
  }

  /** For charts that pages have and get new points for. */
  public static long drawings() {
    return Math.min(48_000_000, usable() / 20);
  }
}
