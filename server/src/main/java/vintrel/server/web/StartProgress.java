package vintrel.server.web;

/**
 * Tells whoever waits at the terminal what a long start does. A short one prints nothing. One
 * thread.
 */
public final class StartProgress {
  private static final long PAUSE_NS = 2_000_000_000L;

  private final String what;
  private final long total;
  private long done;
  private long last = System.nanoTime();

  /**
   * @param what is done, as in "reading series"
   * @param total units of work; 0 if unknown
   */
  public StartProgress(String what, long total) {
    this.what = what;
    this.total = total;
  }

  /** So many units more are done. */
  public void add(long units) {
    done += units;
    long now = System.nanoTime();
    if (now - last >= PAUSE_NS) {
      last = now;
      System.out.println("vintrel: " + text());
    }
  }

  /** What is done, and how far it is. */
  String text() {
    return total > 0
        ? "%s, %d %%".formatted(what, Math.min(99, 100 * done / total))
        : "%s, %,d".formatted(what, done);
  }
}
