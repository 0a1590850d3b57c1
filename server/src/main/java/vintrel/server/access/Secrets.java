package vintrel.server.access;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.Base64;
import java.util.HexFormat;
import javax.crypto.Cipher;
import javax.crypto.Mac;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import org.springframework.stereotype.Component;
import vintrel.server.web.Settings;

/**
 * Passwords and tokens for other systems, encrypted (AES-256-GCM, a fresh nonce each) with a key in
 * a file beside the database that only the server's user can read: a copy of the database alone
 * gives nothing away.
 */
@Component
public class Secrets {
  private static final int NONCE = 12;
  private static final int TAG_BITS = 128;

  private final SecretKeySpec key;
  private final SecureRandom random = new SecureRandom();

  Secrets(Settings settings) {
    var file = settings.data().resolve("secrets.key");
    try {
      Files.createDirectories(settings.data());
      if (Files.notExists(file)) {
        var fresh = new byte[32];
        random.nextBytes(fresh);
        var permissions = PosixFilePermissions.fromString("rw-------");
        Files.createFile(file, PosixFilePermissions.asFileAttribute(permissions));
        Files.write(file, fresh);
      }
      this.key = new SecretKeySpec(Files.readAllBytes(file), "AES");
    } catch (IOException e) {
      throw new UncheckedIOException("can't read the encryption key: " + file, e);
    }
  }

  /** A keyed hash (HMAC-SHA-256) in hexadecimal: equal for equal secrets, of no use else. */
  String mark(String secret) {
    try {
      var mac = Mac.getInstance("HmacSHA256");
      mac.init(new SecretKeySpec(key.getEncoded(), "HmacSHA256"));
      return HexFormat.of().formatHex(mac.doFinal(secret.getBytes(StandardCharsets.UTF_8)));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Empty for an empty secret. */
  public String hide(String secret) {
    if (secret.isEmpty()) {
      return "";
    }
    var nonce = new byte[NONCE];
    random.nextBytes(nonce);
    var hidden = run(Cipher.ENCRYPT_MODE, nonce, secret.getBytes(StandardCharsets.UTF_8));
    var out = Arrays.copyOf(nonce, NONCE + hidden.length);
    System.arraycopy(hidden, 0, out, NONCE, hidden.length);
    return Base64.getEncoder().encodeToString(out);
  }

  /**
   * What {@link #hide} took.
   *
   * @throws IllegalStateException if it was hidden with another key, or changed since
   */
  public String show(String hidden) {
    if (hidden.isEmpty()) {
      return "";
    }
    var bytes = Base64.getDecoder().decode(hidden);
    var content = Arrays.copyOfRange(bytes, NONCE, bytes.length);
    var plain = run(Cipher.DECRYPT_MODE, Arrays.copyOf(bytes, NONCE), content);
    return new String(plain, StandardCharsets.UTF_8);
  }

  private byte[] run(int mode, byte[] nonce, byte[] content) {
    try {
      var cipher = Cipher.getInstance("AES/GCM/NoPadding");
      cipher.init(mode, key, new GCMParameterSpec(TAG_BITS, nonce));
      return cipher.doFinal(content);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(
          "this secret can't be decrypted with the current key; enter it again where it is used");
    }
  }
}
