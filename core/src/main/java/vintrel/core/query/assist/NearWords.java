package vintrel.core.query.assist;

import java.util.HashMap;
import java.util.Map;

/**
 * How far words are from one that was typed, by insertions, deletions, replacements and swaps of
 * neighbours (optimal string alignment). All rows of a column at once, one bit each: H. Hyyrö, A
 * bit-vector algorithm for computing Levenshtein and Damerau edit distances, Nordic Journal of
 * Computing 10 (2003). Case is ignored. Any thread.
 */
final class NearWords {
  static final int FAR = Integer.MAX_VALUE;

  /** Bits of a row. Of longer words only the beginning is compared. */
  static final int LONGEST = Long.SIZE;

  private static final int ASCII = 128;

  private final int length;
  private final int most;
  private final long[] places = new long[ASCII];
  private final Map<Character, Long> others = new HashMap<>();

  /**
   * @param typed not empty
   * @param most edits at which a word is still near
   */
  NearWords(String typed, int most) {
    this.most = most;
    length = Math.min(LONGEST, typed.length());
    for (int i = 0; i < length; i++) {
      char c = Character.toLowerCase(typed.charAt(i));
      if (c < ASCII) {
        places[c] |= 1L << i;
      } else {
        others.merge(c, 1L << i, (a, b) -> a | b);
      }
    }
  }

  private long placesOf(char c) {
    if (c < ASCII) {
      return places[c >= 'A' && c <= 'Z' ? c + ('a' - 'A') : c];
    }
    return others.isEmpty() ? 0 : others.getOrDefault(Character.toLowerCase(c), 0L);
  }

  /**
   * The edits to a word, or to its beginning that is as long as what was typed, whichever are
   * fewer; {@link #FAR} if they are more than are near.
   */
  int distance(String word) {
    int beginning = Math.min(word.length(), length);
    int end = word.length() - length <= most ? word.length() : beginning;
    long top = 1L << (length - 1);
    long up = -1;
    long down = 0;
    long same = 0;
    long before = 0;
    int score = length;
    int best = beginning == 0 ? length : FAR;
    for (int j = 0; j < end; j++) {
      long here = placesOf(word.charAt(j));
      long swapped = ((~same & here) << 1) & before;
      same = (((here & up) + up) ^ up) | here | down | swapped;
      long more = down | ~(same | up);
      long less = same & up;
      score += (more & top) != 0 ? 1 : (less & top) != 0 ? -1 : 0;
      more = (more << 1) | 1;
      less <<= 1;
      up = less | ~(same | more);
      down = more & same;
      before = here;
      if (j + 1 == beginning || j + 1 == word.length()) {
        best = Math.min(best, score);
      }
    }
    return best <= most ? best : FAR;
  }
}
