package vintrel.core.query;

import vintrel.core.model.Band;
import vintrel.core.model.Outliers;
import vintrel.core.store.SampleSource;
import vintrel.core.unit.Spans;

/**
 * How far before and after a range a step must see, so that its result for a bucket is the same
 * whatever range the bucket is part of.
 */
final class Reach {
  private Reach() {}

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
  static Range[] through(Expr.Chain c, boolean metric, long from, long to, Request request) {
    int n = c.steps().size();
    var out = new Range[n + 1];
    out[n] = new Range(from, to);
    long widest = request.pitch();
    for (var step : c.steps()) {
      widest = Math.max(widest, Pins.of(step));
    }
    long gap = SampleSource.gap(widest);
    for (int i = n - 1; i >= 0; i--) {
      var step = c.steps().get(i);
      if (out[i + 1].joined() && !passes(step)) {
        out[i + 1] = out[i + 1].wider(gap);
      }
      out[i] = of(step, out[i + 1], request);
    }
    if (!metric && out[0].joined()) {
      out[0] = out[0].wider(gap);
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

  private static Range of(Step step, Range out, Request request) {
    long from = out.from();
    long to = out.to();
    return switch (step) {
      case Step.OverTime o when o.sliding() -> new Range(from - o.millis(), to);
      case Step.OverTime o -> bucket(out, o.millis(), request);
      case Step.Rate r -> new Range(start(out, r.every(), request), to, true, false);
      case Step.Increase i -> new Range(start(out, i.every(), request), to, true, true);
      case Step.Change c -> {
        long before = c.sliding() ? c.millis() : 0;
        yield new Range(
            start(out, c.sliding() ? 0 : c.millis(), request) - before, to, true, false);
      }
      case Step.Slope s when s.sliding() -> new Range(from - s.millis(), to);
      case Step.Slope s -> s.millis() == 0 ? out : bucket(out, s.millis(), request);
      case Step.GapAfter g -> new Range(from - g.millis() - request.pitch(), to);
      case Step.Smooth s ->
          new Range(from - s.millis() / 2 - request.pitch(), to + s.millis() / 2 + request.pitch());
      case Step.Age a -> new Range(from - ageReach(request), to, false, true);
      case Step.Band b ->
          new Range(
              from
                  - (b.season() == 0
                      ? Band.TRAILING * request.pitch()
                      : Band.SEASONS * b.season() + 6 * request.pitch()),
              to);
      case Step.Outliers o -> new Range(from, to).wider(Outliers.BESIDE * request.pitch());
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

  /** How old the newest bucket may be whose age is told, ms; samples may be of any age. */
  static long ageReach(Request request) {
    return Math.max(Spans.HOUR, 10 * request.pitch());
  }

  private static Range bucket(Range out, long pitch, Request request) {
    return new Range(start(out, pitch, request), out.to());
  }

  private static long start(Range out, long pinned, Request request) {
    long pitch = pinned > 0 ? pinned : request.pitch();
    return request.grid(out.from(), out.from() + 1, pitch).start();
  }
}
