package vintrel.core.fit;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.TreeMap;
import vintrel.core.fit.Shape.Form;
import vintrel.core.fit.Shape.Quantity;
import vintrel.core.frame.Column;
import vintrel.core.frame.Frame;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Labels;

/** The shape of a line: what came out of it, and what its text says of its numbers. */
final class ShapeReader {
  /** Series that are looked at: more would not lead to other steps. */
  private static final int MAX_MEMBERS = 2_000;

  /** Rows of a table whose texts are looked at. */
  private static final int MAX_ROWS = 20_000;

  /** Columns of events that are no labels. */
  private static final List<String> NO_LABELS = List.of("text", "fields");

  private final Query query;

  ShapeReader(Query query) {
    this.query = query;
  }

  Shape of(Query.Line line, SeriesSet set) {
    return switch (set) {
      case SeriesSet.OfSeries s -> ofSeries(line.expr(), s);
      case SeriesSet.Table t -> ofTable(line.expr(), t.frame());
    };
  }

  private Shape ofSeries(Expr expr, SeriesSet.OfSeries set) {
    var rows = set.rows();
    boolean cumulative =
        !rows.isEmpty() && rows.stream().allMatch(r -> r.kind().cumulative() && isOfCounts(expr));
    boolean bounds =
        !rows.isEmpty() && rows.stream().allMatch(r -> r.labels().get(LabelNames.BOUND) != null);
    var said = quantity(expr, 0);
    var unit = rows.isEmpty() ? "" : rows.getFirst().unit();
    Quantity quantity;
    if (cumulative && said == null) {
      quantity = bounds ? Quantity.BUCKETS : Quantity.COUNTER;
    } else if (bounds && (said == Quantity.RATE || said == Quantity.COUNT)) {
      quantity = said == Quantity.RATE ? Quantity.BUCKET_RATES : Quantity.BUCKET_COUNTS;
    } else {
      quantity = said == null ? ofUnit(unit) : said;
    }
    boolean named = rows.stream().anyMatch(r -> r.name() != null);
    var members = rows.stream().limit(MAX_MEMBERS).map(SeriesSet.Row::labels).toList();
    return Shape.series(members, quantity, named);
  }

  private static Quantity ofUnit(String unit) {
    if (unit.startsWith("%") || unit.equals("1")) {
      return Quantity.RATIO;
    }
    return unit.matches(".*/(s|min|h|d)") ? Quantity.RATE : Quantity.GAUGE;
  }

  /** Whether values of counters are still counts: no window has made averages of them. */
  private static boolean isOfCounts(Expr expr) {
    return !(expr instanceof Expr.Binary) && !(expr instanceof Expr.Negative);
  }

  /** What the last step that decides it makes of the numbers, or null if none does. */
  private Quantity quantity(Expr expr, int depth) {
    if (depth > 20) {
      return null;
    }
    return switch (expr) {
      case Expr.Chain c -> {
        var found = quantity(c.input(), depth + 1);
        for (var step : c.steps()) {
          found = after(step, found);
        }
        yield found;
      }
      case Expr.Source s when query.line(s.name()) != null ->
          quantity(query.line(s.name()).expr(), depth + 1);
      default -> null;
    };
  }

  private static Quantity after(Step step, Quantity before) {
    return switch (step) {
      case Step.Rate r -> Quantity.RATE;
      case Step.Increase i -> Quantity.COUNT;
      case Step.Share s -> Quantity.RATIO;
      case Step.Quantile q -> Quantity.PERCENTILE;
      case Step.Bucketing b when b.reducer().kind() == Reducer.Kind.COUNT -> Quantity.COUNT;
      case Step.Bucketing b when b.reducer().kind() == Reducer.Kind.PERCENTILE ->
          Quantity.PERCENTILE;
      case Step.Bucketing b when before == Quantity.COUNT -> Quantity.COUNT;
      case Step.Across a when a.reducer().kind() == Reducer.Kind.COUNT -> Quantity.GAUGE;
      case Step.Change c -> Quantity.GAUGE;
      case Step.Slope s -> Quantity.GAUGE;
      case Step.Age a -> Quantity.GAUGE;
      case Step.Since s -> Quantity.GAUGE;
      default -> before;
    };
  }

  private Shape ofTable(Expr expr, Frame frame) {
    var steps =
        expr instanceof Expr.Chain c
            ? c.steps().stream().filter(s -> !(s instanceof Step.Off)).toList()
            : List.<Step>of();
    var input = expr instanceof Expr.Chain c ? c.input() : expr;
    var last = steps.isEmpty() ? null : steps.getLast();
    if (input instanceof Expr.Events && last == null) {
      return new Shape(
          Form.EVENTS, members(frame), Quantity.COUNT, List.of(), true, false, frame.rows(), false);
    }
    if (last instanceof Step.Bins || last instanceof Step.Cells) {
      var form = last instanceof Step.Bins ? Form.BINS : Form.CELLS;
      return new Shape(
          form, List.of(), Quantity.COUNT, List.of(), false, false, frame.rows(), true);
    }
    if (frame.drawable()) {
      // Its columns are series; their labels are no columns that a step could name.
      var series = frame.numbers().stream().map(n -> Labels.NONE).toList();
      return Shape.series(series, ofNumbers(frame), true);
    }
    var numbers = frame.numbers().stream().map(Column.Number::name).toList();
    return new Shape(
        Form.TABLE,
        members(frame),
        ofNumbers(frame),
        numbers,
        frame.time() != null,
        false,
        frame.rows(),
        isSorted(steps));
  }

  private static boolean isSorted(List<Step> steps) {
    for (var step : steps.reversed()) {
      if (step instanceof Step.Sort sort) {
        return sort.descending();
      }
      if (!(step instanceof Step.Limit || step instanceof Step.Keep || step instanceof Step.Drop)) {
        return false;
      }
    }
    return false;
  }

  /** Whole numbers without a unit are taken for counts. */
  private static Quantity ofNumbers(Frame frame) {
    if (frame.numbers().isEmpty()) {
      return Quantity.COUNT;
    }
    var last = frame.numbers().getLast();
    if (!last.unit().isEmpty()) {
      return ofUnit(last.unit());
    }
    for (double v : last.values()) {
      if (v < 0 || v != Math.rint(v) && !Double.isNaN(v)) {
        return Quantity.GAUGE;
      }
    }
    return Quantity.COUNT;
  }

  private static List<Labels> members(Frame frame) {
    var texts = new ArrayList<Column.Text>();
    for (var c : frame.columns()) {
      if (c instanceof Column.Text t && !NO_LABELS.contains(t.name())) {
        texts.add(t);
      }
    }
    var out = new LinkedHashSet<Labels>();
    for (int i = 0; i < Math.min(frame.rows(), MAX_ROWS); i++) {
      var labels = new TreeMap<String, String>();
      for (var t : texts) {
        if (!t.values()[i].isEmpty()) {
          labels.put(t.name(), t.values()[i]);
        }
      }
      out.add(Labels.of(labels));
    }
    return List.copyOf(out);
  }
}
