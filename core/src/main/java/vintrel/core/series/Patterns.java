package vintrel.core.series;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.util.ArrayDeque;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;

/**
 * Compiled patterns, kept so that a condition over many values compiles once (RE2: linear in the
 * text and in the size of its program). Counted repetitions multiply that size, so a pattern is
 * measured before it is compiled, and what is kept is bounded by size. Any thread.
 */
public final class Patterns {
  /** Characters of a pattern. */
  public static final int MAX_LENGTH = 1_000;

  /** Instructions of a compiled pattern. */
  public static final int LARGEST = 5_000;

  /** What a class of Unicode letters counts as. */
  private static final int CLASS = 20;

  /** Instructions of all that are kept; about 100 bytes each. */
  private static final long KEPT = 200_000;

  private static final Map<String, Pattern> KNOWN = new ConcurrentHashMap<>();
  private static final AtomicLong SIZE = new AtomicLong();

  private Patterns() {}

  /**
   * The compiled pattern of a text.
   *
   * @throws PatternSyntaxException if the text is not a pattern, or one too large
   */
  public static Pattern of(String text) {
    var known = KNOWN.get(text);
    if (known != null) {
      return known;
    }
    if (text.length() > MAX_LENGTH) {
      throw new PatternSyntaxException(
          "it has more than " + MAX_LENGTH + " characters", text.substring(0, 20) + "…");
    }
    if (size(text) > LARGEST) {
      throw new PatternSyntaxException(
          "its repetitions multiply to more than " + LARGEST + " characters", text);
    }
    var compiled = Pattern.compile(text);
    if (SIZE.addAndGet(compiled.programSize()) > KEPT) {
      KNOWN.clear();
      SIZE.set(compiled.programSize());
    }
    KNOWN.put(text, compiled);
    return compiled;
  }

  /** A bound on what a pattern compiles to; of no meaning if it is none. */
  static long size(String text) {
    var outer = new ArrayDeque<Long>();
    long sum = 0;
    long last = 0;
    for (int i = 0; i < text.length() && sum <= LARGEST; i++) {
      char c = text.charAt(i);
      if (c == '(') {
        outer.push(sum + last);
        sum = 0;
        last = 0;
      } else if (c == ')' && !outer.isEmpty()) {
        last += sum + 2;
        sum = outer.pop();
      } else if (c == '{' && repetition(text, i) > 0) {
        last *= repetition(text, i);
        i = text.indexOf('}', i);
      } else {
        sum += last;
        last = 1;
        if (c == '\\' && i + 1 < text.length()) {
          char kind = text.charAt(++i);
          last = kind == 'p' || kind == 'P' ? CLASS : 1;
          // \Q…\E and the rest count character by character.
        } else if (c == '[') {
          i = classEnd(text, i);
          last = CLASS;
        }
      }
    }
    while (!outer.isEmpty()) {
      sum += outer.pop();
    }
    return sum + last;
  }

  private static int classEnd(String text, int from) {
    for (int i = from + 1; i < text.length(); i++) {
      if (text.charAt(i) == '\\') {
        i++;
      } else if (text.charAt(i) == ']' && i > from + 1) {
        return i;
      }
    }
    return text.length();
  }

  /** The greater number of {@code {n}}, {@code {n,}} or {@code {n,m}} at a place; 0: no such. */
  private static long repetition(String text, int from) {
    int end = text.indexOf('}', from);
    if (end < 0 || end - from > 12) {
      return 0;
    }
    var parts = text.substring(from + 1, end).split(",", -1);
    long max = 0;
    for (var part : parts) {
      if (!part.matches("\\d{0,5}")) {
        return 0;
      }
      max = part.isEmpty() ? max : Math.max(max, Long.parseLong(part));
    }
    return Math.max(1, max);
  }
}
