package vintrel.server.collect;

import java.util.Arrays;

/**
 * The series that the last page of a target had, so that those that vanish can be ended. Any
 * thread.
 */
final class LastPage {
  static final int[] NONE = {};

  private int[] ids = NONE;
  private int generation;
  private boolean isClosed;

  /**
   * Takes what a page has.
   *
   * @param now ids of its series, each once, in order
   * @param of the store's generation, in which they hold
   * @return ids of series that the page before had and this one has not
   */
  synchronized int[] next(int[] now, int of) {
    var before = generation == of ? ids : NONE;
    // A page that arrives after its target was taken away ends with it.
    ids = isClosed ? NONE : now;
    generation = of;
    var kept = ids;
    var gone = Arrays.stream(before).filter(id -> Arrays.binarySearch(kept, id) < 0);
    return isClosed ? now : gone.toArray();
  }

  /** The target is read no more: all its series end. */
  synchronized int[] close() {
    isClosed = true;
    var last = ids;
    ids = NONE;
    return last;
  }
}
