package vintrel.core.panel;

import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.compute.Frames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.unit.Counts;
import vintrel.core.unit.Units;

/** A line's own table if one has one; else the latest value of each series. */
public record TablePanel(
    @Setting(value = "Sort column. Default: query order.", group = "Rows", label = "sort by")
        String sortBy,
    @Setting(value = "Whether the greatest come first.", group = "Rows") boolean descending,
    @Setting(
            value = "How many rows are shown at most.",
            group = "Rows",
            min = 1,
            max = 2_000,
            label = "at most")
        int most,
    @Setting(value = "The columns to show, in order; empty: all.", group = "Columns", most = 60)
        List<String> columns,
    @Setting(
            value = "Widths of columns in px, such as gate: 120; others are as wide as needed.",
            group = "Columns",
            most = 60)
        Map<String, String> widths,
    @Setting(value = "Columns with a bar behind each number.", group = "Columns", most = 60)
        List<String> bars,
    @Setting(value = "Digits after the point; -1: as needed.", group = "Columns", min = -1, max = 6)
        int decimals,
    @Setting(
            value = "The columns that limits colour; empty: all numbers.",
            group = "Columns",
            most = 60,
            label = "columns coloured by limits")
        List<String> limitsOn,
    @Setting(value = "The column whose cells are links.", group = "Links", label = "link column")
        String linked,
    @Setting(
            value = "Where they lead: an address with {column} for the cell of a column.",
            group = "Links",
            most = 1_000,
            label = "address")
        String link)
    implements PanelKind {
  public static final TablePanel DEFAULT =
      new TablePanel("", true, 200, List.of(), Map.of(), List.of(), -1, List.of(), "", "");

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("d MMM HH:mm:ss.SSS", Locale.UK);
  private static final Pattern NAME = Pattern.compile("\\{([^{}]+)}");

  @Override
  public String word() {
    return "table";
  }

  @Override
  public String title() {
    return "Table";
  }

  @Override
  public Question question() {
    return Question.CONTENT;
  }

  @Override
  public Need need() {
    return Need.ROWS;
  }

  @Override
  public Map<String, String> faults() {
    var out = new LinkedHashMap<String, String>();
    widths.forEach(
        (column, width) -> {
          if (!width.matches("[0-9]{2,4}")) {
            out.put(
                "widths", "the width of " + column + " must be 10 to 9999 px, not '" + width + "'");
          }
        });
    return out;
  }

  @Override
  public Drawing draw(Asked asked) {
    var sorted = sorted(whole(asked));
    var shown = columns.isEmpty() ? sorted.columns() : chosen(sorted);
    int n = Math.min(most, sorted.rows());
    var heads = new ArrayList<Drawing.Head>();
    var cells = new ArrayList<List<Drawing.Cell>>();
    for (int i = 0; i < n; i++) {
      cells.add(new ArrayList<>());
    }
    for (var c : shown) {
      heads.add(head(c));
      column(c, sorted, n, asked, cells);
    }
    int left = sorted.rows() - n;
    return new Drawing.Grid(
        word(),
        Counts.of(sorted.rows(), "row") + " of " + Counts.of(shown.size(), "column"),
        heads,
        cells.stream().map(List::copyOf).toList(),
        left);
  }

  private static Frame whole(Asked asked) {
    var own = asked.lines().stream().filter(l -> l.set() instanceof SeriesSet.Table).findFirst();
    return own.isPresent() ? Frames.of(own.get()) : Frames.latest(asked.lines());
  }

  /** The rows and columns that are shown, in their order. */
  @Override
  public List<Frame> file(Asked asked, List<Frame> answer) {
    var sorted = sorted(whole(asked));
    var rows = sorted.take(IntStream.range(0, Math.min(most, sorted.rows())).toArray());
    return List.of(new Frame(rows.name(), columns.isEmpty() ? rows.columns() : chosen(rows)));
  }

  private List<Column> chosen(Frame frame) {
    return columns.stream().map(frame::column).filter(java.util.Objects::nonNull).toList();
  }

  private Frame sorted(Frame frame) {
    var by = sortBy.isEmpty() ? null : frame.column(sortBy);
    if (by == null) {
      return frame;
    }
    Comparator<Integer> order =
        switch (by) {
          case Column.Number n -> Comparator.comparingDouble(i -> missingLast(n.values()[i]));
          case Column.Text t -> Comparator.comparing(i -> t.values()[i]);
          case Column.Time t -> Comparator.comparingLong(i -> t.values()[i]);
        };
    var rows = new ArrayList<Integer>();
    for (int i = 0; i < frame.rows(); i++) {
      rows.add(i);
    }
    rows.sort(descending ? order.reversed() : order);
    return frame.take(rows.stream().mapToInt(Integer::intValue).toArray());
  }

  private double missingLast(double v) {
    return !Double.isNaN(v) ? v : descending ? Double.NEGATIVE_INFINITY : Double.POSITIVE_INFINITY;
  }

  private Drawing.Head head(Column c) {
    var width = widths.get(c.name());
    return new Drawing.Head(
        c.name(), c instanceof Column.Number, width == null ? null : Integer.valueOf(width));
  }

  private void column(Column c, Frame frame, int n, Asked asked, List<List<Drawing.Cell>> into) {
    double most = 0;
    if (c instanceof Column.Number numbers) {
      for (double v : numbers.values()) {
        most = Double.isFinite(v) ? Math.max(most, Math.abs(v)) : most;
      }
    }
    boolean hasBar = bars.contains(c.name()) && most > 0;
    boolean limited = limitsOn.isEmpty() || limitsOn.contains(c.name());
    for (int i = 0; i < n; i++) {
      var href = c.name().equals(linked) ? href(frame, i, asked.zone()) : null;
      into.get(i)
          .add(
              switch (c) {
                case Column.Number v -> {
                  double value = v.values()[i];
                  var passed = limited ? Limit.worst(asked.limits(), value) : "";
                  yield new Drawing.Cell(
                      number(value, asked.unitOf(v.unit())),
                      Double.isNaN(value) ? null : value,
                      hasBar && !Double.isNaN(value) ? 100 * Math.abs(value) / most : null,
                      passed.isEmpty() ? null : passed,
                      href);
                }
                case Column.Text t -> new Drawing.Cell(t.values()[i], null, null, null, href);
                case Column.Time t ->
                    new Drawing.Cell(
                        time(t.values()[i], asked.zone()),
                        (double) t.values()[i],
                        null,
                        null,
                        href);
              });
    }
  }

  private String number(double value, String unit) {
    var scale = Units.scale(Math.abs(value), 0, unit);
    return decimals < 0
        ? scale.format(value)
        : new Units.Scale(scale.divisor(), decimals, scale.suffix()).format(value);
  }

  /** The address for a row; null unless it is one of http, https or this site. */
  private String href(Frame frame, int row, ZoneId zone) {
    var filled =
        NAME.matcher(link)
            .replaceAll(
                m -> Matcher.quoteReplacement(encoded(text(frame.column(m.group(1)), row, zone))));
    boolean own = filled.startsWith("/") && !filled.startsWith("//") && !filled.startsWith("/\\");
    return own || filled.matches("https?://[^\\s]+") ? filled : null;
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8).replace("+", "%20");
  }

  private static String text(Column c, int row, ZoneId zone) {
    return switch (c) {
      case Column.Number n -> String.valueOf(n.values()[row]);
      case Column.Text t -> t.values()[row];
      case Column.Time t -> time(t.values()[row], zone);
      case null -> "";
    };
  }

  /** To the millisecond if it is not on a second. */
  private static String time(long ms, ZoneId zone) {
    if (ms == Long.MIN_VALUE) {
      return "";
    }
    var text = TIME.format(Instant.ofEpochMilli(ms).atZone(zone));
    return text.endsWith(".000") ? text.substring(0, text.length() - 4) : text;
  }
}
