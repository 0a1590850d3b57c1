package vintrel.core.watch;

import java.util.ArrayList;
import java.util.List;

/**
 * The states of one series along a strip. What is more urgent hides what is less so where both fall
 * on one place, and nothing is narrower than {@link #LEAST}: a short alert is seen however long the
 * range is. Pure; any thread.
 */
public final class StateStrip {
  /** The width of the narrowest box, px. */
  public static final double LEAST = 2.5;

  private StateStrip() {}

  /**
   * A state on the strip.
   *
   * @param x px from the left
   * @param priority of an alert, or null
   */
  public record Box(double x, double width, WatchState state, Priority priority) {}

  /**
   * The boxes from left to right, without overlaps; a stretch of which nothing is known has none.
   *
   * @param spans by time
   * @param from the left end, ms
   * @param to the right end, exclusive
   * @param width px
   */
  public static List<Box> of(List<Rehearsal.Span> spans, long from, long to, double width) {
    int columns = Math.max(1, (int) (width / LEAST));
    var at = new Rehearsal.Span[columns];
    for (var span : spans) {
      if (span.state() == WatchState.WAITING || span.to() <= from || span.from() >= to) {
        continue;
      }
      int first = column(Math.max(from, span.from()), from, to, columns);
      int last = column(Math.min(to, span.to()) - 1, from, to, columns);
      for (int c = first; c <= last; c++) {
        at[c] = at[c] == null || rank(span) < rank(at[c]) ? span : at[c];
      }
    }
    var out = new ArrayList<Box>();
    double each = width / columns;
    for (int c = 0; c < columns; ) {
      int end = c + 1;
      while (end < columns && same(at[c], at[end])) {
        end++;
      }
      if (at[c] != null) {
        out.add(new Box(c * each, (end - c) * each, at[c].state(), at[c].priority()));
      }
      c = end;
    }
    return List.copyOf(out);
  }

  private static int column(long time, long from, long to, int columns) {
    return (int) ((double) (time - from) / (to - from) * columns);
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
