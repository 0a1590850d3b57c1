package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;

/**
 * The states of one series along a strip. What is more urgent hides what is less so where both fall
 * on one place, and nothing is narrower than a place: a short alert is seen however long the range
 * is. It takes as much memory for a million spans as for one. One thread.
 */
public final class StateStrip {
  /** Places of a strip: 2.5 px wide where it is 600 px wide. */
  public static final int PLACES = 240;

  private final long from;
  private final long to;
  private final Rehearsal.Span[] at;

  /**
   * One of {@link #PLACES}.
   *
   * @param from the left end, ms
   * @param to the right end, exclusive
   */
  public StateStrip(long from, long to) {
    this(from, to, PLACES);
  }

  /**
   * @param from the left end, ms
   * @param to the right end, exclusive
   * @param places at least 1
   */
  public StateStrip(long from, long to, int places) {
    this.from = from;
    this.to = to;
    this.at = new Rehearsal.Span[places];
  }

  /**
   * A state on the strip.
   *
   * @param x places from the left
   * @param width places
   * @param priority of an alert, or null
   */
  public record Box(int x, int width, WatchState state, Priority priority) {}

  /** Puts a stretch onto it, wherever it lies. */
  public void add(Rehearsal.Span span) {
    if (span.state() == WatchState.WAITING || span.to() <= from || span.from() >= to) {
      return;
    }
    int first = place(Math.max(from, span.from()));
    int last = place(Math.min(to, span.to()) - 1);
    for (int c = first; c <= last; c++) {
      at[c] = at[c] == null || rank(span) < rank(at[c]) ? span : at[c];
    }
  }

  private int place(long time) {
    return (int) ((double) (time - from) / (to - from) * at.length);
  }

  /** From left to right, without overlaps; a stretch of which nothing is known has none. */
  public List<Box> boxes() {
    var out = new ArrayList<Box>();
    for (int c = 0; c < at.length; ) {
      int end = c + 1;
      while (end < at.length && same(at[c], at[end])) {
        end++;
      }
      if (at[c] != null) {
        out.add(new Box(c, end - c, at[c].state(), at[c].priority()));
      }
      c = end;
    }
    return List.copyOf(out);
  }

  /** Whether it was in no other state than normal. */
  public boolean isQuiet() {
    for (var span : at) {
      if (span != null && span.state() != WatchState.NORMAL) {
        return false;
      }
    }
    return true;
  }

  private static boolean same(Rehearsal.Span a, Rehearsal.Span b) {
    return a == b
        || a != null && b != null && a.state() == b.state() && a.priority() == b.priority();
  }

  /** What is more urgent is less. */
  private static int rank(Rehearsal.Span s) {
    int priority = s.priority() == null ? Priority.values().length : s.priority().ordinal();
    int state =
        switch (s.state()) {
          case RAISED -> 0;
          case ACKNOWLEDGED -> 1;
          case CLEARING -> 2;
          case BUILDING -> 3;
          case FAULT -> 4;
          case NO_DATA -> 5;
          case NORMAL -> 6;
          case WAITING -> 7;
        };
    return state * 10 + priority;
  }
}
