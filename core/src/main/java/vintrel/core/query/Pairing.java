package vintrel.core.query;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.query.SeriesSet.Row;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;
import vintrel.core.unit.Units;

/**
 * Arithmetic of two sets on grids. Series pair up by equal labels, or by the labels named; a number
 * or a lone series pairs with all. Where one side has several series of one key, the other side's
 * one goes to each of them. Grids of unlike pitch meet on the coarser one, by means.
 */
final class Pairing {
  /** What was noticed on the way, for advice. */
  record Outcome(
      SeriesSet set, boolean nothingPaired, boolean unlike, String units, boolean zero) {}

  private Pairing() {}

  static Outcome apply(Expr.Binary b, SeriesSet left, SeriesSet right) {
    long pitch = Math.max(left.grid().pitch(), right.grid().pitch());
    var l = coarser(left, pitch, right.grid());
    var r = coarser(right, pitch, left.grid());
    var pairs = pairs(l, r, b.on());
    var rows = new ArrayList<Row>();
    boolean[] zero = {false};
    boolean unlike = false;
    String units = "";
    for (var pair : pairs) {
      var x = pair[0];
      var y = pair[1];
      boolean additive =
          b.operator() == Expr.Operator.PLUS
              || b.operator() == Expr.Operator.MINUS
              || b.operator().comparison();
      if (additive && !Units.alike(x.unit(), y.unit())) {
        unlike = true;
        units = x.unit() + " and " + y.unit();
      }
      rows.add(row(b, l, x, y, pair[2], zero));
    }
    boolean nothing = rows.isEmpty() && !l.rows().isEmpty() && !r.rows().isEmpty();
    return new Outcome(
        new SeriesSet(l.grid(), rows, left.scalar() && right.scalar()),
        nothing,
        unlike,
        units,
        zero[0]);
  }

  private static Row row(Expr.Binary b, SeriesSet l, Row x, Row y, Row named, boolean[] zero) {
    int n = Math.min(x.values().length, y.values().length);
    var values = new double[l.grid().count()];
    Arrays.fill(values, Double.NaN);
    for (int i = 0; i < Math.min(n, values.length); i++) {
      values[i] = b.operator().apply(x.values()[i], y.values()[i]);
      zero[0] |= b.operator() == Expr.Operator.OVER && y.values()[i] == 0;
    }
    return new Row(
        named.metric(),
        named.labels(),
        kind(b),
        unit(b, x, y),
        named.name(),
        null,
        values,
        null,
        null);
  }

  private static MetricKind kind(Expr.Binary b) {
    return b.operator().comparison() ? MetricKind.STATE : MetricKind.GAUGE;
  }

  private static String unit(Expr.Binary b, Row x, Row y) {
    return switch (b.operator()) {
      case PLUS, MINUS, REST -> Units.known(x.unit()) ? x.unit() : y.unit();
      case TIMES -> Units.times(x.unit(), y.unit());
      case OVER -> Units.over(x.unit(), y.unit());
      default -> "";
    };
  }

  /** Pairs as {left, right, the one whose labels the result has}. */
  private static List<Row[]> pairs(SeriesSet l, SeriesSet r, List<String> on) {
    var out = new ArrayList<Row[]>();
    if (on.isEmpty() && (l.rows().size() == 1 || r.rows().size() == 1)) {
      for (var x : l.rows()) {
        for (var y : r.rows()) {
          boolean leftNames = r.scalar() || (!l.scalar() && l.rows().size() >= r.rows().size());
          out.add(new Row[] {x, y, leftNames ? x : y});
        }
      }
      return out;
    }
    Map<Labels, List<Row>> byKey = new HashMap<>();
    r.rows().forEach(y -> byKey.computeIfAbsent(key(y, on), k -> new ArrayList<>()).add(y));
    Map<Labels, Integer> leftCount = new HashMap<>();
    l.rows().forEach(x -> leftCount.merge(key(x, on), 1, Integer::sum));
    for (var x : l.rows()) {
      var matches = byKey.getOrDefault(key(x, on), List.of());
      if (matches.size() > 1 && leftCount.get(key(x, on)) > 1) {
        throw new QueryException(
            "pairing",
            "several series on both sides have the labels ("
                + key(x, on)
                + "); aggregate one side first, as in  then sum by "
                + (on.isEmpty() ? "label" : String.join(", ", on)),
            0,
            0);
      }
      for (var y : matches) {
        out.add(new Row[] {x, y, matches.size() > 1 ? y : x});
      }
    }
    return out;
  }

  private static Labels key(Row row, List<String> on) {
    return on.isEmpty() ? row.labels() : row.labels().keep(on);
  }

  private static SeriesSet coarser(SeriesSet set, long pitch, Grid other) {
    if (set.grid().pitch() == pitch && set.grid().start() == other.start()) {
      return set;
    }
    if (set.grid().pitch() == pitch && other.pitch() != pitch) {
      return set;
    }
    long origin = other.pitch() == pitch ? other.start() : set.grid().start();
    var grid =
        other.pitch() == pitch
            ? other
            : Grid.covering(set.grid().start(), set.grid().end(), pitch, origin);
    return new SeriesSet(
        grid,
        set.rows().stream()
            .map(r -> r.on(OverTime.buckets(OverTime.samples(set, r), grid, Reducer.MEAN)))
            .toList(),
        set.scalar());
  }
}
