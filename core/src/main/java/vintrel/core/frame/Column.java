package vintrel.core.frame;

import vintrel.core.series.Labels;

/** A column of a frame; all columns of a frame are equally long. */
public sealed interface Column {
  String name();

  int size();

  /** Times, ms since the epoch. */
  record Time(String name, long[] values) implements Column {
    @Override
    public int size() {
      return values.length;
    }
  }

  /**
   * Numbers, NaN where missing.
   *
   * @param low least value behind each number, or null where there is no envelope
   */
  record Number(
      String name, String unit, Labels labels, double[] values, double[] low, double[] high)
      implements Column {
    @Override
    public int size() {
      return values.length;
    }
  }

  record Text(String name, String[] values) implements Column {
    @Override
    public int size() {
      return values.length;
    }
  }
}
