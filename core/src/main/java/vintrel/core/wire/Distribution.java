package vintrel.core.wire;

import java.util.NavigableSet;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Supplier;

/**
 * One data point of a histogram, an exponential histogram or a summary, on its way to series of
 * numbers: the counters {@code count}, {@code sum} and {@code bucket} (cumulative over the bounds,
 * label le), the gauges {@code min} and {@code max}, and the quantiles of a summary.
 *
 * <p>The buckets of an exponential histogram (base 2^(2^-scale), opentelemetry.io/docs/specs/otel,
 * data model) keep their bounds, but none finer than those of scale {@value #FINEST}, which are 1.1
 * % apart: so the bounds of a series stay the same when a sender changes its scale, since those of
 * a coarser scale are some of those of a finer one.
 */
final class Distribution {
  static final int FINEST = 6;

  /** Buckets of an exponential histogram beyond these would be more than a store wants. */
  static final int MAX_BUCKETS = 2_000;

  static final int MAX_QUANTILES = 200;
  static final String QUANTILES = "a summary with more than " + MAX_QUANTILES + " quantiles";

  /** Takes the numbers. */
  interface Part {
    /**
     * @param suffix of the metric's name, or empty
     * @param label an additional label, or null
     * @param total whether the value only grows
     */
    void put(String suffix, String label, String value, boolean total, double number);

    /**
     * A bound that is put next has no series yet, though others of its histogram have: what fell
     * below it so far is what fell below the next lower one.
     *
     * @param bound as the label le has it
     * @param beside the next lower known bound; if there is none, the lowest
     * @param lower whether that is lower: if not, nothing fell below the new one so far
     */
    void join(String bound, String beside, boolean lower);
  }

  double count = Double.NaN;
  double sum = Double.NaN;
  double min = Double.NaN;
  double max = Double.NaN;
  double[] counts = {};
  double[] bounds = {};
  double[] quantiles = {};
  double[] values = {};
  int scale;
  double zeroCount;
  double zeroThreshold;
  int positiveOffset;
  int negativeOffset;
  double[] positive = {};
  double[] negative = {};

  private void ends(Part out) {
    if (!Double.isNaN(count)) {
      out.put("count", null, null, true, count);
    }
    if (!Double.isNaN(sum)) {
      out.put("sum", null, null, true, sum);
    }
    if (!Double.isNaN(min)) {
      out.put("min", null, null, false, min);
    }
    if (!Double.isNaN(max)) {
      out.put("max", null, null, false, max);
    }
  }

  /** Why a histogram can't be taken, or null: it must have a count for each bucket. */
  String unfit() {
    if (counts.length > MAX_BUCKETS) {
      return "a histogram with more than " + MAX_BUCKETS + " buckets";
    }
    return counts.length == 0 || counts.length == bounds.length + 1
        ? null
        : "histogram with mismatched bounds and counts";
  }

  void histogram(Part out) {
    ends(out);
    double running = 0;
    for (int i = 0; i < counts.length; i++) {
      running += counts[i];
      double bound = i < bounds.length ? bounds[i] : Double.POSITIVE_INFINITY;
      out.put("bucket", "le", OtlpNames.bound(bound), true, running);
    }
  }

  /** Why an exponential histogram can't be taken, or null. */
  String fault() {
    if (scale < -10 || scale > 20) {
      return "an exponential histogram with the scale " + scale + "; scales go from -10 to 20";
    }
    return positive.length > MAX_BUCKETS || negative.length > MAX_BUCKETS
        ? "an exponential histogram with more than " + MAX_BUCKETS + " buckets"
        : null;
  }

  /**
   * @param known gives the bounds that were sent before, to be added to
   * @param delta whether points are differences: counts up to known bounds go on though this point
   *     does not reach them
   */
  void exponential(Part out, Supplier<NavigableSet<Double>> known, boolean delta) {
    ends(out);
    var byBound = new TreeMap<Double, Double>();
    for (int i = 0; i < negative.length; i++) {
      add(byBound, -bound(negativeOffset + i, false), negative[i]);
    }
    if (negative.length > 0) {
      add(byBound, -bound(negativeOffset + negative.length, true), 0);
    }
    if (zeroCount > 0) {
      add(byBound, zeroThreshold, zeroCount);
    }
    for (int i = 0; i < positive.length; i++) {
      add(byBound, bound(positiveOffset + i + 1, true), positive[i]);
    }
    if (positive.length > 0) {
      add(byBound, bound(positiveOffset, false), 0);
    }
    var bounds = known.get();
    var before = new TreeSet<>(bounds);
    if (delta) {
      before.forEach(b -> add(byBound, b, 0));
    }
    if (bounds.size() < MAX_BUCKETS) {
      bounds.addAll(byBound.keySet());
    }
    double running = 0;
    for (var e : byBound.entrySet()) {
      running += e.getValue();
      if (!before.isEmpty() && !before.contains(e.getKey())) {
        var lower = before.lower(e.getKey());
        var beside = lower == null ? before.first() : lower;
        out.join(OtlpNames.bound(e.getKey()), OtlpNames.bound(beside), lower != null);
      }
      out.put("bucket", "le", OtlpNames.bound(e.getKey()), true, running);
    }
    out.put("bucket", "le", "+Inf", true, Double.isNaN(count) ? running : count);
  }

  private static void add(TreeMap<Double, Double> to, double bound, double count) {
    if (Double.isFinite(bound)) {
      to.merge(bound, count, Double::sum);
    }
  }

  /** The lower bound of the bucket with an index, rounded to one of the finest scale. */
  private double bound(int index, boolean up) {
    if (scale <= FINEST) {
      return Math.pow(2, Math.scalb((double) index, -scale));
    }
    int parts = 1 << (scale - FINEST);
    long wide = up ? Math.ceilDiv(index, parts) : Math.floorDiv(index, parts);
    return Math.pow(2, Math.scalb((double) wide, -FINEST));
  }

  void summary(Part out) {
    ends(out);
    for (int i = 0; i < quantiles.length; i++) {
      out.put("", "quantile", OtlpNames.bound(quantiles[i]), false, values[i]);
    }
  }
}
