package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import vintrel.core.query.plan.Grid;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.QueryException;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Units;

/**
 * Arithmetic of two sets on grids. Series pair up by equal labels, or by the labels named; a side
 * that has no labels by the query's text pairs with all. Grids of unlike pitch meet on the coarser
 * one, by means. Where one of two values is missing, so is the result, unless the operator defines
 * what a missing one counts as; then a series without a partner has one of only missing values.
 */
public final class Pairing {
  /**
   * What was noticed on the way, for advice.
   *
   * @param alone the labels of series that have no partner and are left out
   */
  public record Outcome(
      SeriesSet.Gridded set,
      boolean nothingPaired,
      List<Labels> alone,
      boolean unlike,
      String units,
      boolean zero) {}

  /**
   * @param named whose labels the result has
   */
  private record Pair(Row left, Row right, Row named) {}

  private final Expr.Binary b;
  private final LabelNames names;
  private final Grid grid;
  private final SeriesSet.Gridded left;
  private final SeriesSet.Gridded right;
  private final List<Pair> pairs = new ArrayList<>();
  private final List<Labels> alone = new ArrayList<>();
  private final long maxValues;
  private final Runnable check;
  private final Room room;
  private boolean zero;

  /**
   * @param maxValues that the result may have
   * @param check called for each pair; it may throw
   * @param room asked for what is made before it is made
   */
  Pairing(
      Expr.Binary b,
      LabelNames names,
      SeriesSet.Gridded left,
      SeriesSet.Gridded right,
      long maxValues,
      Runnable check,
      Room room) {
    this.room = room;
    this.maxValues = maxValues;
    this.check = check;
    this.b = b;
    this.names = names;
    boolean rightGrid =
        !right.scalar() && (left.scalar() || right.grid().pitch() > left.grid().pitch());
    this.grid = rightGrid ? right.grid() : left.grid();
    this.left = onto(left, grid);
    this.right = onto(right, grid);
  }

  Outcome outcome() {
    if (b.on().isEmpty() && (names.none(b.left()) || names.none(b.right()))) {
      pairWithAll();
    } else {
      pairByLabels();
    }
    boolean additive =
        b.operator() == Expr.Operator.PLUS
            || b.operator() == Expr.Operator.MINUS
            || b.operator().comparison();
    var unlike = new TreeSet<String>();
    var rows = new ArrayList<Row>();
    room.series(pairs.size(), grid.count(), 1);
    for (var p : pairs) {
      check.run();
      if (additive && !Units.alike(p.left().unit(), p.right().unit())) {
        unlike.add(p.left().unit() + " and " + p.right().unit());
      }
      rows.add(row(p));
    }
    boolean nothing = rows.isEmpty() && !left.rows().isEmpty() && !right.rows().isEmpty();
    return new Outcome(
        new SeriesSet.Gridded(grid, rows, left.scalar() && right.scalar()),
        nothing,
        alone,
        !unlike.isEmpty(),
        unlike.isEmpty() ? "" : unlike.first(),
        zero);
  }

  private void pairWithAll() {
    boolean leftAll = names.none(b.left());
    boolean bothAll = leftAll && names.none(b.right());
    long values = (long) left.rows().size() * right.rows().size() * grid.count();
    if (values > maxValues) {
      throw new QueryException(
          "limit.values",
          "every series of one side matches every series of the other: "
              + values
              + " values, more than the limit of "
              + maxValues
              + "; aggregate one side to a single series",
          0,
          0);
    }
    for (var x : or(left, right, bothAll || leftAll)) {
      for (var y : or(right, left, bothAll || !leftAll)) {
        pairs.add(new Pair(x, y, leftAll && !bothAll ? y : x));
      }
    }
  }

  /** A side's series; if it has none and may count as something, one of missing values. */
  private List<Row> or(SeriesSet.Gridded side, SeriesSet.Gridded other, boolean all) {
    boolean stands = all && side.rows().isEmpty() && b.missing() != null;
    return stands && !other.rows().isEmpty()
        ? List.of(absent(side, other.rows().getFirst(), Labels.NONE))
        : side.rows();
  }

  private void pairByLabels() {
    var byKey = byKey(right);
    var leftByKey = byKey(left);
    boolean leftNames = b.on().isEmpty() || names.leftNames(b);
    Set<Labels> met = new HashSet<>();
    for (var x : left.rows()) {
      var key = key(x);
      var matches = byKey.getOrDefault(key, List.of());
      boolean severalLeft = leftByKey.get(key).size() > 1;
      boolean several = matches.size() > 1 && (severalLeft || !b.on().isEmpty() && leftNames);
      if (several || severalLeft && !b.on().isEmpty() && !leftNames) {
        throw several(key, several && !severalLeft);
      }
      met.add(key);
      matches.forEach(y -> pairs.add(new Pair(x, y, leftNames && matches.size() == 1 ? x : y)));
      if (matches.isEmpty()) {
        single(x, true, leftNames ? x.labels() : key);
      }
    }
    for (var y : right.rows()) {
      if (!met.contains(key(y))) {
        single(y, false, leftNames ? key(y) : y.labels());
      }
    }
  }

  private void single(Row row, boolean isLeft, Labels labels) {
    if (b.missing() == null) {
      alone.add(row.labels());
    } else {
      var named = row.labels(labels);
      var other = absent(isLeft ? right : left, row, labels);
      pairs.add(new Pair(isLeft ? row : other, isLeft ? other : row, named));
    }
  }

  private Row absent(SeriesSet.Gridded side, Row like, Labels labels) {
    room.series(1, grid.count(), 1);
    var unit = side.rows().isEmpty() ? like.unit() : side.rows().getFirst().unit();
    return Row.raw(like.metric(), labels, MetricKind.GAUGE, unit, null)
        .on(AcrossSeries.constant(grid.count(), Double.NaN));
  }

  private QueryException several(Labels key, boolean onRight) {
    var by = b.on().isEmpty() ? "label" : String.join(", ", b.on());
    return new QueryException(
        "pairing",
        onRight
            ? "several series on the right match one on the left (labels "
                + key
                + "); aggregate the left side with `then mean by "
                + by
                + "` if it has one for each, or the right side"
            : "several series on both sides have the labels ("
                + key
                + "); aggregate one side first, for example with `then sum by "
                + by
                + "`",
        0,
        0);
  }

  private Map<Labels, List<Row>> byKey(SeriesSet.Gridded set) {
    var out = new LinkedHashMap<Labels, List<Row>>();
    set.rows().forEach(r -> out.computeIfAbsent(key(r), k -> new ArrayList<>()).add(r));
    return new HashMap<>(out);
  }

  private Labels key(Row row) {
    return b.on().isEmpty() ? row.labels() : row.labels().keep(b.on());
  }

  private Row row(Pair p) {
    var values = new double[grid.count()];
    double missing = b.missing() == null ? Double.NaN : b.missing();
    for (int i = 0; i < values.length; i++) {
      double x = p.left().values()[i];
      double y = p.right().values()[i];
      boolean neither = Double.isNaN(x) && Double.isNaN(y);
      x = Double.isNaN(x) && !neither ? missing : x;
      y = Double.isNaN(y) && !neither ? missing : y;
      values[i] = b.operator().apply(x, y);
      zero |= b.operator() == Expr.Operator.OVER && y == 0;
    }
    var named = p.named();
    var left = p.left().origin();
    return new Row(
            named.metric(),
            named.labels(),
            b.operator().comparison() ? MetricKind.STATE : MetricKind.GAUGE,
            unit(p.left(), p.right()),
            named.name(),
            null,
            values,
            null,
            null)
        // What stands in for a missing side goes on after that side has ended.
        .origin(b.missing() != null ? null : left == null ? p.right().origin() : left);
  }

  private String unit(Row x, Row y) {
    return switch (b.operator()) {
      case PLUS, MINUS, REST -> Units.known(x.unit()) ? x.unit() : y.unit();
      case TIMES -> Units.times(x.unit(), y.unit());
      case OVER -> Units.over(x.unit(), y.unit());
      default -> "";
    };
  }

  /** A set on a grid: bucket by bucket if it has the same, else by means of what begins there. */
  private SeriesSet.Gridded onto(SeriesSet.Gridded set, Grid grid) {
    if (set.grid().equals(grid)) {
      return set;
    }
    room.series(set.rows().size(), grid.count(), 1);
    room.scratch(set);
    if (set.scalar()) {
      return set.map(r -> r.on(AcrossSeries.constant(grid.count(), r.values()[0]))).on(grid);
    }
    if (set.grid().pitch() == grid.pitch() && set.grid().hasBucketsOf(grid)) {
      return set.map(r -> r.on(picked(r.values(), set.grid(), grid))).on(grid);
    }
    return set.map(r -> r.on(Bucketing.buckets(set.samples(r), grid, Reducer.MEAN))).on(grid);
  }

  private static double[] picked(double[] values, Grid from, Grid to) {
    var out = new double[to.count()];
    Arrays.fill(out, Double.NaN);
    for (int i = 0; i < out.length; i++) {
      long at = from.bucket(to.time(i));
      if (at >= 0 && at < values.length) {
        out[i] = values[(int) at];
      }
    }
    return out;
  }
}
