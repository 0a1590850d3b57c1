package vintrel.core.frame;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.function.LongConsumer;
import java.util.function.ToDoubleFunction;
import java.util.stream.IntStream;

/**
 * Steps on tables; each gives a new frame. Where a column is not there they throw a {@link
 * FrameException} that names those that are.
 */
public final class Tables {
  /** The maximum number of rows of a join. */
  static final int MAX_ROWS = 1_000_000;

  private static final int CHECKED = 1024;

  private Tables() {}

  static Column column(Frame frame, String name) {
    var c = frame.column(name);
    if (c == null) {
      throw new FrameException(
          "no column named `" + name + "`; columns: " + String.join(", ", frame.names()));
    }
    return c;
  }

  /**
   * One aggregate of a grouping.
   *
   * @param word what it is called, such as sum
   * @param reduce the values of a group, missing ones included → one number
   * @param unit the unit of the result from that of the column
   */
  public record Aggregate(
      String word,
      String column,
      ToDoubleFunction<double[]> reduce,
      java.util.function.UnaryOperator<String> unit) {}

  /** One row for each combination of the keys, in order of appearance. */
  public static Frame groupBy(Frame in, List<String> keys, List<Aggregate> aggregates) {
    var keyColumns = keys.stream().map(k -> column(in, k)).toList();
    var groups = new LinkedHashMap<List<Object>, List<Integer>>();
    for (int i = 0; i < in.rows(); i++) {
      groups.computeIfAbsent(key(keyColumns, i), k -> new ArrayList<>()).add(i);
    }
    int[] firsts = groups.values().stream().mapToInt(List::getFirst).toArray();
    var out = new ArrayList<Column>();
    keyColumns.forEach(k -> out.add(k.take(firsts)));
    for (var a : aggregates) {
      boolean alone =
          aggregates.stream().filter(b -> b.column().equals(a.column())).count() == 1
              && !keys.contains(a.column());
      var name = alone ? a.column() : a.word() + " " + a.column();
      var source = column(in, a.column());
      var unit = source instanceof Column.Number n ? a.unit().apply(n.unit()) : "";
      var values =
          groups.values().stream()
              .mapToDouble(rows -> a.reduce().applyAsDouble(numbers(source, rows)))
              .toArray();
      out.add(
          source instanceof Column.Time
              ? ofTimes(a.word(), name, values)
              : Column.Number.of(name, unit, values));
    }
    return new Frame(in.name(), out);
  }

  /** What an aggregate makes of times: a time, or how far they are apart, s. */
  private static Column ofTimes(String word, String name, double[] values) {
    return switch (word) {
      case "count", "sum" -> Column.Number.of(name, "", values);
      case "spread", "stddev" ->
          Column.Number.of(name, "s", Arrays.stream(values).map(v -> v / 1000).toArray());
      default ->
          new Column.Time(
              name,
              Arrays.stream(values)
                  .mapToLong(v -> Double.isNaN(v) ? Long.MIN_VALUE : Math.round(v))
                  .toArray());
    };
  }

  private static List<Object> key(List<Column> columns, int row) {
    var out = new ArrayList<Object>(columns.size());
    for (var c : columns) {
      out.add(
          switch (c) {
            case Column.Text t -> t.values()[row];
            case Column.Time t -> t.values()[row];
            case Column.Number n -> n.values()[row];
          });
    }
    return out;
  }

  /** Texts count as 1 if they are there, so that they can be counted. */
  private static double[] numbers(Column c, List<Integer> rows) {
    return rows.stream()
        .mapToDouble(
            i ->
                switch (c) {
                  case Column.Number n -> n.values()[i];
                  case Column.Time t ->
                      t.values()[i] == Long.MIN_VALUE ? Double.NaN : t.values()[i];
                  case Column.Text t -> t.values()[i].isEmpty() ? Double.NaN : 1;
                })
        .toArray();
  }

  /** Stable; missing values come last in either direction. */
  public static Frame sort(Frame in, String by, boolean descending) {
    var c = column(in, by);
    Comparator<Integer> order =
        switch (c) {
          case Column.Text t -> Comparator.comparing(i -> t.values()[i]);
          case Column.Time t -> Comparator.comparingLong(i -> t.values()[i]);
          case Column.Number n -> Comparator.comparingDouble(i -> n.values()[i]);
        };
    if (descending) {
      order = order.reversed();
    }
    if (c instanceof Column.Number n) {
      Comparator<Integer> present = Comparator.comparing(i -> Double.isNaN(n.values()[i]));
      order = present.thenComparing(order);
    }
    return in.take(IntStream.range(0, in.rows()).boxed().sorted(order).mapToInt(i -> i).toArray());
  }

  public static Frame limit(Frame in, int rows) {
    return rows >= in.rows() ? in : in.take(IntStream.range(0, rows).toArray());
  }

  public static Frame where(Frame in, Formula condition) {
    return where(in, condition, () -> {});
  }

  /**
   * The rows for which a condition holds.
   *
   * @param check called now and then; it may throw
   */
  public static Frame where(Frame in, Formula condition, Runnable check) {
    return in.take(
        IntStream.range(0, in.rows())
            .filter(i -> checked(condition, in, i, check).truth())
            .toArray());
  }

  private static Formula.Value checked(Formula formula, Frame in, int row, Runnable check) {
    if (row % CHECKED == 0) {
      check.run();
    }
    return formula.at(in, row);
  }

  public static Frame rename(Frame in, String from, String to) {
    column(in, from);
    if (!from.equals(to) && in.column(to) != null) {
      throw new FrameException("a column named `" + to + "` already exists");
    }
    return new Frame(
        in.name(),
        in.columns().stream().map(c -> c.name().equals(from) ? c.named(to) : c).toList());
  }

  public static Frame keep(Frame in, List<String> names) {
    return new Frame(in.name(), names.stream().map(n -> column(in, n)).toList());
  }

  public static Frame drop(Frame in, List<String> names) {
    names.forEach(n -> column(in, n));
    return new Frame(
        in.name(), in.columns().stream().filter(c -> !names.contains(c.name())).toList());
  }

  /** A column from others; one of the same name is replaced. */
  public static Frame compute(Frame in, String name, Formula formula) {
    return compute(in, name, formula, () -> {});
  }

  /**
   * As above.
   *
   * @param check called now and then; it may throw
   */
  public static Frame compute(Frame in, String name, Formula formula, Runnable check) {
    var values =
        IntStream.range(0, in.rows()).mapToObj(i -> checked(formula, in, i, check)).toList();
    boolean text = values.stream().anyMatch(Formula.Value::isText);
    return in.with(
        text
            ? new Column.Text(
                name, values.stream().map(v -> v.isText() ? v.text() : "").toArray(String[]::new))
            : Column.Number.of(
                name, "", values.stream().mapToDouble(Formula.Value::number).toArray()));
  }

  public enum JoinKind {
    INNER,
    LEFT,
    OUTER
  }

  /** As below, whatever memory it needs. */
  public static Frame join(Frame left, Frame right, List<String> on, JoinKind kind) {
    return join(left, right, on, kind, bytes -> {});
  }

  /**
   * Rows of both with equal keys side by side. A column of the right whose name is taken is named
   * after its frame: {@code other.value}. Left and outer joins keep the rows of the left that find
   * nothing, outer joins those of the right too.
   *
   * @param memory told the bytes that the result needs, before they are allocated; it may throw
   */
  public static Frame join(
      Frame left, Frame right, List<String> on, JoinKind kind, LongConsumer memory) {
    var leftKeys = on.stream().map(k -> column(left, k)).toList();
    var rightKeys = on.stream().map(k -> column(right, k)).toList();
    var index = new HashMap<List<Object>, List<Integer>>();
    for (int i = 0; i < right.rows(); i++) {
      index.computeIfAbsent(key(rightKeys, i), k -> new ArrayList<>()).add(i);
    }
    var pairs = new Pairs();
    var used = new HashSet<List<Object>>();
    for (int i = 0; i < left.rows(); i++) {
      var key = key(leftKeys, i);
      var partners = index.get(key);
      used.add(key);
      if (partners != null) {
        for (int p : partners) {
          pairs.add(i, p);
        }
      } else if (kind != JoinKind.INNER) {
        pairs.add(i, -1);
      }
    }
    if (kind == JoinKind.OUTER) {
      for (int p = 0; p < right.rows(); p++) {
        if (!used.contains(key(rightKeys, p))) {
          pairs.add(-1, p);
        }
      }
    }
    memory.accept(
        (long) pairs.left.size() * (left.columns().size() + right.columns().size()) * Long.BYTES);
    return beside(left, right, on, pairs);
  }

  private static final class Pairs {
    final List<Integer> left = new ArrayList<>();
    final List<Integer> right = new ArrayList<>();

    void add(int l, int r) {
      if (left.size() == MAX_ROWS) {
        throw new FrameException(
            "the join returns more than " + MAX_ROWS + " rows; join on more columns");
      }
      left.add(l);
      right.add(r);
    }
  }

  private static Frame beside(Frame left, Frame right, List<String> on, Pairs pairs) {
    int[] l = pairs.left.stream().mapToInt(i -> i).toArray();
    int[] r = pairs.right.stream().mapToInt(i -> i).toArray();
    var out = new ArrayList<Column>();
    for (var c : left.columns()) {
      var taken = c.take(l);
      out.add(on.contains(c.name()) ? filled(taken, column(right, c.name()).take(r), l) : taken);
    }
    var names = new HashSet<>(left.names());
    for (var c : right.columns()) {
      if (!on.contains(c.name())) {
        var name = c.name();
        while (!names.add(name)) {
          name = (right.name().isEmpty() ? "other" : right.name()) + "." + name;
        }
        out.add(c.take(r).named(name));
      }
    }
    return new Frame(left.name(), out);
  }

  /** Keys of rows that only the right has. */
  private static Column filled(Column a, Column b, int[] leftRows) {
    for (int i = 0; i < leftRows.length; i++) {
      if (leftRows[i] < 0) {
        switch (a) {
          case Column.Time t when b instanceof Column.Time o -> t.values()[i] = o.values()[i];
          case Column.Number n when b instanceof Column.Number o -> n.values()[i] = o.values()[i];
          case Column.Text t when b instanceof Column.Text o -> t.values()[i] = o.values()[i];
          default ->
              throw new FrameException("`" + a.name() + "` has different types in the two tables");
        }
      }
    }
    return a;
  }

  /**
   * A histogram: the number of values in each bin; about the given number of bins, of even,
   * readable width; [from, to), the last bin with its upper end.
   */
  public static Frame bins(String name, double[] values, String unit, int count) {
    var finite = Arrays.stream(values).filter(Double::isFinite).toArray();
    var edges = edges(finite, count);
    var counts = new double[Math.max(0, edges.length - 1)];
    for (double v : finite) {
      counts[bin(edges, v)]++;
    }
    int n = counts.length;
    return new Frame(
        name,
        List.of(
            Column.Number.of("from", unit, Arrays.copyOf(edges, n)),
            Column.Number.of(
                "to", unit, n == 0 ? new double[0] : Arrays.copyOfRange(edges, 1, n + 1)),
            Column.Number.of("count", "", counts)));
  }

  /** The edges of about the given number of bins whose width is 1, 2 or 5 times a power of ten. */
  static double[] edges(double[] values, int count) {
    if (values.length == 0) {
      return new double[0];
    }
    double min = Arrays.stream(values).min().orElseThrow();
    double max = Arrays.stream(values).max().orElseThrow();
    double width = nice((max - min) / count, Math.max(Math.abs(max), 1));
    double first = Math.floor(min / width);
    int n = (int) Math.max(1, Math.ceil(max / width) - first);
    return IntStream.rangeClosed(0, n).mapToDouble(i -> (first + i) * width).toArray();
  }

  private static double nice(double width, double size) {
    if (!(width > size * 1e-12)) {
      return size / 10;
    }
    double power = Math.pow(10, Math.floor(Math.log10(width)));
    double part = width / power;
    return power * (part <= 1.000001 ? 1 : part <= 2.000001 ? 2 : part <= 5.000001 ? 5 : 10);
  }

  static int bin(double[] edges, double v) {
    int i = Arrays.binarySearch(edges, v);
    int bin = i >= 0 ? i : -i - 2;
    return Math.clamp(bin, 0, edges.length - 2);
  }

  /** Values at times, to be counted in cells. */
  public record Points(long[] times, double[] values) {}

  /** A heatmap: counts in cells of time spans by bins of value. */
  public static Frame cells(
      String name, List<Points> points, long from, long to, String unit, int spans, int bins) {
    var all =
        points.stream().flatMapToDouble(p -> Arrays.stream(p.values())).filter(Double::isFinite);
    var edges = edges(all.toArray(), bins);
    int high = Math.max(0, edges.length - 1);
    var counts = new double[spans * high];
    for (var p : points) {
      for (int i = 0; i < p.times().length; i++) {
        if (Double.isFinite(p.values()[i]) && p.times()[i] < to) {
          // A first bucket that begins before the range belongs to its first span.
          long into = Math.max(0, p.times()[i] - from);
          int span = (int) (into * spans / Math.max(1, to - from));
          counts[span * high + bin(edges, p.values()[i])]++;
        }
      }
    }
    int[] some = IntStream.range(0, counts.length).filter(i -> counts[i] > 0).toArray();
    return new Frame(
        name,
        List.of(
            new Column.Time(
                "time",
                Arrays.stream(some)
                    .mapToLong(i -> from + (to - from) * (i / high) / spans)
                    .toArray()),
            Column.Number.of(
                "from", unit, Arrays.stream(some).mapToDouble(i -> edges[i % high]).toArray()),
            Column.Number.of(
                "to", unit, Arrays.stream(some).mapToDouble(i -> edges[i % high + 1]).toArray()),
            Column.Number.of(
                "count", "", Arrays.stream(some).mapToDouble(i -> counts[i]).toArray())));
  }

  /** Fields of a text column of JSON as a column: numbers if all that are there are numbers. */
  public static Frame unpack(Frame in, List<String> path, String name) {
    boolean named = in.column(path.getFirst()) instanceof Column.Text;
    var source = named ? path.getFirst() : "fields";
    if (!(column(in, source) instanceof Column.Text texts)) {
      throw new FrameException("`" + source + "` is not a text column");
    }
    var steps = named ? path.subList(1, path.size()) : path;
    var values = new ArrayList<String>();
    boolean number = false;
    boolean text = false;
    for (var t : texts.values()) {
      var v = JsonPath.find(t, steps);
      values.add(v == null ? "" : v.text());
      text |= v != null && !v.number();
      number |= v != null && v.number();
    }
    return in.with(
        number && !text
            ? Column.Number.of(
                name,
                "",
                values.stream()
                    .mapToDouble(v -> v.isEmpty() ? Double.NaN : Double.parseDouble(v))
                    .toArray())
            : new Column.Text(name, values.toArray(String[]::new)));
  }
}
