package vintrel.core.frame;

import vintrel.core.series.Labels;

/** A column of a frame; all columns of a frame are equally long. */
public sealed interface Column {
  String name();

  int size();

  Column named(String newName);

  /** The cells of the given rows, in their order; a row below zero gives a missing cell. */
  Column take(int[] rows);

  /** Times, ms since the epoch; {@link Long#MIN_VALUE} if missing. */
  record Time(String name, long[] values) implements Column {
    @Override
    public int size() {
      return values.length;
    }

    @Override
    public Column named(String newName) {
      return new Time(newName, values);
    }

    @Override
    public Column take(int[] rows) {
      var out = new long[rows.length];
      for (int i = 0; i < rows.length; i++) {
        out[i] = rows[i] < 0 ? Long.MIN_VALUE : values[rows[i]];
      }
      return new Time(name, out);
    }
  }

  /**
   * Numbers, NaN if missing.
   *
   * @param low minimum behind each number, or null if there is no envelope
   */
  record Number(
      String name, String unit, Labels labels, double[] values, double[] low, double[] high)
      implements Column {

    /** Numbers of a table: without labels and envelope. */
    public static Number of(String name, String unit, double[] values) {
      return new Number(name, unit, Labels.NONE, values, null, null);
    }

    @Override
    public int size() {
      return values.length;
    }

    @Override
    public Column named(String newName) {
      return new Number(newName, unit, labels, values, low, high);
    }

    @Override
    public Column take(int[] rows) {
      var out = new double[rows.length];
      for (int i = 0; i < rows.length; i++) {
        out[i] = rows[i] < 0 ? Double.NaN : values[rows[i]];
      }
      return new Number(name, unit, labels, out, null, null);
    }
  }

  /** Texts, empty if missing. */
  record Text(String name, String[] values) implements Column {
    @Override
    public int size() {
      return values.length;
    }

    @Override
    public Column named(String newName) {
      return new Text(newName, values);
    }

    @Override
    public Column take(int[] rows) {
      var out = new String[rows.length];
      for (int i = 0; i < rows.length; i++) {
        out[i] = rows[i] < 0 ? "" : values[rows[i]];
      }
      return new Text(name, out);
    }
  }
}
