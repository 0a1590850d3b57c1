package vintrel.core.query.assist;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Locale;
import java.util.Random;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import vintrel.core.query.syntax.Vocabulary;

class NearWordsTest {
  private static String word(Random random, String letters, int longest) {
    return random
        .ints(random.nextInt(longest + 1), 0, letters.length())
        .mapToObj(i -> letters.substring(i, i + 1))
        .collect(Collectors.joining());
  }

  /** By the definition: whole, or its beginning. */
  private static int slow(String typed, String word, int most) {
    var lower = word.toLowerCase(Locale.ROOT);
    var start = lower.substring(0, Math.min(lower.length(), typed.length()));
    int d = Math.min(Vocabulary.distance(typed, lower), Vocabulary.distance(typed, start));
    return d <= most ? d : NearWords.FAR;
  }

  @Test
  void countsEditsAsTheTableDoes() {
    var random = new Random(28);
    int near = 0;
    for (int i = 0; i < 200_000; i++) {
      var letters = i % 3 == 0 ? "ab" : i % 3 == 1 ? "abC-9é" : "abcdefgh.";
      int longest = i % 10 == 0 ? NearWords.LONGEST : 12;
      var typed = "x" + word(random, letters.toLowerCase(Locale.ROOT), longest - 1);
      var word = random.nextInt(3) == 0 ? word(random, letters, 80) : changed(typed, random);
      int most = 1 + random.nextInt(5);
      int expected = slow(typed, word, most);
      near += expected == NearWords.FAR ? 0 : 1;
      assertThat(new NearWords(typed, most).distance(word))
          .as("%s %s", typed, word)
          .isEqualTo(expected);
    }
    assertThat(near).isGreaterThan(50_000);
  }

  /** With some edits, and perhaps something after it. */
  private static String changed(String typed, Random random) {
    var out = new StringBuilder(typed);
    for (int k = random.nextInt(4); k > 0; k--) {
      int at = random.nextInt(out.length() + 1);
      switch (random.nextInt(3)) {
        case 0 -> out.insert(at, (char) ('a' + random.nextInt(3)));
        case 1 -> out.delete(at, at + 1);
        default -> {
          if (at + 1 < out.length()) {
            out.insert(at + 2, out.charAt(at)).deleteCharAt(at);
          }
        }
      }
    }
    return random.nextBoolean() ? out.toString() : out + "-" + random.nextInt(100);
  }

  @Test
  void aLongTextIsComparedByItsBeginning() {
    var typed = "a".repeat(NearWords.LONGEST) + "b".repeat(40);
    assertThat(new NearWords(typed, 2).distance("a".repeat(NearWords.LONGEST))).isZero();
    assertThat(new NearWords(typed, 2).distance("b".repeat(200))).isEqualTo(NearWords.FAR);
  }
}
