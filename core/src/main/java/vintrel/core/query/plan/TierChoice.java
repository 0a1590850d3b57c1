package vintrel.core.query.plan;

import vintrel.core.query.plan.InputRange.Range;
import vintrel.core.query.syntax.Expr;
import vintrel.core.query.syntax.Step;
import vintrel.core.store.Tier;

/**
 * Which tier can answer the first steps on a metric, with the same result as its raw samples.
 *
 * <p>The idea: steps that only rename or shift are passed over; the first one after them decides.
 * It must be one that summaries answer (a mean, a rate, or drawing on the grid), and its grid's
 * buckets or windows must consist of whole buckets of the tier. Of the tiers that fit, the coarsest
 * is read. What is decided here depends on the query and the range alone; whether the series found
 * allow it (kinds, expired samples) is decided when they are known.
 *
 * @param passed steps before the deciding one, still to be done on the result
 * @param step the deciding step, or null if the metric is only drawn on the grid
 * @param next the step after it, or null
 * @param grid that is computed; shifts of the passed steps are not in it
 * @param tier null if none fits
 */
public record TierChoice(int passed, Step step, Step next, Grid grid, Tier tier) {
  /**
   * The choice for a chain on a metric; null if only raw samples do.
   *
   * @param ranges what each step must cover: entry i is the input of step i
   */
  public static TierChoice of(Expr.Chain c, Range[] ranges, Request request) {
    int n = c.steps().size();
    int k = 0;
    long shift = 0;
    while (k < n && Traits.of(c.steps().get(k)).use() == Traits.Use.PASSES) {
      if (c.steps().get(k) instanceof Step.Shift by) {
        var out = ranges[k + 1];
        if (ClockShift.pieces(out.from(), out.to(), by.millis(), request.zone()).size() != 1) {
          return null;
        }
        shift += out.from() - ranges[k].from();
      }
      k++;
    }
    var step = k < n ? c.steps().get(k) : null;
    var traits = step == null ? null : Traits.of(step);
    if (traits != null && traits.use().needsRaw()) {
      return null;
    }
    boolean sums = traits != null && traits.use() == Traits.Use.SUMS;
    boolean slides = traits != null && traits.sliding();
    long fixed = traits == null || slides ? 0 : traits.width();
    long pitch = fixed > 0 ? fixed : request.pitch();
    int after = sums ? k + 1 : k;
    var grid = request.grid(ranges[after].from() - shift, ranges[after].to() - shift, pitch);
    if (shift % pitch != 0 || shift != 0 && grid.edges() != null) {
      return null;
    }
    var tier = coarsest(grid, request);
    if (tier != null && slides) {
      tier = Tier.fitting(tier.pitch(), traits.width());
    }
    if (tier != null && shift % tier.pitch() != 0) {
      return null;
    }
    var next = sums && k + 1 < n ? c.steps().get(k + 1) : null;
    return new TierChoice(k, sums ? step : null, next, grid, tier);
  }

  /** The coarsest tier whose buckets fill a grid's buckets exactly, or null. */
  public static Tier coarsest(Grid grid, Request request) {
    var tier = Tier.fitting(grid.pitch(), request.origin());
    while (tier != null && !grid.at(tier.pitch())) {
      tier = tier.finer();
    }
    return tier;
  }
}
