package vintrel.core.query;

import vintrel.core.model.Band;
import vintrel.core.unit.Spans;

/** How far before and after a range a step must see to answer for that range. */
final class Reach {
  private Reach() {}

  /** What a step needs of what goes into it: [from, to). */
  record Range(long from, long to) {}

  static Range of(Step step, Range out, Request request) {
    long from = out.from();
    long to = out.to();
    return switch (step) {
      case Step.OverTime o when o.sliding() -> new Range(from - o.millis(), to);
      case Step.OverTime o -> bucket(out, o.millis(), request);
      case Step.Rate r -> new Range(from - lookBack(request, r.every()), to);
      case Step.Increase i -> new Range(from - lookBack(request, i.every()), to);
      case Step.Change c -> new Range(from - lookBack(request, c.millis()) - c.millis(), to);
      case Step.Slope s when s.sliding() -> new Range(from - s.millis(), to);
      case Step.Slope s -> s.millis() == 0 ? out : bucket(out, s.millis(), request);
      case Step.GapAfter g -> new Range(from - g.millis() - request.pitch(), to);
      case Step.Smooth s ->
          new Range(from - s.millis() / 2 - request.pitch(), to + s.millis() / 2 + request.pitch());
      case Step.Age a -> new Range(from - Math.max(Spans.HOUR, 10 * request.pitch()), to);
      case Step.Band b ->
          new Range(
              from
                  - (b.season() == 0
                      ? Band.TRAILING * request.pitch()
                      : Band.SEASONS * b.season() + 6 * request.pitch()),
              to);
      case Step.Shift s -> new Range(from - s.millis(), to - s.millis());
      default -> out;
    };
  }

  private static Range bucket(Range out, long pitch, Request request) {
    return new Range(request.grid(out.from(), out.from() + 1, pitch).start(), out.to());
  }

  private static long lookBack(Request request, long every) {
    return Math.max(5 * Spans.MINUTE, 2 * Math.max(request.pitch(), every));
  }
}
