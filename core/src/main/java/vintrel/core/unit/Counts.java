package vintrel.core.unit;

import java.util.Locale;

/** Counts with their noun: 1 sample, 2 samples, 12,000 series. */
public final class Counts {
  private Counts() {}

  /** A count alone: 12,000. */
  public static String text(long n) {
    return String.format(Locale.ROOT, "%,d", n);
  }

  /**
   * A count with its noun.
   *
   * @param noun in the singular; only its last word changes
   */
  public static String of(long n, String noun) {
    return text(n) + " " + (n == 1 ? noun : plural(noun));
  }

  private static String plural(String noun) {
    if (noun.endsWith("series")) {
      return noun;
    }
    if (noun.endsWith("ch") || noun.endsWith("s") || noun.endsWith("x")) {
      return noun + "es";
    }
    boolean consonant =
        noun.endsWith("y") && "aeiou".indexOf(noun.charAt(Math.max(0, noun.length() - 2))) < 0;
    return consonant ? noun.substring(0, noun.length() - 1) + "ies" : noun + "s";
  }
}
