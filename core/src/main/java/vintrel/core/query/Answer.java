package vintrel.core.query;

import java.util.List;

/** The answers of the lines that are shown, in order, each on a grid. */
public record Answer(List<LineAnswer> lines, List<Advice> advice, Stats stats) {
  public record LineAnswer(String name, SeriesSet set) {}

  /**
   * @param series read from the store
   * @param samples read from the store, or buckets of a tier
   * @param tier what was read: {@code raw}, a tier's name, or both with a comma
   */
  public record Stats(int series, long samples, double millis, String tier) {}
}
