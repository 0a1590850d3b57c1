package vintrel.server.store;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.HexFormat;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import org.junit.jupiter.api.Assumptions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
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
    assertThatThrownBy(() -> BackupFile.verify(bad)).hasMessageContaining("not a Vintrel backup");
  }

  /** Opening a database runs what stands in it: foreign things must be found before. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "create alias shell as 'String run(String c) throws Exception { new"
            + " java.io.File(\"MARK\").createNewFile(); return c; }'",
        "create alias prop for 'java.lang.System.getProperty'",
        "create view v as select * from series",
        "create table extra (a int default length(file_read('/etc/passwd')))",
        "create table extra (a int as (select count(*) from series))",
        "create linked table l ('org.h2.Driver', 'jdbc:h2:mem:x', 'sa', '',"
            + " 'information_schema.tables')",
        "alter table series add constraint c check (length(metric) > 0)",
        "create constant k value 'x'",
        "create force trigger t before insert on series for each row call 'elsewhere.Trigger'"
      })
  void aBackupWithForeignObjectsIsRefusedBeforeAnyOfItRuns(String statement) throws Exception {
    publish(5);
    var file = backup(RunningServer.TOKEN);
    var mark = folder.resolve("mark");
    var work = folder.resolve("work");
    BackupFile.restore(file, work);
    var made = statement.replace("MARK", mark.toString());
    try (var connection =
            DriverManager.getConnection("jdbc:h2:file:" + work.resolve("vintrel"), "sa", "");
        var s = connection.createStatement()) {
      s.execute(made);
    } catch (SQLException e) {
      Assumptions.abort("this H2 does not make it: " + e.getMessage());
    }
    Files.deleteIfExists(mark);
    var bad = folder.resolve("bad.zip");
    sealed(work.resolve("vintrel.mv.db"), bad);
    var target = folder.resolve("target");
    assertThatThrownBy(() -> BackupFile.restore(bad, target))
        .isInstanceOf(IOException.class)
        .hasMessageContaining("nothing was restored");
    assertThat(target.resolve("vintrel.mv.db")).doesNotExist();
    assertThat(mark).doesNotExist();
  }

  private static void sealed(Path database, Path zip) throws Exception {
    var bytes = Files.readAllBytes(database);
    var sum = HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(bytes));
    try (var out = new ZipOutputStream(Files.newOutputStream(zip))) {
      out.putNextEntry(new ZipEntry("vintrel.mv.db"));
      out.write(bytes);
      out.putNextEntry(new ZipEntry("manifest.json"));
      out.write("{\"format\": 1, \"sha256\": \"%s\"}".formatted(sum).getBytes());
    }
  }

  @Test
  void theKeyOfTheScriptIsForItsOwnerAlone() throws IOException {
    var file = server.data().resolve("local.key");
    assertThat(
            java.nio.file.attribute.PosixFilePermissions.toString(
                Files.getPosixFilePermissions(file)))
        .isEqualTo("rw-------");
  }

  @Test
  void aDatabaseThatHasLivedCanBeBackedUp() throws IOException {
    publish(700);
    var database = server.bean(vintrel.server.database.Database.class);
    // What H2 does by itself in time: it learns about its columns, and moves its numbers on.
    database.run(
        s ->
            s.doWork(
                c -> {
                  try (var statement = c.createStatement()) {
                    statement.execute("ANALYZE SAMPLE_SIZE 0");
                    statement.execute("alter table delivery alter column id restart with 5000");
                  }
                }));
    database.tidy(200);
    var check = server.bean(BackupCheck.class);
    check.look();
    assertThat(check.possible()).isEqualTo(1);
    assertThat(String.join("\n", database.schema())).contains("SELECTIVITY");
    var file = backup(RunningServer.TOKEN);
    assertThat(BackupFile.verify(file).damaged()).isZero();
    BackupFile.restore(file, folder.resolve("lived"));
  }

  @Test
  void thatABackupIsNotPossibleIsKnownBeforeItIsNeeded() {
    var database = server.bean(vintrel.server.database.Database.class);
    var check = server.bean(BackupCheck.class);
    try {
      database.run(
          s -> s.doWork(c -> c.createStatement().execute("create view spied as select 1")));
      check.look();
      assertThat(check.possible()).isZero();
    } finally {
      database.run(s -> s.doWork(c -> c.createStatement().execute("drop view spied")));
    }
    check.look();
    assertThat(check.possible()).isEqualTo(1);
  }
}
