package vintrel.core.store;

import java.util.Arrays;

/** Samples of many series on their way in: three parallel columns. Not thread-safe. */
public final class SampleBatch {
  private int[] series = new int[64];
  private long[] times = new long[64];
  private double[] values = new double[64];
  private int size;

  public void add(int seriesId, long time, double value) {
    if (size == series.length) {
      series = Arrays.copyOf(series, size * 2);
      times = Arrays.copyOf(times, size * 2);
      values = Arrays.copyOf(values, size * 2);
    }
    series[size] = seriesId;
    times[size] = time;
    values[size++] = value;
  }

  /** A new batch of the first n samples. */
  SampleBatch first(int n) {
    var out = new SampleBatch();
    for (int i = 0; i < n; i++) {
      out.add(series[i], times[i], values[i]);
    }
    return out;
  }

  public int size() {
    return size;
  }

  public int series(int i) {
    return series[i];
  }

  public long time(int i) {
    return times[i];
  }

  public double value(int i) {
    return values[i];
  }
}
