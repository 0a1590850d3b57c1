package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class TrustedAuthoritiesTest {
  @TempDir Path folder;

  private static void keytool(String... words) throws Exception {
    var command = new java.util.ArrayList<String>();
    command.add(Path.of(System.getProperty("java.home"), "bin", "keytool").toString());
    command.addAll(java.util.List.of(words));
    var process = new ProcessBuilder(command).redirectErrorStream(true).start();
    var said = new String(process.getInputStream().readAllBytes());
    assertThat(process.waitFor()).as(said).isZero();
  }

  @Test
  void certificatesOfAFileAreTrustedBesidesTheMachines() throws Exception {
    var keys = folder.resolve("quay.p12").toString();
    var pem = folder.resolve("quay.pem");
    keytool(
        "-genkeypair",
        "-alias",
        "a",
        "-keyalg",
        "EC",
        "-dname",
        "CN=quay authority",
        "-keystore",
        keys,
        "-storepass",
        "changeit");
    keytool(
        "-exportcert",
        "-rfc",
        "-alias",
        "a",
        "-keystore",
        keys,
        "-storepass",
        "changeit",
        "-file",
        pem.toString());
    var trusted = new TrustedAuthorities(pem.toString());
    assertThat(trusted.manager().getAcceptedIssuers())
        .extracting(c -> c.getSubjectX500Principal().getName())
        .contains("CN=quay authority")
        .hasSizeGreaterThan(20);
    assertThat(trusted.context()).isNotNull();
    assertThat(new TrustedAuthorities("").manager()).isNull();
    assertThat(new TrustedAuthorities("").context()).isNull();
  }

  @Test
  void aFileThatIsNoneIsNamed() throws Exception {
    var empty = Files.createFile(folder.resolve("empty.pem"));
    var text = Files.writeString(folder.resolve("text.pem"), "no certificate");
    for (var file : new Path[] {empty, text, folder.resolve("absent.pem")}) {
      assertThatThrownBy(() -> new TrustedAuthorities(file.toString()))
          .isInstanceOf(Settings.Unfit.class)
          .hasMessageContaining("vintrel.outbound.ca")
          .hasMessageContaining(file.toString());
    }
  }
}
