package vintrel.server.watch;

import java.util.LinkedHashMap;
import java.util.Map;

/**
 * A first limit from the distribution of what checks found: beyond 99.5 in 100 of them, on the side
 * where the values reach farther from their middle, a deadband of a tenth of the way back to it.
 */
final class ProposedLimit {
  private static final double RARE = 0.005;

  private ProposedLimit() {}

  /**
   * @param sorted values, ascending
   * @return a limit as documents write it, or null without values
   */
  static Map<String, Object> of(double[] sorted) {
    if (sorted.length == 0) {
      return null;
    }
    double low = at(sorted, RARE);
    double middle = at(sorted, 0.5);
    double high = at(sorted, 1 - RARE);
    boolean below = middle - low > 2 * (high - middle);
    double edge = below ? low : high;
    double step = step(Math.max(Math.abs(edge - middle), Math.abs(edge) / 20));
    double limit = below ? Math.floor(edge / step) * step : (Math.floor(edge / step) + 1) * step;
    var out = new LinkedHashMap<String, Object>();
    out.put(below ? "below" : "above", clean(limit, step));
    out.put("priority", "medium");
    double deadband = clean(step(Math.abs(limit - middle)), step / 100);
    if (deadband > 0) {
      out.put("deadband", deadband);
    }
    out.put("on-delay", "1m");
    return out;
  }

  private static double at(double[] sorted, double share) {
    return sorted[(int) Math.round(share * (sorted.length - 1))];
  }

  /** 1, 2 or 5 times a power of ten, about a tenth of a length. */
  private static double step(double length) {
    if (!(length > 0) || Double.isInfinite(length)) {
      return 1;
    }
    double power = Math.pow(10, Math.floor(Math.log10(length / 10)));
    double times = length / 10 / power;
    return power * (times < 2 ? 1 : times < 5 ? 2 : 5);
  }

  /** Without the dust of binary fractions. */
  private static double clean(double v, double step) {
    int digits = (int) Math.clamp(Math.ceil(-Math.log10(step)) + 1, 0, 12);
    double ten = Math.pow(10, digits);
    double whole = Math.rint(v * ten);
    return Double.isFinite(whole) ? whole / ten : v;
  }
}
