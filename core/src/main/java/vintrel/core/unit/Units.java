package vintrel.core.unit;

import java.util.Locale;

/**
 * Inference and reading of units, which are UCUM codes; an empty code means "not known".
 *
 * <p>Bytes are scaled by powers of 1000 (kB, MB), seconds into ms, min, h and d, pure numbers by k,
 * M, G. An annotation in braces is read without them.
 */
public final class Units {
  private static final String[] UP = {"", "k", "M", "G", "T", "P"};

  private Units() {}

  /** How numbers of one size are written: value / divisor, with so many decimals, and a suffix. */
  public record Scale(double divisor, int decimals, String suffix) {
    public String format(double value) {
      if (Double.isNaN(value)) {
        return "–";
      }
      if (Double.isInfinite(value)) {
        return value > 0 ? "+∞" : "−∞";
      }
      var text = String.format(Locale.ROOT, "%." + decimals + "f", value / divisor);
      if (text.startsWith("-") && text.chars().allMatch(c -> c == '-' || c == '0' || c == '.')) {
        text = text.substring(1);
      }
      return text.replace('-', '−') + suffix;
    }
  }

  public static boolean known(String unit) {
    return unit != null && !unit.isEmpty();
  }

  /** True for a pure number, or a unit that is not known. */
  public static boolean plain(String unit) {
    return !known(unit) || unit.equals("1");
  }

  /** The unit of a rate: By, 60 s → By/min. */
  public static String per(String unit, long millis) {
    String time =
        switch ((int) (millis / 1000)) {
          case 1 -> "s";
          case 60 -> "min";
          case 3600 -> "h";
          case 86400 -> "d";
          default -> throw new IllegalArgumentException("no unit for a rate per " + millis + " ms");
        };
    return (known(unit) ? unit : "1") + "/" + time;
  }

  public static String times(String a, String b) {
    return plain(a) ? (plain(b) ? number(a, b) : b) : plain(b) ? a : a + "." + b;
  }

  /** A pure number stays one; of two that are not known nothing is known. */
  private static String number(String a, String b) {
    return known(a) || known(b) ? "1" : "";
  }

  public static String over(String a, String b) {
    if (plain(b)) {
      return plain(a) ? number(a, b) : a;
    }
    return a.equals(b) ? "1" : (plain(a) ? "1" : a) + "/" + b;
  }

  /** True where adding the two is sensible: like units, or one not known. */
  public static boolean alike(String a, String b) {
    return plain(a) || plain(b) || a.equals(b);
  }

  /** One value with its unit, to about three significant digits. */
  public static String format(double value, String unit) {
    return scale(Math.abs(value), 0, unit).format(value);
  }

  /**
   * The scale for values up to a size.
   *
   * @param size the largest absolute value
   * @param step the distance of neighbouring values that must stay apart; 0: three digits
   */
  public static Scale scale(double size, double step, String unit) {
    String u = unit == null ? "" : unit;
    if (u.equals("s") || u.equals("ms")) {
      return timeScale(size, step, u.equals("ms") ? 1e-3 : 1);
    }
    boolean ratio = u.startsWith("%") || u.equals("Cel") || u.startsWith("deg");
    double divisor = 1;
    String prefix = "";
    if (!ratio && Double.isFinite(size)) {
      int power = 0;
      while (power < UP.length - 1 && size / divisor >= (u.startsWith("By") ? 1000 : 10_000)) {
        divisor = Math.pow(1000, ++power);
      }
      prefix = UP[power];
    }
    return new Scale(divisor, decimals(size / divisor, step / divisor), suffix(prefix, u));
  }

  private static Scale timeScale(double size, double step, double unitSeconds) {
    double seconds = size * unitSeconds;
    double[] sizes = {86400, 3600, 60, 1, 1e-3, 1e-6};
    String[] names = {" d", " h", " min", " s", " ms", " µs"};
    double[] from = {2 * 86400, 2 * 3600, 120, 1, 1e-3, 0};
    for (int i = 0; i < sizes.length; i++) {
      if (seconds >= from[i] && (seconds > 0 || sizes[i] == 1)) {
        double divisor = sizes[i] / unitSeconds;
        return new Scale(divisor, decimals(size / divisor, step / divisor), names[i]);
      }
    }
    return new Scale(1 / unitSeconds, 0, " s");
  }

  private static int decimals(double size, double step) {
    if (step > 0) {
      int d = 0;
      while (d < 6 && Math.abs(step * Math.pow(10, d) - Math.rint(step * Math.pow(10, d))) > 1e-6) {
        d++;
      }
      return d;
    }
    if (size == 0 || !Double.isFinite(size) || (size == Math.rint(size) && size < 10_000)) {
      return 0;
    }
    return size >= 100 ? 0 : size >= 10 ? 1 : size >= 1 ? 2 : size >= 0.1 ? 3 : 4;
  }

  private static String suffix(String prefix, String unit) {
    String u =
        unit.replace("{", "")
            .replace("}", "")
            .replaceFirst("^By", "B")
            .replace("Cel", "°C")
            .replaceFirst("^1/", "/");
    if (u.equals("1")) {
      u = "";
    }
    if (prefix.isEmpty() && u.isEmpty()) {
      return "";
    }
    if (u.startsWith("/") || u.isEmpty()) {
      return (prefix.isEmpty() ? " " : " " + prefix) + u;
    }
    return u.startsWith("%")
        ? " " + u
        : u.startsWith("B") ? " " + prefix + u : (prefix.isEmpty() ? "" : " " + prefix) + " " + u;
  }

  /** The unit alone, as read: °C, B/s. */
  public static String words(String unit) {
    return suffix("", unit == null ? "" : unit).strip();
  }
}
