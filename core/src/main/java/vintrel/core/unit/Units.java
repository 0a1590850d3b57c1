package vintrel.core.unit;

import java.math.BigDecimal;
import java.math.MathContext;
import java.util.Currency;
import java.util.HashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Set;

/**
 * Inference and reading of units, which are UCUM codes; an empty code means "not known".
 *
 * <p>Bytes are scaled by powers of 1000 (kB, MB), seconds into ms, min, h and d, pure numbers by k,
 * M, G. An annotation in braces is read without them. Codes of ISO 4217 are amounts of money: up to
 * 10,000 they have the digits of their currency.
 */
public final class Units {
  /** Ends that differ by a smaller share of them need more digits. */
  private static final double NEAR = 0.02;

  private static final MathContext THREE_DIGITS = new MathContext(3);
  private static final String[] UP = {"", "k", "M", "G", "T", "P"};

  private static final Map<String, String> WORDS = words();
  private static final Map<String, Integer> CURRENCIES = currencies();

  /** Codes of UCUM that look like words. */
  private static final Set<String> CODES = Set.of("kbit", "mbar", "kcal", "mmol");

  private Units() {}

  private static Map<String, String> words() {
    var out = new HashMap<String, String>();
    var pairs =
        """
        s second seconds sec secs
        ms millisecond milliseconds millis msec
        us microsecond microseconds micros
        ns nanosecond nanoseconds nanos
        min minute minutes
        h hour hours
        d day days
        By B byte bytes
        kBy kilobyte kilobytes
        MBy megabyte megabytes
        GBy gigabyte gigabytes
        KiBy kibibyte kibibytes
        MiBy mebibyte mebibytes
        GiBy gibibyte gibibytes
        bit bits
        Cel celsius degc
        1 ratio
        % percent
        m meter meters metre metres
        V volt volts
        A ampere amperes
        J joule joules
        W watt watts
        Hz hertz
        g gram grams
        Pa pascal pascals
        """;
    for (var line : pairs.strip().split("\n")) {
      var words = line.strip().split(" ");
      for (int i = 1; i < words.length; i++) {
        out.put(words[i], words[0]);
      }
    }
    return Map.copyOf(out);
  }

  /** How numbers of one size are written: value / divisor, rounded to decimals, and a suffix. */
  public record Scale(double divisor, int decimals, String suffix) {
    private static final double[] TENS = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9};

    /** So large, and so near to a half of the last digit, numbers are rounded the long way. */
    private static final double LARGE = 1e9;

    private static final double NEAR = 1e-5;

    /** Digits after the point of the smallest values. */
    private static final int MOST = 15;

    /** With other digits after the point. */
    public Scale decimals(int others) {
      return new Scale(divisor, others, suffix);
    }

    public String format(double value) {
      if (Double.isNaN(value)) {
        return "–";
      }
      var out = new StringBuilder();
      number(value, out);
      return Double.isInfinite(value) ? out.toString() : out.append(suffix).toString();
    }

    /**
     * As {@link #number}, but with so many more digits after the point that a small value has three
     * that count.
     */
    public void significant(double value, StringBuilder out) {
      double size = Math.abs(value / divisor);
      int more = decimals;
      if (size > 0 && size * Math.pow(10, decimals) < 100) {
        more = Math.min(MOST, 2 - (int) Math.floor(Math.log10(threeDigits(size))));
      }
      decimals(more).number(value, out);
      for (; more > decimals && out.charAt(out.length() - 1) == '0'; more--) {
        out.setLength(out.length() - 1);
      }
      if (out.charAt(out.length() - 1) == '.') {
        out.setLength(out.length() - 1);
      }
    }

    /** Writes a number without the suffix; half of the last digit is rounded away from zero. */
    public void number(double value, StringBuilder out) {
      if (Double.isInfinite(value)) {
        out.append(value > 0 ? "+∞" : "−∞");
        return;
      }
      double size = Math.abs(value / divisor);
      double digits = decimals < TENS.length ? size * TENS[decimals] : LARGE;
      double under = Math.floor(digits);
      if (digits >= LARGE || Math.abs(digits - under - 0.5) < NEAR) {
        slowly(value / divisor, out);
        return;
      }
      long all = (long) under + (digits - under > 0.5 ? 1 : 0);
      long unit = (long) TENS[decimals];
      if (value < 0 && all > 0) {
        out.append('−');
      }
      out.append(all / unit);
      if (decimals > 0) {
        out.append('.');
        long rest = all % unit;
        for (long place = unit / 10; place > 0; place /= 10) {
          out.append((char) ('0' + rest / place % 10));
        }
      }
    }

    private void slowly(double scaled, StringBuilder out) {
      var text = String.format(Locale.ROOT, "%." + decimals + "f", scaled);
      if (text.startsWith("-") && text.chars().allMatch(c -> c == '-' || c == '0' || c == '.')) {
        text = text.substring(1);
      }
      out.append(text.replace('-', '−'));
    }
  }

  /**
   * The UCUM code of a unit as senders write it: codes stay, words that are common become theirs
   * (seconds, bytes), others become annotations (requests: {requests}).
   */
  public static String canonical(String sent) {
    var unit = sent == null ? "" : sent.strip();
    int slash = unit.indexOf('/');
    if (slash > 0 && !unit.startsWith("{")) {
      return canonical(unit.substring(0, slash)) + "/" + canonical(unit.substring(slash + 1));
    }
    var code = WORDS.get(unit.length() > 2 ? unit.toLowerCase(Locale.ROOT) : unit);
    if (code != null) {
      return code;
    }
    return unit.matches("[a-z_]{4,}") && !CODES.contains(unit) ? "{" + unit + "}" : unit;
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

  /** The unit of a product: By/s, s → By. */
  public static String times(String a, String b) {
    return plain(a) && plain(b) ? number(a, b) : UnitProduct.of(a).times(UnitProduct.of(b)).text();
  }

  /** A pure number stays one; of two that are not known nothing is known. */
  private static String number(String a, String b) {
    return known(a) || known(b) ? "1" : "";
  }

  /** The unit of a quotient: By/s, By/min → min/s. */
  public static String over(String a, String b) {
    return plain(a) && plain(b) ? number(a, b) : UnitProduct.of(a).over(UnitProduct.of(b)).text();
  }

  /** True if adding the two is sensible: like units, or one not known. */
  public static boolean alike(String a, String b) {
    return plain(a) || plain(b) || a.equals(b);
  }

  /** One value with its unit, to about three significant digits. */
  public static String format(double value, String unit) {
    return scale(Math.abs(value), 0, unit).format(value);
  }

  /** From one value to another, both in the unit of the greater: 0.888 to 1.66 kB. */
  public static String range(double low, double high, String unit) {
    var scale = scale(Math.max(Math.abs(low), Math.abs(high)), 0, unit);
    double apart = (high - low) / scale.divisor();
    boolean near = high > low && high - low < NEAR * Math.max(Math.abs(low), Math.abs(high));
    int least = near ? (int) Math.ceil(-Math.log10(apart)) + 1 : 0;
    scale = scale.decimals(Math.max(scale.decimals(), Math.clamp(least, 0, 9)));
    var out = new StringBuilder();
    scale.significant(low, out);
    out.append(" to ");
    scale.significant(high, out);
    return Double.isInfinite(high) ? out.toString() : out.append(scale.suffix()).toString();
  }

  /**
   * One value of several, with as many digits as keep those apart that differ by a step.
   *
   * @param step the distance of neighbouring ticks of their axis, or 0
   */
  public static String format(double value, double step, String unit) {
    var own = scale(Math.abs(value), 0, unit);
    int least = step > 0 ? decimals(1, step / own.divisor()) : 0;
    return own.decimals(Math.max(own.decimals(), least)).format(value);
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
    int cents = currencyDigits(u);
    if (cents >= 0 && step == 0 && size < 10_000) {
      return new Scale(1, cents, suffix("", u));
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

  /**
   * Digits after the point of an amount of money: of a code of ISO 4217, with or without braces,
   * and rates of it; -1 of any other unit.
   */
  private static int currencyDigits(String unit) {
    var code = unit.replaceFirst("/.*", "").replace("{", "").replace("}", "");
    return CURRENCIES.getOrDefault(code, -1);
  }

  private static Map<String, Integer> currencies() {
    var out = new HashMap<String, Integer>();
    for (var c : Currency.getAvailableCurrencies()) {
      out.put(c.getCurrencyCode(), c.getDefaultFractionDigits());
    }
    return Map.copyOf(out);
  }

  private static Scale timeScale(double size, double step, double unitSeconds) {
    double seconds =
        Double.isFinite(size) && step == 0 ? threeDigits(size * unitSeconds) : size * unitSeconds;
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
    if (size == 0 || !Double.isFinite(size) || (whole(size) && size < 10_000)) {
      return 0;
    }
    double digits = threeDigits(size);
    return digits >= 100 ? 0 : digits >= 10 ? 1 : digits >= 1 ? 2 : digits >= 0.1 ? 3 : 4;
  }

  /** True of what differs from a whole number by the last bits of a sum or a rate alone. */
  private static boolean whole(double size) {
    return Math.abs(size - Math.rint(size)) <= 1e-9 * size;
  }

  /** As it will be written: 9.996 is 10.0 and not 10.00. */
  private static double threeDigits(double size) {
    return new BigDecimal(size).round(THREE_DIGITS).doubleValue();
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
