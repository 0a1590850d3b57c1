package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import vintrel.core.query.plan.LabelNames;
import vintrel.core.query.plan.SeriesSet;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.syntax.Grouping;
import vintrel.core.query.syntax.Reducer;
import vintrel.core.query.syntax.Step;
import vintrel.core.series.Labels;
import vintrel.core.series.MetricKind;

/** Many series on one grid → fewer series on the same grid. */
public final class AcrossSeries {
  public static final String LE = "le";

  private AcrossSeries() {}

  static SeriesSet.Gridded reduce(
      SeriesSet.Gridded set, Reducer reducer, Grouping grouping, Room room) {
    var out = new ArrayList<Row>();
    var groups = groups(set, grouping);
    room.series(groups.size(), set.grid().count(), 1);
    groups.forEach(
        (labels, rows) -> {
          var first = rows.getFirst();
          var values = new double[set.grid().count()];
          var column = new double[rows.size()];
          for (int i = 0; i < values.length; i++) {
            for (int k = 0; k < column.length; k++) {
              column[k] = rows.get(k).values()[i];
            }
            values[i] = reducer.apply(column, 0, column.length);
          }
          var row =
              new Row(first.metric(), labels, first.kind(), "", null, null, values, null, null);
          out.add(row.unit(reducer.unit(commonUnit(rows))));
        });
    return new SeriesSet.Gridded(set.grid(), out);
  }

  private static Map<Labels, List<Row>> groups(SeriesSet.Gridded set, Grouping grouping) {
    var groups = new LinkedHashMap<Labels, List<Row>>();
    for (var row : set.rows()) {
      groups.computeIfAbsent(grouping.key(row.labels()), k -> new ArrayList<>()).add(row);
    }
    return groups;
  }

  private static String commonUnit(List<Row> rows) {
    var unit = rows.getFirst().unit();
    return rows.stream().allMatch(r -> r.unit().equals(unit)) ? unit : "";
  }

  static SeriesSet.Gridded pick(SeriesSet.Gridded set, Step.Pick pick) {
    record Ranked(Row row, double value) {}
    var order = Comparator.comparingDouble(Ranked::value);
    var ranked =
        set.rows().stream()
            .map(r -> new Ranked(r, pick.by().apply(r.values(), 0, r.values().length)))
            .filter(r -> !Double.isNaN(r.value()))
            .sorted(pick.top() ? order.reversed() : order)
            .limit(pick.count())
            .map(Ranked::row)
            .toList();
    return new SeriesSet.Gridded(set.grid(), ranked);
  }

  static SeriesSet.Gridded share(SeriesSet.Gridded set) {
    var total = new double[set.grid().count()];
    for (var row : set.rows()) {
      for (int i = 0; i < total.length; i++) {
        total[i] += Double.isNaN(row.values()[i]) ? 0 : row.values()[i];
      }
    }
    return set.map(
        row -> {
          var out = new double[total.length];
          for (int i = 0; i < out.length; i++) {
            out[i] = total[i] == 0 ? Double.NaN : row.values()[i] / total[i] * 100;
          }
          return row.on(out).unit("%");
        });
  }

  /**
   * The q-quantile from cumulative bucket counts (or their rates), linear within the bucket it
   * falls into, as for a histogram whose values are even within a bucket. The lowest bucket begins
   * at 0, or at its bound if that is negative; in the last, open bucket the answer is its lower
   * bound. Missing without a count for {@code +Inf}, which is the total; other bounds that are
   * missing at a time are left out. Histograms with different bounds are added as {@link
   * HistogramSum} says.
   */
  static SeriesSet.Gridded quantile(
      SeriesSet.Gridded set, Step.Quantile step, Room room, Runnable check) {
    var grouping =
        switch (step.grouping().mode()) {
          case ALL -> new Grouping(Grouping.Mode.WITHOUT, List.of(LabelNames.BOUND));
          case BY -> step.grouping();
          case WITHOUT -> {
            var names = new ArrayList<>(step.grouping().labels());
            names.add(LabelNames.BOUND);
            yield new Grouping(Grouping.Mode.WITHOUT, names);
          }
        };
    var out = new ArrayList<Row>();
    var groups = groups(set, grouping);
    room.series(groups.size(), set.grid().count(), 1);
    groups.forEach((labels, rows) -> out.add(quantile(set, labels, rows, step.q(), room, check)));
    out.removeIf(row -> row == null);
    return new SeriesSet.Gridded(set.grid(), out);
  }

  private static Row quantile(
      SeriesSet.Gridded set, Labels labels, List<Row> rows, double q, Room room, Runnable check) {
    var histograms = HistogramSum.of(rows, room);
    if (histograms == null) {
      return null;
    }
    var values = new double[set.grid().count()];
    for (int i = 0; i < values.length; i++) {
      check.run();
      values[i] = interpolate(histograms.bounds(), histograms.at(i), q);
    }
    var metric = rows.getFirst().metric().replaceFirst("\\.bucket$", "");
    return new Row(metric, labels, MetricKind.GAUGE, "", null, null, values, null, null);
  }

  /** The upper bound that a label names; NaN if it is none. */
  static double bound(String le) {
    if (le == null) {
      return Double.NaN;
    }
    try {
      return le.equals("+Inf") ? Double.POSITIVE_INFINITY : Double.parseDouble(le);
    } catch (NumberFormatException e) {
      return Double.NaN;
    }
  }

  private static double interpolate(double[] bounds, double[] counts, double q) {
    int last = bounds.length - 1;
    if (bounds[last] != Double.POSITIVE_INFINITY || !(counts[last] > 0)) {
      return Double.NaN;
    }
    double rank = q * counts[last];
    double lower = Math.min(0, bounds[0]);
    double below = 0;
    boolean lowest = true;
    for (int k = 0; k < last; k++) {
      if (Double.isNaN(counts[k])) {
        continue;
      }
      if (counts[k] >= rank) {
        double within = counts[k] - below;
        return within <= 0 ? bounds[k] : lower + (bounds[k] - lower) * (rank - below) / within;
      }
      lower = bounds[k];
      below = counts[k];
      lowest = false;
    }
    return lowest ? Double.NaN : lower;
  }

  static double[] constant(int n, double value) {
    var out = new double[n];
    Arrays.fill(out, value);
    return out;
  }
}
