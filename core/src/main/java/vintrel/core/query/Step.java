package vintrel.core.query;

/** One operation after a {@code then}. Durations are in ms; 0 stands for "not given". */
public sealed interface Step {
  Span span();

  /** Buckets ({@code every}) of a pinned pitch, or a sliding window ({@code over}). */
  record OverTime(Reducer reducer, boolean sliding, long millis, Span span) implements Step {}

  /** Many series to one per group, on the grid. */
  record Across(Reducer reducer, Grouping grouping, Span span) implements Step {}

  /**
   * @param perMillis the rate's time unit: a second, minute, hour or day
   * @param every a pinned pitch, or 0
   */
  record Rate(long perMillis, long every, Span span) implements Step {}

  /** How much a counter grew in each bucket. */
  record Increase(long every, Span span) implements Step {}

  /** The n series with the largest (smallest) reduction over the range. */
  record Pick(boolean top, int count, Reducer by, Span span) implements Step {}

  /** Each series' percentage of the total of all, bucket by bucket. */
  record Share(Span span) implements Step {}

  /** The q-quantile of histograms from the counts in their buckets (label le). */
  record Quantile(double q, Grouping grouping, Span span) implements Step {}

  /** One number to one number. */
  record Value(Function function, double a, double b, Span span) implements Step {}

  /** Values that do not compare so become missing. */
  record KeepWhen(Expr.Operator operator, double value, Span span) implements Step {}

  record Fill(Filling filling, double value, Span span) implements Step {}

  /** The same, so long before. */
  record Shift(long millis, Span span) implements Step {}

  /** A name for each series; {label} in the template stands for that label's value. */
  record LabelAs(String template, Span span) implements Step {}

  record UnitIs(String unit, Span span) implements Step {}

  enum Filling {
    NUMBER,
    PREVIOUS,
    LINEAR
  }

  enum Function {
    ABS,
    ROUND,
    FLOOR,
    CEIL,
    LN,
    LOG10,
    EXP,
    SQRT,
    TIMES,
    CLAMP;

    double apply(double x, double a, double b) {
      return switch (this) {
        case ABS -> Math.abs(x);
        case ROUND -> Math.rint(x);
        case FLOOR -> Math.floor(x);
        case CEIL -> Math.ceil(x);
        case LN -> x > 0 ? Math.log(x) : Double.NaN;
        case LOG10 -> x > 0 ? Math.log10(x) : Double.NaN;
        case EXP -> Math.exp(x);
        case SQRT -> x >= 0 ? Math.sqrt(x) : Double.NaN;
        case TIMES -> x * a;
        case CLAMP -> Math.max(a, Math.min(b, x));
      };
    }

    String text() {
      return name().toLowerCase(java.util.Locale.ROOT);
    }
  }
}
