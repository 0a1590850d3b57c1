package vintrel.core.query.plan;

import vintrel.core.query.syntax.Expr;
import vintrel.core.store.SampleSource;

/**
 * How far before and after a range a step must see, so that its result for a bucket is the same
 * whatever range the bucket is part of.
 */
public final class InputRange {
  private InputRange() {}

  /**
   * What a step needs of its input.
   *
   * @param from inclusive
   * @param to exclusive
   * @param joined also the samples before and after that join with those within
   * @param far also the newest sample before, however long before
   */
  public record Range(long from, long to, boolean joined, boolean far) {
    public Range(long from, long to) {
      this(from, to, false, false);
    }

    /** The same needs over another range. */
    public Range between(long newFrom, long newTo) {
      return new Range(newFrom, newTo, joined, far);
    }

    public Range wider(long by) {
      return new Range(from - by, to + by);
    }
  }

  /**
   * What each step of a chain needs: entry i goes into step i, the last is the wanted range.
   *
   * @param metric whether the chain's input is a metric of a store here, so that it can be read as
   *     far as its own samples join; other inputs are read as far as buckets join
   */
  public static Range[] through(
      Expr.Chain c, boolean metric, long from, long to, Request request, Pitches pitches) {
    int n = c.steps().size();
    var pitch = new long[n + 1];
    pitch[0] = Math.max(pitches.of(c.input()), request.pitch());
    for (int i = 0; i < n; i++) {
      pitch[i + 1] = Math.max(pitches.after(c.steps().get(i), pitch[i]), request.pitch());
    }
    long widest = pitch[0];
    var widestBefore = new long[n];
    for (int i = 0; i < n; i++) {
      widestBefore[i] = widest;
      widest = Math.max(widest, pitch[i + 1]);
    }
    var out = new Range[n + 1];
    out[n] = new Range(from, to);
    for (int i = n - 1; i >= 0; i--) {
      out[i] = Traits.of(c.steps().get(i)).needs().of(out[i + 1], request, pitch[i]);
      boolean samples =
          metric
              && c.steps().subList(0, i).stream().allMatch(s -> Traits.of(s).use().keepsSamples());
      if (!samples && out[i].joined()) {
        // Buckets that begin within the gap must be whole, and those that went into them.
        out[i] = out[i].wider(SampleSource.gap(pitch[i]) + 2 * widestBefore[i]);
      } else if (!samples) {
        out[i] = new Range(out[i].from(), out[i].to());
      }
      long end = Math.max(out[i].from(), Math.min(out[i].to(), request.cap()));
      out[i] = out[i].between(out[i].from(), end);
    }
    return out;
  }
}
