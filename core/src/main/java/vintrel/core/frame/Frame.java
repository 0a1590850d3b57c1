package vintrel.core.frame;

import java.util.ArrayList;
import java.util.List;
import vintrel.core.unit.Counts;

/**
 * A named table of typed columns.
 *
 * @param cut of series over time: whether a first bucket that begins before the range holds only
 *     what lies in it; steps that lay buckets of their own read it whole
 */
public record Frame(String name, List<Column> columns, boolean cut) {
  public Frame {
    columns = List.copyOf(columns);
  }

  public Frame(String name, List<Column> columns) {
    this(name, columns, false);
  }

  /** The same frame, with whether its first bucket contains only values of the range. */
  public Frame cutAtFirst(boolean cut) {
    return new Frame(name, columns, cut);
  }

  public int rows() {
    return columns.isEmpty() ? 0 : columns.getFirst().size();
  }

  /** About the bytes that it takes in memory, as if its texts were not shared. */
  public long bytes() {
    long out = (long) rows() * columns.size() * Long.BYTES;
    for (var c : columns) {
      if (c instanceof Column.Text t) {
        for (var text : t.values()) {
          out += text.length();
        }
      }
    }
    return out;
  }

  public Frame named(String newName) {
    return new Frame(newName, columns, cut);
  }

  /** The number columns, in order. */
  public List<Column.Number> numbers() {
    return columns.stream()
        .filter(Column.Number.class::isInstance)
        .map(Column.Number.class::cast)
        .toList();
  }

  /** The column of a name, or null. */
  public Column column(String wanted) {
    return columns.stream().filter(c -> c.name().equals(wanted)).findFirst().orElse(null);
  }

  public List<String> names() {
    return columns.stream().map(Column::name).toList();
  }

  /** The first column of times, or null. */
  public Column.Time time() {
    return (Column.Time)
        columns.stream().filter(Column.Time.class::isInstance).findFirst().orElse(null);
  }

  /** The same frame with times moved later, ms. */
  public Frame later(long millis) {
    var out = new ArrayList<Column>();
    for (var c : columns) {
      out.add(
          c instanceof Column.Time t
              ? new Column.Time(
                  t.name(), java.util.Arrays.stream(t.values()).map(v -> v + millis).toArray())
              : c);
    }
    return new Frame(name, out);
  }

  /** The rows of the given numbers, in their order. */
  public Frame take(int[] rows) {
    return new Frame(name, columns.stream().map(c -> c.take(rows)).toList());
  }

  /** With a column in place of the one of its name, or at the end. */
  public Frame with(Column column) {
    var out = new ArrayList<Column>();
    boolean placed = false;
    for (var c : columns) {
      boolean same = c.name().equals(column.name());
      out.add(same ? column : c);
      placed |= same;
    }
    if (!placed) {
      out.add(column);
    }
    return new Frame(name, out);
  }

  /** Whether it can be drawn over time: rising times first, and then nothing but numbers. */
  public boolean drawable() {
    if (columns.size() < 2 || !(columns.getFirst() instanceof Column.Time t)) {
      return false;
    }
    for (int i = 1; i < t.size(); i++) {
      if (t.values()[i] <= t.values()[i - 1]) {
        return false;
      }
    }
    return numbers().size() == columns.size() - 1;
  }

  /** Whether the first and the last bucket are only partly inside the query's range. */
  public record Partial(boolean first, boolean last) {
    public static final Partial NONE = new Partial(false, false);
  }

  /**
   * Which buckets are only partly inside [from, to), of series over time. What goes on after the
   * range, as a forecast does, is whole.
   */
  public Partial partial(long from, long to) {
    int n = rows();
    if (n < 2 || !drawable()) {
      return Partial.NONE;
    }
    var times = ((Column.Time) columns.getFirst()).values();
    long last = times[n - 1];
    boolean crosses = last < to && last + (last - times[n - 2]) > to;
    return new Partial(cut && times[0] < from, crosses);
  }

  /** The shape in words: 6 series × 240 points, or table 15 × 2. */
  public String shape() {
    return drawable()
        ? Counts.of(numbers().size(), "series") + " × " + Counts.of(rows(), "point")
        : "table " + rows() + " × " + columns.size();
  }
}
