package vintrel.core.query.syntax;

import java.util.Arrays;
import java.util.regex.Pattern;
import vintrel.core.unit.Quantiles;

/** Many numbers to one: mean, sum, p95, … Missing and infinite numbers are left out. */
public record Reducer(Kind kind, double percentile) {
  public enum Kind {
    MEAN,
    MIN,
    MAX,
    SUM,
    COUNT,
    FIRST,
    LAST,
    MEDIAN,
    STDDEV,
    SPREAD,
    PERCENTILE
  }

  private static final Pattern PERCENTILE = Pattern.compile("p(\\d{1,2}(\\.\\d{1,4})?|100)");

  public static final Reducer MEAN = new Reducer(Kind.MEAN, 0);
  public static final Reducer LAST = new Reducer(Kind.LAST, 0);
  public static final Reducer MAX = new Reducer(Kind.MAX, 0);
  public static final Reducer SUM = new Reducer(Kind.SUM, 0);

  /** The reducer of a word, or null if it is none. */
  public static Reducer of(String word) {
    for (var kind : Kind.values()) {
      if (kind != Kind.PERCENTILE && kind.name().equalsIgnoreCase(word)) {
        return new Reducer(kind, 0);
      }
    }
    var m = PERCENTILE.matcher(word);
    return m.matches() ? new Reducer(Kind.PERCENTILE, Double.parseDouble(m.group(1))) : null;
  }

  public String text() {
    return kind == Kind.PERCENTILE
        ? "p" + Printer.number(percentile)
        : kind.name().toLowerCase(java.util.Locale.ROOT);
  }

  /** The reduction of v[from, to); NaN if nothing is there to reduce, count included. */
  public double apply(double[] v, int from, int to) {
    int n = 0;
    double sum = 0;
    double min = Double.POSITIVE_INFINITY;
    double max = Double.NEGATIVE_INFINITY;
    double first = Double.NaN;
    double last = Double.NaN;
    for (int i = from; i < to; i++) {
      double x = v[i];
      if (!Double.isFinite(x)) {
        continue;
      }
      if (n++ == 0) {
        first = x;
      }
      last = x;
      sum += x;
      min = Math.min(min, x);
      max = Math.max(max, x);
    }
    if (n == 0) {
      return Double.NaN;
    }
    return switch (kind) {
      case MEAN -> Double.isFinite(sum) ? sum / n : mean(v, from, to);
      case MIN -> min;
      case MAX -> max;
      case SUM -> finite(sum);
      case COUNT -> n;
      case FIRST -> first;
      case LAST -> last;
      case SPREAD -> max - min;
      case STDDEV -> deviation(v, from, to, mean(v, from, to), n);
      case MEDIAN -> Quantiles.of(present(v, from, to, n), 0.5);
      case PERCENTILE -> Quantiles.of(present(v, from, to, n), percentile / 100);
    };
  }

  /** A sum that is too large for a double is missing. */
  public static double finite(double sum) {
    return Double.isFinite(sum) ? sum : Double.NaN;
  }

  /**
   * The mean of the finite ones of v[from, to), of which there is one, without a sum that grows.
   */
  public static double mean(double[] v, int from, int to) {
    int n = 0;
    double mean = 0;
    for (int i = from; i < to; i++) {
      if (Double.isFinite(v[i])) {
        n++;
        // Two differences: one of values at both ends of the doubles would be infinite.
        mean += v[i] / n - mean / n;
      }
    }
    return mean;
  }

  /** Population standard deviation, in two passes. */
  private static double deviation(double[] v, int from, int to, double mean, int n) {
    double squares = 0;
    for (int i = from; i < to; i++) {
      if (Double.isFinite(v[i])) {
        squares += (v[i] - mean) * (v[i] - mean);
      }
    }
    return Math.sqrt(squares / n);
  }

  private static double[] present(double[] v, int from, int to, int n) {
    var out = new double[n];
    int at = 0;
    for (int i = from; i < to; i++) {
      if (Double.isFinite(v[i])) {
        out[at++] = v[i];
      }
    }
    Arrays.sort(out);
    return out;
  }

  /** The unit of the result for values of a unit. */
  public String unit(String of) {
    return kind == Kind.COUNT ? "" : of;
  }
}
