package vintrel.core.picture;

/**
 * Where the lines of a picture run, px.
 *
 * @param width of the plot, px
 * @param height of the plot, px
 */
public record PictureInk(Picture picture, int width, int height) implements LimitLabels.Ink {
  @Override
  public boolean in(double left, double right, double top, double bottom) {
    return picture.traces().stream().anyMatch(t -> crosses(t, left, right, top, bottom));
  }

  private boolean crosses(Picture.Trace t, double left, double right, double top, double bottom) {
    var axis = picture.axisOf(t.axis());
    double lastX = Double.NaN;
    double lastY = Double.NaN;
    for (int i = 0; i < t.times().length; i++) {
      double x = width * (double) (t.times()[i] - picture.from()) / (picture.to() - picture.from());
      double y = height * (axis.max() - t.values()[i]) / (axis.max() - axis.min());
      if (Double.isFinite(y)) {
        boolean joined = Double.isFinite(lastY);
        if (segment(joined ? lastX : x, joined ? lastY : y, x, y, left, right, top, bottom)) {
          return true;
        }
      }
      lastX = x;
      lastY = y;
    }
    return false;
  }

  /** Whether a segment, of rising x, comes into a box. */
  private static boolean segment(
      double x0,
      double y0,
      double x1,
      double y1,
      double left,
      double right,
      double top,
      double bottom) {
    if (x1 < left || x0 > right) {
      return false;
    }
    double slope = x1 > x0 ? (y1 - y0) / (x1 - x0) : 0;
    double a = y0 + slope * (Math.max(x0, left) - x0);
    double b = y0 + slope * (Math.min(x1, right) - x0);
    return Math.max(a, b) >= top && Math.min(a, b) <= bottom;
  }
}
