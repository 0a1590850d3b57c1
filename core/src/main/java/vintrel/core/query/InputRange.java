package vintrel.core.query;

import vintrel.core.model.Band;
import vintrel.core.model.Outliers;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Durations;

/**
 * How far before and after a range a step must see, so that its result for a bucket is the same
 * whatever range the bucket is part of.
 */
final class InputRange {
  private InputRange() {}

  /**
   * What a step needs of its input.
   *
   * @param from inclusive
   * @param to exclusive
   * @param joined also the samples before and after that join with those within
   * @param far also the newest sample before, however long before
   */
  record Range(long from, long to, boolean joined, boolean far) {
    Range(long from, long to) {
      this(from, to, false, false);
    }

    /** The same needs over another range. */
    Range between(long newFrom, long newTo) {
      return new Range(newFrom, newTo, joined, far);
    }

    Range wider(long by) {
      return new Range(from - by, to + by);
    }
  }

  /**
   * What each step of a chain needs: entry i goes into step i, the last is the wanted range.
   *
   * @param metric whether the chain's input is a metric of a store here, so that it can be read as
   *     far as its own samples join; other inputs are read as far as buckets join
   */
  static Range[] through(
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
      out[i] = of(c.steps().get(i), out[i + 1], request, pitch[i]);
      boolean samples = metric && c.steps().subList(0, i).stream().allMatch(InputRange::passes);
      if (!samples && out[i].joined()) {
        // Buckets that begin within the gap must be whole, and those that went into them.
        out[i] = out[i].wider(SampleSource.gap(pitch[i]) + 2 * widestBefore[i]);
      } else if (!samples) {
        out[i] = new Range(out[i].from(), out[i].to());
      }
    }
    return out;
  }

  /** Whether what goes in is as good as what comes out: samples stay samples. */
  private static boolean passes(Step step) {
    return step instanceof Step.Value
        || step instanceof Step.KeepWhen
        || step instanceof Step.Shift
        || step instanceof Step.LabelAs
        || step instanceof Step.UnitIs
        || step instanceof Step.Off;
  }

  /** Whether every sample of the metric goes into a step of a chain, so that it sees all gaps. */
  static boolean seesAll(Expr.Chain c, int at) {
    return c.steps().subList(0, at).stream()
        .allMatch(
            s ->
                passes(s)
                    && !(s instanceof Step.KeepWhen)
                    && !(s instanceof Step.Value v && !v.total()));
  }

  /**
   * @param pitch ms of the buckets that go in; one or two more are read where they may be cut
   */
  private static Range of(Step step, Range out, Request request, long pitch) {
    long from = out.from();
    long to = out.to();
    return switch (step) {
      case Step.Bucketing o when o.sliding() -> new Range(from - o.millis(), to);
      case Step.Bucketing o -> new Range(start(out, o.millis(), pitch, request), to);
      case Step.Rate r -> new Range(start(out, r.every(), pitch, request), to, true, false);
      case Step.Increase i -> new Range(start(out, i.every(), pitch, request), to, true, true);
      case Step.Change c -> {
        long before = c.sliding() ? c.millis() : 0;
        yield new Range(
            start(out, c.sliding() ? 0 : c.millis(), pitch, request) - before, to, true, false);
      }
      case Step.Slope s when s.sliding() -> new Range(from - s.millis(), to);
      case Step.Slope s -> new Range(start(out, s.millis(), pitch, request), to);
      case Step.GapAfter g -> new Range(from - g.millis() - 2 * pitch, to);
      case Step.Smooth s -> new Range(from, to).wider(s.millis() / 2 + pitch);
      case Step.Age a -> {
        long first = start(out, 0, pitch, request);
        yield new Range(first - ageReach(pitch) - pitch, to, false, true);
      }
      case Step.Band b ->
          new Range(
              from
                  - (b.season() == 0
                      ? (Band.TRAILING + 1) * pitch
                      : Band.SEASONS * b.season() + 12 * pitch),
              to);
      case Step.Outliers o -> new Range(from, to).wider((Outliers.BESIDE + 1) * pitch);
      case Step.Shift s ->
          new Range(
              ClockShift.back(from, s.millis(), request.zone()),
              ClockShift.back(to, s.millis(), request.zone()),
              out.joined(),
              out.far());
      case Step.KeepWhen k -> new Range(from, to, out.joined(), false);
      case Step.Value v -> new Range(from, to, out.joined(), out.far() && v.total());
      default -> passes(step) ? out : new Range(from, to);
    };
  }

  /** How old the newest bucket may be for its age to be known, ms; samples may be of any age. */
  static long ageReach(long pitch) {
    return Math.max(Durations.HOUR, 10 * pitch);
  }

  /** Where the first bucket begins that a step lays. */
  private static long start(Range out, long pinned, long pitch, Request request) {
    return request.grid(out.from(), out.from() + 1, pinned > 0 ? pinned : pitch).start();
  }
}
