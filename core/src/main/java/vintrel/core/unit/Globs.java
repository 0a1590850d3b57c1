package vintrel.core.unit;

/** Patterns with stars. */
public final class Globs {
  private Globs() {}

  /**
   * Whether a whole text is like a pattern, in which {@code *} stands for any characters. It goes
   * back no further than the last star.
   */
  public static boolean fits(String pattern, String text) {
    int p = 0;
    int t = 0;
    int star = -1;
    int from = 0;
    while (t < text.length()) {
      if (p < pattern.length() && pattern.charAt(p) == '*') {
        star = p++;
        from = t;
      } else if (p < pattern.length() && pattern.charAt(p) == text.charAt(t)) {
        p++;
        t++;
      } else if (star >= 0) {
        p = star + 1;
        t = ++from;
      } else {
        return false;
      }
    }
    while (p < pattern.length() && pattern.charAt(p) == '*') {
      p++;
    }
    return p == pattern.length();
  }
}
