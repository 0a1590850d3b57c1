package vintrel.core.tell;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Arrays;
import java.util.HexFormat;

/** Short keys for long texts: the first 128 bits of SHA-256 (FIPS 180-4) as 32 hex digits. */
public final class AlertKey {
  private static final int BYTES = 16;

  private AlertKey() {}

  /** That of all notices of a series under a rule. */
  public static String of(String rule, String series) {
    return hash(rule + "\n" + series);
  }

  public static String hash(String text) {
    try {
      var all = MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(Arrays.copyOf(all, BYTES));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
