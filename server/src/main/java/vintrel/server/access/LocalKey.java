package vintrel.server.access;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.MessageDigest;
import java.security.SecureRandom;
import java.util.HexFormat;
import org.springframework.stereotype.Component;
import vintrel.server.web.Settings;

/**
 * A token with all rights in a file that only the server's own user can read: whoever may read the
 * data directory may use the script's commands. Created at each start.
 */
@Component
class LocalKey {
  private final byte[] key;

  LocalKey(Settings settings) {
    var bytes = new byte[24];
    new SecureRandom().nextBytes(bytes);
    var text = "vl_" + HexFormat.of().formatHex(bytes);
    this.key = text.getBytes(StandardCharsets.UTF_8);
    var file = settings.data().resolve("local.key");
    try {
      Files.createDirectories(settings.data());
      Files.deleteIfExists(file);
      Files.createFile(
          file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.writeString(file, text);
    } catch (IOException e) {
      throw new UncheckedIOException("the key for the script could not be written", e);
    }
  }

  boolean fits(byte[] token) {
    return MessageDigest.isEqual(key, token);
  }
}
