package vintrel.server.access;

import com.nulabinc.zxcvbn.Zxcvbn;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;

/**
 * What a password may be (NIST SP 800-63B, 5.1.1.2): long enough, not one of the most common, not
 * one of those with a few signs around it, not a row or a repetition, not the person's name. No
 * rules on kinds of characters. What else is guessed early is known to zxcvbn (Wheeler, USENIX
 * Security 2016), with its lists of words, names and leaked passwords.
 */
final class PasswordRules {
  static final int MIN = 12;

  /** Bytes that the hash looks at. */
  private static final int MAX = 72;

  private static final String[] ROWS = {
    "abcdefghijklmnopqrstuvwxyz", "01234567890123456789", "qwertyuiopasdfghjklzxcvbnm",
    "qwertzuiopasdfghjklyxcvbnm", "azertyuiopqsdfghjklmwxcvbn", "1q2w3e4r5t6y7u8i9o0p",
    "1qaz2wsx3edc4rfv5tgb6yhn", "zaq12wsxcde34rfvbgt5"
  };

  /** Guesses that a password must withstand, as a power of ten. */
  private static final double MIN_GUESSES = 10;

  private static final Zxcvbn GUESSES = new Zxcvbn();
  private static final Set<String> COMMON = common();

  private PasswordRules() {}

  private static Set<String> common() {
    try (var in = PasswordRules.class.getResourceAsStream("/common-passwords.txt")) {
      var words = new String(in.readAllBytes(), StandardCharsets.UTF_8).split("\\s+");
      return new HashSet<>(Set.of(words));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /**
   * @throws IllegalArgumentException in words for the person
   */
  static void check(String password, String person) {
    if (password.length() < MIN) {
      throw new IllegalArgumentException("the password must have at least " + MIN + " characters");
    }
    if (password.getBytes(StandardCharsets.UTF_8).length > MAX) {
      throw new IllegalArgumentException("the password can have at most " + MAX + " characters");
    }
    if (isCommon(password.toLowerCase(Locale.ROOT), person.toLowerCase(Locale.ROOT))
        || GUESSES.measure(password, List.of(person, "vintrel")).getGuessesLog10() < MIN_GUESSES) {
      throw new IllegalArgumentException(
          "this is one of the passwords that are tried first; take several words that have nothing"
              + " to do with each other");
    }
  }

  private static boolean isCommon(String password, String person) {
    var plain = plain(password);
    var core = plain(password.replaceAll("^[^\\p{L}]+|[^\\p{L}]+$", ""));
    return COMMON.contains(password)
        || COMMON.contains(plain)
        || core.length() < 4
        || COMMON.contains(core)
        || core.equals(person)
        || repeats(plain)
        || repeats(core)
        || row(password);
  }

  /** Signs that replace letters count as those letters. */
  private static String plain(String s) {
    return s.replace('@', 'a')
        .replace('$', 's')
        .replace('0', 'o')
        .replace('3', 'e')
        .replace('!', 'i');
  }

  /** A part of at most half its length, again and again; or one of the common ones so. */
  private static boolean repeats(String s) {
    for (int length = 1; length <= s.length() / 2; length++) {
      var part = s.substring(0, length);
      boolean all = true;
      for (int i = length; i < s.length() && all; i++) {
        all = s.charAt(i) == s.charAt(i % length);
      }
      if (all && (length <= 4 || COMMON.contains(part))) {
        return true;
      }
    }
    return false;
  }

  /** Eight keys or letters in their order, forwards or backwards, and little else. */
  private static boolean row(String s) {
    for (var row : ROWS) {
      for (var line : new String[] {row, new StringBuilder(row).reverse().toString()}) {
        for (int i = 0; i + 8 <= line.length(); i++) {
          if (s.contains(line.substring(i, i + 8)) && s.length() < 17) {
            return true;
          }
        }
      }
    }
    return false;
  }
}
