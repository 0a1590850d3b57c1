package vintrel.core.watch;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import vintrel.core.model.Baseline;
import vintrel.core.series.Labels;
import vintrel.core.unit.Durations;

/**
 * Baselines of the series of a rule, learned anew once a day from the weeks before. Each rule has
 * an own time of day for it, so that not all learn at once. Filled by one thread, then read by any.
 */
public final class LearnedBands implements Expectations {
  private static final long DAY = Durations.DAY;

  private final long firstDay;
  private final int count;
  private final Map<Labels, Baseline[]> learned = new HashMap<>();
  private final String name;

  private LearnedBands(String name, long from, long to) {
    this.name = name;
    this.firstDay = day(name, from);
    this.count = (int) ((day(name, to) - firstDay) / DAY) + 1;
  }

  /** When what is known at an instant was learned, ms: at or less than a day before it. */
  public static long day(String rule, long at) {
    long share = Math.floorMod(rule.hashCode() * 0x9E3779B97F4A7C15L, DAY);
    return Math.floorDiv(at - share, DAY) * DAY + share;
  }

  /** How many values of a series are needed for a range of checks. */
  public static int values(String rule, long from, long to, long step) {
    return (int) ((day(rule, to) - first(rule, from, step)) / step) + 1;
  }

  /** The first value that is needed, on a grid of its own. */
  public static long first(String rule, long from, long step) {
    return Math.ceilDiv(day(rule, from) - Baseline.DAYS * DAY, step) * step;
  }

  /**
   * Learns for the checks of a range.
   *
   * @param from the first check, ms
   * @param to the last one
   * @param first where the values begin: {@link #first} shifted to an instant of the rule
   * @param step ms from one to the next
   * @param values NaN for none
   * @param check called before each series; it may throw
   */
  public static LearnedBands of(
      Rule rule,
      long from,
      long to,
      long first,
      long step,
      Map<Labels, double[]> values,
      Runnable check) {
    var out = new LearnedBands(rule.name(), from, to);
    values.forEach(
        (labels, found) -> {
          check.run();
          out.learned.put(labels, out.each(rule, first, step, found));
        });
    return out;
  }

  /** Bytes of what is learned of a series for the checks of a range. */
  public static long bytes(String rule, long from, long to) {
    return ((day(rule, to) - day(rule, from)) / DAY + 1) * Baseline.BYTES;
  }

  private Baseline[] each(Rule rule, long first, long step, double[] values) {
    var used = values.clone();
    for (int i = 0; i < used.length; i++) {
      used[i] = rule.learning().takes(first + i * step) ? used[i] : Double.NaN;
    }
    var out = new Baseline[count];
    for (int d = 0; d < count; d++) {
      long end = firstDay + d * DAY;
      int begin = place(end - Baseline.DAYS * DAY, first, step, used.length);
      int stop = place(end, first, step, used.length);
      if (stop > begin) {
        out[d] =
            Baseline.learn(
                first + begin * step,
                step,
                Arrays.copyOfRange(used, begin, stop),
                rule.learning().zone());
      }
    }
    return out;
  }

  private static int place(long at, long first, long step, int most) {
    return (int) Math.clamp(Math.ceilDiv(at - first, step), 0, most);
  }

  @Override
  public Baseline of(Labels labels, long at) {
    var all = learned.get(labels);
    if (all == null) {
      return null;
    }
    long d = (day(name, at) - firstDay) / DAY;
    return d < 0 || d >= count ? null : all[(int) d];
  }

  /** Whether it speaks of an instant. */
  public boolean reaches(long at) {
    long day = day(name, at);
    return day >= firstDay && day < firstDay + count * DAY;
  }

  /** Of how many series something is known at last. */
  public long known() {
    return learned.values().stream().filter(b -> b[count - 1] != null).count();
  }

  /** About what it takes, bytes. */
  public long bytes() {
    return (long) learned.size() * count * Baseline.BYTES;
  }
}
