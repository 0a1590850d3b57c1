package vintrel.server.watch;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.concurrent.atomic.AtomicReference;
import org.springframework.stereotype.Component;
import vintrel.core.unit.TimeText;
import vintrel.core.watch.CheckHistory;
import vintrel.core.watch.LearnedBands;
import vintrel.core.watch.Rule;

/**
 * What was found for rules that are being edited, so that a limit can be dragged without a question
 * at each step: the latest few, as much as a part of the memory holds. Any thread.
 */
@Component
class FoundChecks {
  private static final int MOST = 8;
  private static final long ROOM = Math.min(96L << 20, Runtime.getRuntime().maxMemory() / 16);

  /** Bytes that the values of one may take. */
  static final long EACH = ROOM / 3;

  /**
   * What decides what checks find.
   *
   * @param page that asked, so that people don't displace what they look at themselves
   */
  record Key(
      String page,
      String query,
      String line,
      String name,
      long every,
      long behind,
      TimeText.Range range,
      int columns) {
    static Key of(String page, Rule r, TimeText.Range range, int columns) {
      return new Key(page, r.query(), r.line(), r.name(), r.every(), r.behind(), range, columns);
    }
  }

  /**
   * @param every ms between the checks
   * @param cut whether there are more series than a rule may watch
   * @param unit of the values as the query gives it, or empty
   * @param range that was read
   * @param bands what was expected, once it was asked
   */
  record Found(
      CheckHistory history,
      CheckCourses courses,
      long every,
      boolean cut,
      String unit,
      TimeText.Range range,
      AtomicReference<Bands> bands) {}

  /** What was learned, and from what. */
  record Bands(BandLearning.Key key, LearnedBands learned) {}

  private record Entry(Key key, Found found) {}

  private final Deque<Entry> entries = new ArrayDeque<>();

  /** What was found before, or null. */
  synchronized Found get(Key key) {
    for (var e : entries) {
      if (e.key.equals(key)) {
        entries.remove(e);
        entries.addFirst(e);
        return e.found;
      }
    }
    return null;
  }

  synchronized void put(Key key, Found found) {
    // A page looks at one range of one query.
    entries.removeIf(e -> e.key.page.equals(key.page));
    if (bytes(found) > ROOM) {
      return;
    }
    entries.addFirst(new Entry(key, found));
    long sum = 0;
    int kept = 0;
    for (var it = entries.iterator(); it.hasNext(); ) {
      sum += bytes(it.next().found);
      if (sum > ROOM || ++kept > MOST) {
        it.remove();
      }
    }
  }

  private static long bytes(Found found) {
    var bands = found.bands.get();
    return found.history.bytes()
        + found.courses.bytes()
        + (bands == null ? 0 : bands.learned().bytes());
  }
}
