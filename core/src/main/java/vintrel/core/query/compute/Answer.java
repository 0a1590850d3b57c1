package vintrel.core.query.compute;

import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import vintrel.core.query.plan.Advice;
import vintrel.core.query.plan.SeriesSet;

/**
 * The answers of the lines that are shown, in order: series on a grid, or a table.
 *
 * @param aside hidden lines that were asked for by name
 * @param traces what every step and source gave, by identity of its node in the tree
 */
public record Answer(
    List<LineAnswer> lines,
    List<LineAnswer> aside,
    List<Advice> advice,
    Stats stats,
    Map<Object, Trace> traces) {
  /** What a line gave, shown or asked for by name; null if it is neither. */
  public SeriesSet of(String line) {
    return Stream.concat(lines.stream(), aside.stream())
        .filter(l -> l.name().equals(line))
        .findFirst()
        .map(LineAnswer::set)
        .orElse(null);
  }

  public record LineAnswer(String name, SeriesSet set) {}

  /**
   * @param series read from the store
   * @param samples read from the store, or buckets of a tier
   * @param millis of answering, all in all
   * @param planning ms of it to find the series, their kinds and distances
   * @param tier what was read: {@code raw}, a tier's name, or both with a comma
   */
  public record Stats(int series, long samples, double millis, double planning, String tier) {}

  /**
   * What one source or step of the tree gave.
   *
   * @param set its result; a source that a tier answered together with a step has none of its own
   * @param samples read for it, or buckets of a tier
   * @param tier what was read, empty if nothing was
   * @param millis that it took, what is below it left out
   */
  public record Trace(SeriesSet set, long samples, String tier, double millis) {}
}
