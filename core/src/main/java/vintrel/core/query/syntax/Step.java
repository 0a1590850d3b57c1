package vintrel.core.query.syntax;

import java.util.List;
import vintrel.core.frame.Formula;
import vintrel.core.frame.Tables;

/** One operation after a {@code then}. Durations are in ms; 0 means "not given". */
public sealed interface Step {
  SourceSpan span();

  /** Buckets ({@code every}) of a pinned pitch, or a sliding window ({@code over}). */
  record Bucketing(Reducer reducer, boolean sliding, long millis, SourceSpan span)
      implements Step {}

  /** Many series to one per group, on the grid. */
  record Across(Reducer reducer, Grouping grouping, SourceSpan span) implements Step {}

  /**
   * @param perMillis the rate's time unit: a second, minute, hour or day
   * @param every a pinned pitch, or 0
   */
  record Rate(long perMillis, long every, SourceSpan span) implements Step {}

  /** How much a counter grew in each bucket. */
  record Increase(long every, SourceSpan span) implements Step {}

  /** The n series with the largest (smallest) reduction over the range. */
  record Pick(boolean top, int count, Reducer by, SourceSpan span) implements Step {}

  /** Each series' percentage of the total of all, bucket by bucket. */
  record Share(SourceSpan span) implements Step {}

  /** The q-quantile of histograms from the counts in their buckets (label le). */
  record Quantile(double q, Grouping grouping, SourceSpan span) implements Step {}

  /** One number to one number. */
  record Value(Function function, double a, double b, SourceSpan span) implements Step {
    /** Whether every finite value has a finite result. */
    public boolean total() {
      return switch (function) {
        case LN, LOG10, EXP, SQRT -> false;
        default -> true;
      };
    }
  }

  /** Values that do not compare so become missing. */
  record KeepWhen(Expr.Operator operator, double value, SourceSpan span) implements Step {}

  record Fill(Filling filling, double value, SourceSpan span) implements Step {}

  /** The same, so long before. */
  record Shift(long millis, SourceSpan span) implements Step {}

  /** A name for each series; {label} in the template is replaced by that label's value. */
  record LabelAs(String template, SourceSpan span) implements Step {}

  record UnitIs(String unit, SourceSpan span) implements Step {}

  /** How far a value moved within each bucket, or window; whatever its sign. */
  record Change(boolean sliding, long millis, SourceSpan span) implements Step {}

  /**
   * The slope of the straight line that fits best (least squares).
   *
   * @param perMillis the slope's time unit
   * @param millis of the buckets or of the window; 0: the panel's pitch
   */
  record Slope(long perMillis, boolean sliding, long millis, SourceSpan span) implements Step {}

  /** A value holds until the next one, but no longer than this; then there is a gap. */
  record GapAfter(long millis, SourceSpan span) implements Step {}

  /** The running total. */
  record Cumulate(SourceSpan span) implements Step {}

  /** A centred mean, near values weighing more. */
  record Smooth(long millis, SourceSpan span) implements Step {}

  /** Seconds since the newest sample. */
  record Age(SourceSpan span) implements Step {}

  /** Seconds since the time that is the value. */
  record Since(SourceSpan span) implements Step {}

  /**
   * What is usual: expected, lower and upper series for each.
   *
   * @param width standard deviations to each side
   * @param season ms, or 0
   */
  record Band(double width, long season, SourceSpan span) implements Step {}

  /** Where it leads, from the range's end on. */
  record Forecast(long millis, SourceSpan span) implements Step {}

  /** Only unusual values. */
  record Outliers(double limit, SourceSpan span) implements Step {}

  /** A step that is switched off: nothing happens, but it keeps its place. */
  record Off(Step step, SourceSpan span) implements Step {}

  /** A step whose result is a table. */
  sealed interface OnTable extends Step {}

  /** All series in one long table. */
  record Rows(SourceSpan span) implements OnTable {}

  /** A column of times, and one for each series. */
  record Columns(SourceSpan span) implements OnTable {}

  record Aggregate(Reducer reducer, String column) {}

  record GroupBy(List<String> keys, List<Aggregate> aggregates, SourceSpan span)
      implements OnTable {
    public GroupBy {
      keys = List.copyOf(keys);
      aggregates = List.copyOf(aggregates);
    }
  }

  record Sort(String by, boolean descending, SourceSpan span) implements OnTable {}

  record Limit(int rows, SourceSpan span) implements OnTable {}

  record Where(Formula condition, SourceSpan span) implements OnTable {}

  record Rename(String from, String to, SourceSpan span) implements OnTable {}

  record Keep(List<String> columns, SourceSpan span) implements OnTable {
    public Keep {
      columns = List.copyOf(columns);
    }
  }

  record Drop(List<String> columns, SourceSpan span) implements OnTable {
    public Drop {
      columns = List.copyOf(columns);
    }
  }

  record Compute(String name, Formula formula, SourceSpan span) implements OnTable {}

  /** Another line's table beside this one. */
  record Join(String line, List<String> on, Tables.JoinKind kind, SourceSpan span)
      implements OnTable {
    public Join {
      on = List.copyOf(on);
    }
  }

  /** The number of values in each bin. */
  record Bins(int count, SourceSpan span) implements OnTable {}

  /** The number of values in each cell of time spans by bins. */
  record Cells(int spans, int bins, SourceSpan span) implements OnTable {}

  /** A field of a column of JSON texts as a column. */
  record Unpack(List<String> path, String name, SourceSpan span) implements OnTable {
    public Unpack {
      path = List.copyOf(path);
    }
  }

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

    public double apply(double x, double a, double b) {
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
