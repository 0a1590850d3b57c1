package vintrel.collector;

import java.io.IOException;
import java.net.InetAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import vintrel.core.collect.CollectorConfig;
import vintrel.core.define.CollectorFile;

/** The configuration of a collector as it is in force. Immutable. */
record Settings(CollectorConfig config, String hash) {
  /** The configuration without a file: this host, every ten seconds. */
  static Settings usual(String to, long every, Map<String, String> labels) {
    var host =
        new CollectorConfig.Input(
            "host", every, 10_000, Map.of(), new CollectorConfig.Host(List.of(), List.of()));
    return new Settings(
        new CollectorConfig(
            hostName(),
            to,
            CollectorConfig.TOKEN,
            every,
            labels,
            256_000_000,
            CollectorConfig.Fetch.OFF,
            List.of(),
            List.of(host)),
        "");
  }

  static CollectorFile read(Path file) throws IOException {
    return CollectorFile.parse(Files.readString(file), hostName());
  }

  static String hostName() {
    try {
      return InetAddress.getLocalHost().getHostName().toLowerCase(java.util.Locale.ROOT);
    } catch (java.net.UnknownHostException e) {
      return "this-host";
    }
  }

  /** The first 12 hexadecimal digits of a text's SHA-256. */
  static String hash(String text) {
    try {
      var digest =
          MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8));
      return HexFormat.of().formatHex(digest).substring(0, 12);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }
}
