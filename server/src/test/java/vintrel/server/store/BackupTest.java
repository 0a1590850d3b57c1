package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.api.io.TempDir;
import vintrel.server.RunningServer;

class BackupTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  @TempDir Path folder;

  private Path backup(String token) throws IOException {
    var file = folder.resolve("backup.zip");
    var request =
        server
            .to("/api/v1/backup")
            .setHeader("Authorization", "Bearer " + token)
            .POST(HttpRequest.BodyPublishers.noBody());
    var answer = server.send(request, HttpResponse.BodyHandlers.ofByteArray());
    assertThat(answer.statusCode()).isEqualTo(200);
    Files.write(file, answer.body());
    return file;
  }

  private static void publish(int values) {
    var list = new StringBuilder();
    long now = System.currentTimeMillis();
    for (int i = 0; i < values; i++) {
      list.append(i == 0 ? "[" : ",")
          .append("{\"metric\": \"b\", \"value\": %d, \"time\": \"%d\"}".formatted(i, now + i));
    }
    server.post("/api/v1/samples", "application/json", list.append("]").toString());
  }

  @Test
  void whatWasAcknowledgedIsInTheBackupAndComesBack() throws IOException {
    publish(700);
    var key = Files.readString(server.data().resolve("local.key"));
    var file = backup(key);
    assertThat(BackupFile.verify(file).samples()).isGreaterThanOrEqualTo(700);
    assertThat(BackupFile.verify(file).damaged()).isZero();
    var target = folder.resolve("restored");
    BackupFile.restore(file, target);
    assertThatThrownBy(() -> BackupFile.restore(file, target)).hasMessageContaining("already");
    assertThat(target.resolve("vintrel.mv.db")).exists();
    try (var left = Files.newDirectoryStream(server.data(), "backup*")) {
      assertThat(left).as("nothing is left behind").isEmpty();
    }
  }

  @Test
  void aDamagedBackupIsFoundAndNotRestored() throws IOException {
    publish(10);
    var file = backup(RunningServer.TOKEN);
    var bytes = Files.readAllBytes(file);
    bytes[bytes.length / 2] ^= 1;
    var bad = folder.resolve("bad.zip");
    Files.write(bad, bytes);
    var target = folder.resolve("nothing");
    assertThatThrownBy(() -> BackupFile.restore(bad, target)).isInstanceOf(IOException.class);
    assertThat(target.resolve("vintrel.mv.db")).doesNotExist();
    Files.writeString(bad, "no backup at all");
    assertThatThrownBy(() -> BackupFile.verify(bad)).hasMessageContaining("no backup of Vintrel");
  }

  @Test
  void theKeyOfTheScriptIsForItsOwnerAlone() throws IOException {
    var file = server.data().resolve("local.key");
    assertThat(
            java.nio.file.attribute.PosixFilePermissions.toString(
                Files.getPosixFilePermissions(file)))
        .isEqualTo("rw-------");
  }
}
