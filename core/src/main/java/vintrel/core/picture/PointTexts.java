package vintrel.core.picture;

import vintrel.core.unit.Units;

/**
 * What the pointer tells of the points of a picture. The numbers on an axis are written alike, so
 * that they can be compared at a glance; those of a trace lie in one text, which costs a page less
 * than a text for each. Immutable.
 *
 * @param scale of the numbers
 */
public record PointTexts(Units.Scale scale) {
  /** Between the texts of two points; in none of them. */
  public static final char BETWEEN = '|';

  private static final int USUAL_LENGTH = 6;
  private static final int MOST_DIGITS = 9;
  private static final Units.Scale PERCENT = Units.scale(100, 0, "%").decimals(1);

  /**
   * For the traces on an axis: three digits of the greatest, at least two after the point, and so
   * many that they keep apart what the axis does; but none where all are whole numbers that need no
   * prefix. What is small among them keeps three digits of its own.
   */
  public static PointTexts of(Picture picture, int axis) {
    double size = 0;
    boolean whole = true;
    for (var t : picture.traces()) {
      if (t.axis() != axis) {
        continue;
      }
      for (double end : new double[] {t.readout().max(), t.readout().min()}) {
        size = Double.isNaN(end) ? size : Math.max(size, Math.abs(end));
      }
      whole &= t.readout().whole();
    }
    var scale = Units.scale(size == 0 ? 1 : size, 0, picture.unitOf(axis));
    boolean exact = whole && scale.divisor() == 1 && scale.decimals() == 0;
    if (exact) {
      return new PointTexts(scale);
    }
    double step = picture.stepOf(axis);
    int apart = step > 0 ? 1 + (int) Math.ceil(-Math.log10(step / scale.divisor()) - 1e-9) : 0;
    int digits = Math.max(Math.max(2, scale.decimals()), Math.min(apart, MOST_DIGITS));
    return new PointTexts(scale.decimals(digits));
  }

  /** Of each value its text without the unit; nothing for one that is missing. */
  public String values(double[] values) {
    return join(values.length, (i, out) -> number(values[i], out));
  }

  /** Of each bucket "least to greatest", where they differ; else nothing. */
  public String ranges(double[] low, double[] high) {
    return join(
        low.length,
        (i, out) -> {
          if (high[i] > low[i]) {
            number(low[i], out);
            number(high[i], out.append(" to "));
          }
        });
  }

  /** Of each percentage its text with its sign; nothing for one that is missing. */
  public static String shares(double[] percentages) {
    return join(
        percentages.length,
        (i, out) -> {
          if (!Double.isNaN(percentages[i])) {
            PERCENT.number(percentages[i], out);
            out.append(PERCENT.suffix());
          }
        });
  }

  private void number(double v, StringBuilder out) {
    if (!Double.isNaN(v)) {
      scale.significant(v, out);
    }
  }

  private interface Piece {
    void write(int i, StringBuilder out);
  }

  private static String join(int n, Piece piece) {
    var out = new StringBuilder(n * USUAL_LENGTH);
    for (int i = 0; i < n; i++) {
      if (i > 0) {
        out.append(BETWEEN);
      }
      piece.write(i, out);
    }
    return out.toString();
  }
}
