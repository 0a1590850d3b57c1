package vintrel.core.model;

/** Order statistics in linear time (Hoare, "Algorithm 65: find", CACM 1961). */
final class Select {
  private Select() {}

  /**
   * As {@link vintrel.core.unit.Quantiles#of}, of the first n values, which it moves about.
   *
   * @param values without NaN
   * @return NaN of nothing
   */
  static double quantile(double[] values, int n, double q) {
    if (n == 0) {
      return Double.NaN;
    }
    double rank = q * (n - 1);
    int low = (int) rank;
    double below = nth(values, n, low);
    double part = rank - low;
    if (part == 0) {
      return below;
    }
    // What is right of its place is not less; the next one is the least of it.
    double above = values[low + 1];
    for (int i = low + 2; i < n; i++) {
      above = Math.min(above, values[i]);
    }
    return below * (1 - part) + above * part;
  }

  private static double nth(double[] v, int n, int k) {
    int from = 0;
    int to = n - 1;
    while (from < to) {
      double pivot = middle(v[from], v[(from + to) >>> 1], v[to]);
      int i = from;
      int j = to;
      while (i <= j) {
        while (v[i] < pivot) {
          i++;
        }
        while (v[j] > pivot) {
          j--;
        }
        if (i <= j) {
          double held = v[i];
          v[i++] = v[j];
          v[j--] = held;
        }
      }
      if (k <= j) {
        to = j;
      } else if (k >= i) {
        from = i;
      } else {
        return v[k];
      }
    }
    return v[k];
  }

  private static double middle(double a, double b, double c) {
    return Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));
  }
}
