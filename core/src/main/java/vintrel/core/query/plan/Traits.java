package vintrel.core.query.plan;

import vintrel.core.model.Band;
import vintrel.core.model.Outliers;
import vintrel.core.query.plan.InputRange.Range;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Query;
import vintrel.core.query.syntax.Step;
import vintrel.core.query.syntax.Trees;
import vintrel.core.unit.Durations;

/**
 * What planning needs to know of a step: every kind of step has its traits here and nowhere else. A
 * new kind of step does not compile until it has them.
 *
 * @param use what it does with the samples that go in
 * @param makesBuckets whether it computes buckets from samples itself, reading each one whole
 * @param sliding whether {@code width} is that of a sliding window, not of buckets
 * @param width of the buckets or of the window that its text fixes, ms; 0: none
 * @param needs the input range that it needs for an output range
 */
public record Traits(Use use, boolean makesBuckets, boolean sliding, long width, Needs needs) {

  /** What a step does with raw samples. */
  public enum Use {
    /** Values do not matter to it. */
    PASSES,
    /** Changes each sample's value; every sample has one after it. */
    CHANGES,
    /** Samples may be missing after it. */
    FILTERS,
    /** Looks at each sample. */
    READS,
    /** Computes each bucket from what a tier's summaries hold. */
    SUMS,
    /** Works on buckets. */
    NEEDS_GRID;

    /** Whether samples that go in come out as samples. */
    public boolean keepsSamples() {
      return this == PASSES || this == CHANGES || this == FILTERS;
    }

    /** Whether every sample that goes in comes out. */
    public boolean losesNone() {
      return this == PASSES || this == CHANGES;
    }

    /** Whether only raw samples serve, no summary of them. */
    public boolean needsRaw() {
      return this == CHANGES || this == FILTERS || this == READS;
    }
  }

  /** The range of a step's input, from the range of its output. */
  @FunctionalInterface
  public interface Needs {
    /**
     * @param pitch ms of the buckets that go in; one or two more are read if they may be cut
     */
    Range of(Range out, Request request, long pitch);
  }

  private static final Needs SAME = (out, request, pitch) -> new Range(out.from(), out.to());
  private static final Needs WHATEVER = (out, request, pitch) -> out;

  public static Traits of(Step step) {
    return switch (step) {
      case Step.Bucketing o when o.sliding() ->
          buckets(Use.SUMS, true, o.millis(), window(o.millis()));
      case Step.Bucketing o ->
          buckets(Use.SUMS, false, o.millis(), whole(o.millis(), false, false));
      case Step.Rate r -> buckets(Use.SUMS, false, r.every(), whole(r.every(), true, false));
      case Step.Increase i -> buckets(Use.SUMS, false, i.every(), whole(i.every(), true, true));
      case Step.Change c when c.sliding() ->
          buckets(Use.READS, true, c.millis(), earlier(whole(0, true, false), c.millis()));
      case Step.Change c -> buckets(Use.READS, false, c.millis(), whole(c.millis(), true, false));
      case Step.Slope s when s.sliding() ->
          buckets(Use.READS, true, s.millis(), window(s.millis()));
      case Step.Slope s -> buckets(Use.READS, false, s.millis(), whole(s.millis(), false, false));
      case Step.Age a -> other(Use.READS, Traits::ofAge);
      case Step.OnTable t -> other(Use.READS, SAME);
      case Step.Value v ->
          other(
              v.total() ? Use.CHANGES : Use.FILTERS,
              (out, request, pitch) ->
                  new Range(out.from(), out.to(), out.joined(), out.far() && v.total()));
      case Step.KeepWhen k ->
          other(
              Use.FILTERS,
              (out, request, pitch) -> new Range(out.from(), out.to(), out.joined(), false));
      case Step.Shift s -> other(Use.PASSES, shift(s.millis()));
      case Step.LabelAs l -> other(Use.PASSES, WHATEVER);
      case Step.UnitIs u -> other(Use.PASSES, WHATEVER);
      case Step.Off off -> other(Use.PASSES, WHATEVER);
      case Step.GapAfter g ->
          other(
              Use.NEEDS_GRID,
              (out, request, pitch) -> new Range(out.from() - g.millis() - 2 * pitch, out.to()));
      case Step.Smooth s ->
          other(Use.NEEDS_GRID, (out, request, pitch) -> out.wider(s.millis() / 2 + pitch));
      case Step.Outliers o ->
          other(Use.NEEDS_GRID, (out, request, pitch) -> out.wider((Outliers.BESIDE + 1) * pitch));
      case Step.Band b -> other(Use.NEEDS_GRID, band(b.season()));
      case Step.Across a -> other(Use.NEEDS_GRID, SAME);
      case Step.Pick p -> other(Use.NEEDS_GRID, SAME);
      case Step.Share s -> other(Use.NEEDS_GRID, SAME);
      case Step.Quantile q -> other(Use.NEEDS_GRID, SAME);
      case Step.Fill f -> other(Use.NEEDS_GRID, SAME);
      case Step.Cumulate c -> other(Use.NEEDS_GRID, SAME);
      case Step.Since s -> other(Use.NEEDS_GRID, SAME);
      case Step.Forecast f -> other(Use.NEEDS_GRID, SAME);
    };
  }

  /** Whether what it gives for a bucket may depend on all the others of the range. */
  public boolean ofWholeRange() {
    return use == Use.NEEDS_GRID && needs == SAME;
  }

  /** The longest bucket or window that a query's text fixes, ms, or 0. */
  public static long longestWidth(Query query) {
    long[] longest = {0};
    for (var line : query.lines()) {
      Trees.steps(line.expr(), s -> longest[0] = Math.max(longest[0], of(s).width()));
    }
    return longest[0];
  }

  /** Whether every sample of a metric reaches a step of a chain, so that it sees all gaps. */
  public static boolean seesAll(Expr.Chain c, int at) {
    return c.steps().subList(0, at).stream().allMatch(s -> of(s).use().losesNone());
  }

  /** How old the newest bucket may be for its age to be known, ms; samples may be of any age. */
  public static long ageReach(long pitch) {
    return Math.max(Durations.HOUR, 10 * pitch);
  }

  private static Traits buckets(Use use, boolean sliding, long width, Needs needs) {
    return new Traits(use, true, sliding, width, needs);
  }

  private static Traits other(Use use, Needs needs) {
    return new Traits(use, false, false, 0, needs);
  }

  private static Needs window(long millis) {
    return (out, request, pitch) -> new Range(out.from() - millis, out.to());
  }

  /** Whole buckets, from the start of the first. */
  private static Needs whole(long width, boolean joined, boolean far) {
    return (out, request, pitch) ->
        new Range(firstBucket(out, width, pitch, request), out.to(), joined, far);
  }

  private static Needs earlier(Needs needs, long millis) {
    return (out, request, pitch) -> {
      var range = needs.of(out, request, pitch);
      return range.between(range.from() - millis, range.to());
    };
  }

  private static Range ofAge(Range out, Request request, long pitch) {
    long first = firstBucket(out, 0, pitch, request);
    return new Range(first - ageReach(pitch) - pitch, out.to(), false, true);
  }

  private static Needs shift(long millis) {
    return (out, request, pitch) -> {
      var zone = request.zone();
      long from = ClockShift.back(out.from(), millis, zone);
      long to = ClockShift.back(out.to(), millis, zone);
      // The end itself belongs to what comes after it, where clocks may have changed.
      for (var piece : ClockShift.pieces(out.from(), out.to(), millis, zone)) {
        from = Math.min(from, piece.from() - piece.by());
        to = Math.max(to, piece.to() - piece.by());
      }
      return out.between(from, to);
    };
  }

  private static Needs band(long season) {
    return (out, request, pitch) -> {
      long before = season == 0 ? (Band.TRAILING + 1) * pitch : Band.SEASONS * season + 12 * pitch;
      return new Range(out.from() - before, out.to());
    };
  }

  /** Where the first bucket begins that a step makes. */
  private static long firstBucket(Range out, long fixed, long pitch, Request request) {
    return request.grid(out.from(), out.from() + 1, fixed > 0 ? fixed : pitch).start();
  }
}
