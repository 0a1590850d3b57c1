package vintrel.core.query.compute;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import vintrel.core.query.plan.InputRange;
import vintrel.core.query.plan.SeriesSet.Gridded;
import vintrel.core.query.plan.SeriesSet.Row;
import vintrel.core.query.plan.Traits;
import vintrel.core.query.syntax.Step;

/**
 * The last bucket of a range that ends within it. Steps look beyond the range so that complete
 * buckets have the same value in every range; the cut one holds what lies in the range alone.
 */
final class CutEnd {
  private CutEnd() {}

  /** The last step whose input goes on after a range's end, though its output does not; or -1. */
  static int lastBeyond(InputRange.Range[] ranges, long to) {
    for (int i = ranges.length - 2; i >= 0; i--) {
      if (ranges[i + 1].to() != to) {
        return -1;
      }
      if (ranges[i].to() > to) {
        return i;
      }
    }
    return -1;
  }

  /** Whether some steps give a bucket the same value if it is asked for alone. */
  static boolean alone(List<Step> steps) {
    return steps.stream().noneMatch(s -> Traits.of(s).ofWholeRange() || s instanceof Step.OnTable);
  }

  /** Whether some steps on a metric give nothing after its last sample. */
  static boolean endWithSamples(List<Step> steps) {
    return steps.stream().allMatch(CutEnd::endsWithSamples);
  }

  private static boolean endsWithSamples(Step step) {
    return switch (step) {
      case Step.Bucketing b -> !b.sliding();
      case Step.Change c -> !c.sliding();
      case Step.Slope s -> !s.sliding();
      case Step.Rate r -> true;
      case Step.Increase i -> true;
      case Step.Value v -> true;
      case Step.KeepWhen k -> true;
      case Step.LabelAs l -> true;
      case Step.UnitIs u -> true;
      case Step.Off off -> true;
      case Step.Across a -> true;
      default -> false;
    };
  }

  /** A set with the last bucket of another, which ends with the same bucket. */
  static Gridded join(Gridded set, Gridded last) {
    var own = new LinkedHashMap<String, Row>();
    last.rows().forEach(r -> own.put(name(r), r));
    int at = set.grid().count() - 1;
    var known = new HashSet<String>();
    var rows = new ArrayList<Row>();
    for (var row : set.rows()) {
      known.add(name(row));
      rows.add(with(row, own.get(name(row)), at));
    }
    for (var row : last.rows()) {
      if (!known.contains(name(row))) {
        var none = row.on(AcrossSeries.constant(at + 1, Double.NaN));
        rows.add(with(none, row, at));
      }
    }
    rows.removeIf(Row::isMissing);
    return new Gridded(set.grid(), rows, set.scalar());
  }

  private static String name(Row row) {
    return row.metric() + row.labels() + row.name();
  }

  private static Row with(Row row, Row last, int at) {
    return row.on(
        put(row.values(), last == null ? null : last.values(), at),
        put(row.low(), last == null ? null : last.low(), at),
        put(row.high(), last == null ? null : last.high(), at));
  }

  private static double[] put(double[] values, double[] last, int at) {
    if (values == null) {
      return null;
    }
    var out = Arrays.copyOf(values, at + 1);
    out[at] = last == null || last.length == 0 ? Double.NaN : last[last.length - 1];
    return out;
  }
}
